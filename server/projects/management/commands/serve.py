"""Start the whole application: the web server and the keeper of jobs."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from limus.store import memory_budget


class Command(BaseCommand):
    """Migrates, loads the demo where asked, and runs the web server and the keeper of jobs until Ctrl+C."""

    help = "Run Limus (web server and long work)"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--host", default=os.environ.get("LIMUS_BIND", "127.0.0.1"))
        parser.add_argument("--port", type=int, default=int(os.environ.get("LIMUS_PORT", "8640")))
        parser.add_argument(
            "--demo", action="store_true", help="load the demo project and sign its user in by itself (loopback only)"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until interrupted."""
        host, port = options["host"], options["port"]
        if not 1 <= port <= 65535:
            raise CommandError(f"{port} is not a port. Use a number from 1 to 65535.")
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        with socket.socket(family) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError as error:
                raise CommandError(
                    f"Port {port} on {host} cannot be used ({error.strerror}). Choose another one: make demo PORT={port + 1}"
                ) from error
        # Before the processes start: the first switch to WAL does not wait for others.
        call_command("migrate", verbosity=0)
        # In a process of its own, so that this one stays small.
        if options["demo"] and subprocess.run([sys.executable, "manage.py", "load_demo"], check=False).returncode:
            raise CommandError("The demo project could not be built. The lines above say why.")
        environment = {
            **os.environ,
            "LIMUS_BIND": host,
            "LIMUS_PORT": str(port),
            "LIMUS_DEMO": "1" if options["demo"] else "0",
            "PYTHONUNBUFFERED": "1",
            "LIMUS_WARM": "1",
        }
        python = sys.executable
        # The web server keeps results for everybody; jobs keep theirs for as long as they run.
        budget = memory_budget()
        smaller = {**environment, "LIMUS_MEMORY": str(max(256 << 20, budget // 4))}
        commands = [
            (
                [python, "-m", "server.config.front"],
                {**environment, "LIMUS_MEMORY": str(budget), "LIMUS_WITH_PARENT": str(os.getpid())},
            ),
            ([python, "manage.py", "work", "--with-parent", str(os.getpid())], smaller),
        ]
        running = [subprocess.Popen(command, env=given, start_new_session=True) for command, given in commands]
        begun = [time.monotonic()] * len(running)
        strikes = [0] * len(running)

        def stop(*_: Any) -> None:
            raise KeyboardInterrupt

        signal.signal(signal.SIGTERM, stop)
        try:
            self._wait_for(host, port, running[0])
            shown = "localhost" if host in ("127.0.0.1", "::1") else host
            self.stdout.write(f"Keeping up to {budget / (1 << 30):.1f} GB of results in memory (LIMUS_MEMORY changes that).")
            self.stdout.write(f"Limus is ready: http://{shown}:{port}/   (Ctrl+C stops it)")
            self.stdout.flush()
            while True:
                for k, (command, given) in enumerate(commands):
                    if running[k].poll() is None:
                        continue
                    # Killed from outside it is started again; what ends by itself as soon as it is started will do so again.
                    quick = time.monotonic() - begun[k] < 10.0 and (running[k].returncode or 0) > 0
                    strikes[k] = strikes[k] + 1 if quick else 0
                    if strikes[k] == 3:
                        what = "The web server" if k == 0 else "The keeper of jobs"
                        raise CommandError(f"{what} stopped as soon as it was started, three times. Its last lines above say why.")
                    begun[k] = time.monotonic()
                    running[k] = subprocess.Popen(command, env=given, start_new_session=True)
                time.sleep(0.3)
        except KeyboardInterrupt:
            self.stdout.write("\nStopped.")
        finally:
            for process in running:
                if process.poll() is None:
                    process.terminate()
            for process in running:
                try:
                    process.wait(8)
                except subprocess.TimeoutExpired:
                    process.kill()

    @staticmethod
    def _wait_for(host: str, port: int, process: subprocess.Popen[bytes]) -> None:
        for _ in range(240):
            if process.poll() is not None:
                return
            with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
                probe.settimeout(0.5)
                if probe.connect_ex(("127.0.0.1" if host == "0.0.0.0" else host, port)) == 0:
                    return
            time.sleep(0.25)
