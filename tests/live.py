"""The product's own web server in a thread of tests."""

from __future__ import annotations

from typing import Any

from django.test.testcases import LiveServerThread

from server.config.front import make_server

#: Requests answered at once.
THREADS = 12


class _Serving:
    """What Django's thread asks of a server, by the one that users have."""

    def __init__(self, host: str, port: int) -> None:
        self._application: Any = None
        self._server = make_server(
            lambda environ, start: self._application(environ, start), host, port, threads=THREADS
        )  # fmt: skip
        self.server_address = (host, int(self._server.effective_port))

    def set_app(self, application: Any) -> None:
        self._application = application

    def serve_forever(self) -> None:
        # Ends when there is nothing left to listen to.
        self._server.run()

    def shutdown(self) -> None:
        self._server.trigger.pull_trigger(self._close)

    def _close(self) -> None:
        for channel in list(self._server.active_channels.values()):
            channel.handle_close()
        self._server.close()

    def server_close(self) -> None:
        self._server.task_dispatcher.shutdown()


class Front(LiveServerThread):
    """Connections, also those to the database, outlive a request; Django's own test server opens them anew for each."""

    def _create_server(self, connections_override: Any = None) -> Any:
        return _Serving(self.host, self.port)
