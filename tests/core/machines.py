"""A real Dask scheduler and its workers, for tests."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from unittest import TestCase


class Machines(TestCase):
    """Scheduler and workers are processes of their own, in ``folder``; they end with the test."""

    folder: Path

    def setUp(self) -> None:
        super().setUp()
        #: What was started, in that order.
        self.running: list[subprocess.Popen[bytes]] = []

    def start(self, *command: str, **env: str) -> subprocess.Popen[bytes]:
        made = subprocess.Popen(
            [str(Path(sys.executable).with_name("dask")), *command], stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL, env={**os.environ, "LIMUS_THREADS": "1", **env}, cwd=self.folder,
            start_new_session=True,
        )  # fmt: skip

        def end() -> None:
            if made.poll() is None:
                os.killpg(made.pid, signal.SIGKILL)
            made.wait()

        self.addCleanup(end)
        self.running.append(made)
        return made

    def scheduler(self) -> str:
        """Its address."""
        where = self.folder / "scheduler.json"
        self.start(
            "scheduler", "--port", "0", "--host", "127.0.0.1", "--no-dashboard", "--no-show", "--scheduler-file",
            str(where),
        )  # fmt: skip
        deadline = time.monotonic() + 60
        while not where.exists() and time.monotonic() < deadline:
            time.sleep(0.1)
        return str(json.loads(where.read_text())["address"])

    def worker(self, address: str, **more: str) -> subprocess.Popen[bytes]:
        """One more, of one thread; ``more`` are its options."""
        options = {"nthreads": "1", "memory-limit": "1500MB", "local-directory": str(self.folder / "work"), **more}
        return self.start(
            "worker", address, "--no-dashboard", "--no-nanny", *(x for k, v in options.items() for x in (f"--{k}", v))
        )
