"""Start the whole application: the web server and the worker for long tasks."""

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
from server.jobs.lanes import LANES
from server.jobs.runner import requeue_stale


class Command(BaseCommand):
    """Migrates, loads the demo where asked, and runs gunicorn and a task worker until Ctrl+C."""

    help = "Run Limus (web server and task worker)"

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
        requeue_stale(everything=True)
        environment = {
            **os.environ,
            "LIMUS_BIND": host,
            "LIMUS_DEMO": "1" if options["demo"] else "0",
            "PYTHONUNBUFFERED": "1",
            "LIMUS_WARM": "1",
        }
        bind = f"[{host}]:{port}" if ":" in host else f"{host}:{port}"
        python = sys.executable
        web = [python, "-m", "gunicorn", "server.config.wsgi", "--bind", bind, "--worker-class", "gthread", "--workers", "1", "--threads", "64",
               "--timeout", "300", "--graceful-timeout", "3", "--log-level", "warning", "--no-control-socket"]  # fmt: skip
        if subprocess.run(
            [python, "-m", "gunicorn", "--no-control-socket", "--version"], capture_output=True, check=False
        ).returncode:
            web.remove("--no-control-socket")
        # A worker for each queue: who looks at a file does not wait for somebody's export.
        budget = memory_budget()
        smaller = {**environment, "LIMUS_MEMORY": str(max(256 << 20, budget // 4))}
        commands = [(web, {**environment, "LIMUS_MEMORY": str(budget)})]
        for lane in LANES:
            worker = [python, "manage.py", "db_worker", "--queue-name", lane, "--interval", "0.25", "-v", "0"]
            commands.append((worker, smaller))
        running = [subprocess.Popen(command, env=given, start_new_session=True) for command, given in commands]

        def stop(*_: Any) -> None:
            raise KeyboardInterrupt

        signal.signal(signal.SIGTERM, stop)
        try:
            self._wait_for(host, port, running[0])
            shown = "localhost" if host in ("127.0.0.1", "::1") else host
            self.stdout.write(f"Keeping up to {budget / (1 << 30):.1f} GB of results in memory (LIMUS_MEMORY changes that).")
            self.stdout.write(f"Limus is ready: http://{shown}:{port}/   (Ctrl+C stops it)")
            self.stdout.flush()
            while running[0].poll() is None:
                for k, (command, given) in enumerate(commands[1:], 1):
                    if running[k].poll() is not None:
                        running[k] = subprocess.Popen(command, env=given, start_new_session=True)
                time.sleep(0.5)
            raise CommandError("The web server stopped. Its last lines above say why.")
        except KeyboardInterrupt:
            self.stdout.write("\nStopped.")
        finally:
            # Twice: the worker finishes its task on the first signal and leaves it on the second.
            for _ in range(2):
                for process in running:
                    if process.poll() is None:
                        process.terminate()
                time.sleep(0.3)
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
