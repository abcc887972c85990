"""Start the whole application: the web server and the keeper of jobs."""

from __future__ import annotations

import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError, connection

from limus.common.store import memory_budget
from server.projects import storage
from server.projects.disk import disk_is_full

#: What one answer may need at once, with its pictures; a smaller budget would have them gone before they are fetched.
LEAST_MEMORY = 384 << 20


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
                    f"Port {port} on {host} cannot be used ({error.strerror}). Choose another one: make demo "
                    f"PORT={port + 1}"
                ) from error
        manage = str(Path(settings.BASE_DIR) / "manage.py")
        with self._alone():
            # Before the processes start: the first switch to WAL does not wait for others.
            self._migrate()
            storage.reserve()
            # In a process of its own, so that this one stays small.
            if (
                options["demo"]
                and subprocess.run([sys.executable, manage, "load_demo"], check=False, cwd=settings.BASE_DIR).returncode
            ):
                raise CommandError("The demo project could not be built. The lines above say why.")
        environment = {
            **os.environ,
            # Wherever it was started: the processes run in the program's own folder.
            "LIMUS_DATA": str(settings.DATA_DIR),
            "LIMUS_BIND": host,
            "LIMUS_PORT": str(port),
            "LIMUS_DEMO": "1" if options["demo"] else "0",
            "PYTHONUNBUFFERED": "1",
            "LIMUS_WARM": "1",
        }
        python = sys.executable
        # The web server keeps results for everybody; jobs keep theirs for as long as they run.
        budget = memory_budget()
        if budget < LEAST_MEMORY:
            self.stdout.write(
                f"LIMUS_MEMORY={budget >> 20}M is less than one answer may need: {LEAST_MEMORY >> 20} MB are used "
                "instead."
            )
            budget = LEAST_MEMORY
        smaller = {**environment, "LIMUS_MEMORY": str(max(256 << 20, budget // 4))}
        commands = [
            (
                [python, "-m", "server.config.front"],
                {**environment, "LIMUS_MEMORY": str(budget), "LIMUS_WITH_PARENT": str(os.getpid())},
            ),
            ([python, manage, "work", "--with-parent", str(os.getpid())], smaller),
        ]
        home = settings.BASE_DIR
        running = [
            subprocess.Popen(command, env=given, cwd=home, start_new_session=True) for command, given in commands
        ]
        begun = [time.monotonic()] * len(running)
        strikes = [0] * len(running)

        def stop(*_: Any) -> None:
            raise KeyboardInterrupt

        signal.signal(signal.SIGTERM, stop)
        try:
            self._wait_for(host, port, running[0])
            shown = "localhost" if host in ("127.0.0.1", "::1") else host
            self.stdout.write(
                f"Keeping up to {budget / (1 << 30):.1f} GB of results in memory (LIMUS_MEMORY changes that)."
            )
            self.stdout.write(f"Limus is ready: http://{shown}:{port}/   (Ctrl+C stops it)")
            self.stdout.flush()
            while True:
                for k, (command, given) in enumerate(commands):
                    if running[k].poll() is None:
                        continue
                    # Killed from outside it is started again; what ends by itself as soon as it is started will do so
                    # again.
                    quick = time.monotonic() - begun[k] < 10.0 and (running[k].returncode or 0) > 0
                    strikes[k] = strikes[k] + 1 if quick else 0
                    if strikes[k] == 3:
                        what = "The web server" if k == 0 else "The keeper of jobs"
                        raise CommandError(
                            f"{what} stopped as soon as it was started, three times. Its last lines above say why."
                        )
                    begun[k] = time.monotonic()
                    running[k] = subprocess.Popen(command, env=given, cwd=home, start_new_session=True)
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

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """What prepares the data folder goes one after the other, where two servers are started on it at once."""
        try:
            lock = (Path(settings.DATA_DIR) / ".starting").open("w")
        except OSError as error:
            raise CommandError(self._unusable(error)) from error
        with lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                self.stdout.write("Another server is preparing this data folder; waiting for it ...")
                self.stdout.flush()
                fcntl.flock(lock, fcntl.LOCK_EX)
            yield

    def _migrate(self) -> None:
        try:
            call_command("migrate", verbosity=0)
            with connection.cursor() as cursor:
                # A page that cannot be read is found now, and not by whoever needs it.
                if cursor.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                    raise DatabaseError("database disk image is malformed")
                cursor.execute("CREATE TABLE IF NOT EXISTS limus_start (at TEXT)")
                cursor.execute("DROP TABLE limus_start")
        except (DatabaseError, OSError) as error:
            raise CommandError(self._unusable(error)) from error

    @staticmethod
    def _unusable(error: Exception) -> str:
        """What is wrong with the data folder and what to do, in one line."""
        said = str(error).lower()
        backup = storage.last_backup()
        restore = (
            f"Put the last backup in its place: {backup}."
            if backup
            else "There is no backup that 'manage.py backup' made; see docs/operations.md."
        )
        if disk_is_full(error):
            return "The disk is full: the database cannot be opened. Make room on it, then start again."
        if "readonly" in said or "read-only" in said or "permission" in said or "unable to open" in said:
            return (
                "The database cannot be written. Give this user the right to write to the data folder (LIMUS_DATA), "
                "then start again."
            )
        if "malformed" in said or "not a database" in said or "corrupt" in said:
            return f"The database is damaged. {restore} Do not start on it again."
        return f"The database cannot be used ({error}). {restore}"

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
