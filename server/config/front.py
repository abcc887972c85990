"""The web server: receives asynchronously, so that slow and idle connections cost a line in a table and no thread.

Waitress reads header and body of every connection in one loop, keeps a large body on disk, and hands a request to a
thread only when all of it is there; a body that broke off is never handed over. What is added here: a limit of time for
a header and for a body, and of connections from one address.
"""

from __future__ import annotations

import logging
import socket
import time
from collections import Counter
from typing import Any

from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.server import TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher

log = logging.getLogger(__name__)
#: Seconds for a header; for a body so much, and one for every so many bytes (a slow line at 64 kB a second is served).
HEADER, BODY, SLOWEST = 20.0, 60.0, 64 << 10
#: Connections from one address, and in all.
PER_ADDRESS, IN_ALL = 60, 1000
#: Threads that work on requests.
THREADS = 64


class Channel(HTTPChannel):  # type: ignore[misc]
    """A connection that knows since when it has been sending a request."""

    since: float | None = None
    limit = HEADER

    def received(self, data: bytes) -> bool:
        """Bytes came in."""
        out: bool = super().received(data)
        request = self.request
        if request is None:
            # Whole, or nothing begun.
            self.since = None
        else:
            self.since = self.since or time.monotonic()
            length = getattr(request, "content_length", 0) or 0
            self.limit = HEADER if not request.headers_finished else HEADER + BODY + length / SLOWEST
        return out

    def overdue(self, now: float) -> bool:
        """Whether a request has been on its way for too long."""
        return self.since is not None and now - self.since > self.limit


class Server(TcpWSGIServer):  # type: ignore[misc]
    """Bounds what one address and one request may take."""

    channel_class = Channel
    per_address = PER_ADDRESS

    def handle_accept(self) -> None:
        """A connection: closed at once where its address has too many already."""
        before = set(self.active_channels)
        super().handle_accept()
        for number in set(self.active_channels) - before:
            channel = self.active_channels[number]
            held = Counter(c.addr[0] for c in self.active_channels.values())
            if held[channel.addr[0]] > self.per_address and not _own(channel.addr[0]):
                channel.handle_close()

    def readable(self) -> bool:
        """Asked in every turn of the loop; overdue connections are looked for twice a second."""
        now = time.time()
        if now >= getattr(self, "_next_look", 0.0):
            self._next_look = now + 0.5
            moment = time.monotonic()
            for channel in [c for c in self.active_channels.values() if c.overdue(moment)]:
                channel.handle_close()
        return bool(super().readable())


#: Addresses that the limit of connections does not hold for: with a proxy in front, all connections come from it.
TRUSTED: set[str] = set()


def _own(address: str) -> bool:
    return address in TRUSTED


def make_server(
    application: Any,
    host: str,
    port: int,
    *,
    proxies: int = 0,
    proxy: str = "127.0.0.1",
    threads: int = THREADS,
    **more: Any,
) -> Any:
    """A server that is bound and not yet running; ``run()`` runs it.

    ``proxies``: how many stand in front, the last of them at the address ``proxy``. Only from there is it believed
    who asks and by which scheme; whoever fails to sign in is then that address and not the proxy's.

    Raises
    ------
    OSError : the address cannot be used.
    """
    options = {
        "host": host, "port": port, "threads": threads, "connection_limit": IN_ALL, "channel_timeout": 120,
        "cleanup_interval": 10,
        "max_request_header_size": 64 << 10, "inbuf_overflow": 1 << 20, "outbuf_overflow": 8 << 20, "backlog": 256,
        "asyncore_use_poll": True, "expose_tracebacks": False, "ident": None, "clear_untrusted_proxy_headers": False,
        "max_request_body_size": more.pop("largest", 1 << 30),
    }  # fmt: skip
    if proxies:
        options |= {
            "trusted_proxy": proxy, "trusted_proxy_count": proxies, "trusted_proxy_headers": {"x-forwarded-for",
                "x-forwarded-proto"},
        }  # fmt: skip
    settings = Adjustments(**options, **more)
    # A name may stand for two addresses; one is enough, the older kind unless the other was asked for.
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    place = next((info for info in settings.listen if info[0] == family), settings.listen[0])
    workers = ThreadedTaskDispatcher()
    workers.set_thread_count(settings.threads)
    return Server(application, {}, dispatcher=workers, adj=settings, sockinfo=place)


def main() -> None:
    """Serve the application at LIMUS_BIND and LIMUS_PORT until stopped."""
    import os
    import signal

    from limus.common.dying import die_with_parent

    if parent := os.environ.get("LIMUS_WITH_PARENT"):
        die_with_parent(int(parent))
    from django.conf import settings

    from server.config.wsgi import application, warm_up_once

    proxy = os.environ.get("LIMUS_PROXY_ADDRESS", "127.0.0.1")
    if settings.PROXIES:
        TRUSTED.add(proxy)
    server = make_server(
        application,
        os.environ.get("LIMUS_BIND", "127.0.0.1"),
        int(os.environ.get("LIMUS_PORT", "8640")),
        largest=settings.UPLOAD_LIMIT + 1,
        proxies=settings.PROXIES,
        proxy=proxy,
    )
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)

    def stop(*_: Any) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    warm_up_once()
    server.run()


if __name__ == "__main__":
    main()
