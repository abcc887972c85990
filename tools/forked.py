"""Tests in a process that has everything loaded but the room that is looked at: what `tools/mutate.py` runs them in.

A process that begins from nothing takes longer to load what the project stands on than most tests take.
"""

from __future__ import annotations

import os
import signal
import sys
import time
import traceback
import unittest
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import coverage


@dataclass(frozen=True)
class Seen:
    """What each test of a room ran, and how long it took."""

    #: File (relative) -> line -> ids of the tests that ran it; lines that run as a module is loaded are with "".
    lines: dict[str, dict[int, set[str]]]
    #: Id of a test -> seconds.
    seconds: dict[str, float]

    def of(self, path: str, first: int, last: int) -> list[str]:
        """Ids of the tests that may notice a change of these lines, the quickest first.

        Lines that run when the module is loaded may be noticed by whatever runs anything of the file, and after those
        by any other: a limit of a field is looked at by a library.
        """
        of_file = self.lines.get(path, {})
        found = set().union(*(of_file.get(line, set()) for line in range(first, last + 1)))
        more: set[str] = set()
        if "" in found or not found:
            found = set().union(*of_file.values()) if of_file else set()
            more = set(self.seconds) - found

        def quickest(names: set[str]) -> list[str]:
            return sorted(names - {""}, key=lambda name: self.seconds.get(name, 0.0))

        return quickest(found) + quickest(more)


@dataclass
class Under:
    """A process under way."""

    pid: int
    #: When it has taken too long, by the monotonic clock.
    until: float


def begun(run: Callable[[], int], copy: Path, log: Path, patience: float) -> Under:
    """Fork, and let the child end with what ``run`` returns; its words go to ``log``."""
    pid = os.fork()
    if pid:
        return Under(pid, time.monotonic() + patience)
    code = 1
    try:
        os.setpgid(0, 0)
        out = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        os.dup2(out, 1)
        os.dup2(out, 2)
        os.chdir(copy)
        sys.path.insert(0, str(copy))
        os.environ["LIMUS_DATA"] = str(log.with_suffix(".data"))
        os.environ["LIMUS_CACHE"] = str(log.with_suffix(".data") / "readings")
        code = run()
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def ended(under: Under) -> int | None:
    """Exit code; 99 where it took too long and was ended; ``None`` while it runs."""
    pid, status = os.waitpid(under.pid, os.WNOHANG)
    if pid:
        return os.waitstatus_to_exitcode(status)
    if time.monotonic() < under.until:
        return None
    try:
        os.killpg(under.pid, signal.SIGKILL)
    except ProcessLookupError:
        os.kill(under.pid, signal.SIGKILL)
    os.waitpid(under.pid, 0)
    return 99


def tested(names: list[str]) -> int:
    """Run these tests by Django's runner up to the first that fails; how many failed."""
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    django.setup()
    from django.conf import settings
    from django.test.utils import get_runner

    runner = get_runner(settings)(verbosity=1, interactive=False, failfast=True, parallel=0)
    return min(int(runner.run_tests(names)), 1)


def watched(names: list[str], room: str, into: Path) -> int:
    """Run all of these tests, and write what lines of the room each of them ran to ``into`` (see :func:`read`)."""
    import django

    seconds: dict[str, float] = {}
    cover = coverage.Coverage(data_file=str(into), source=[room], messages=False)
    cover.start()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    django.setup()
    from django.conf import settings
    from django.test.utils import get_runner

    start, stop = unittest.TestResult.startTest, unittest.TestResult.stopTest
    clock: dict[str, float] = {}

    def begins(self: unittest.TestResult, test: unittest.TestCase) -> None:
        cover.switch_context(test.id())
        clock[test.id()] = time.perf_counter()
        start(self, test)

    def ends(self: unittest.TestResult, test: unittest.TestCase) -> None:
        stop(self, test)
        seconds[test.id()] = time.perf_counter() - clock[test.id()]
        cover.switch_context("")

    unittest.TestResult.startTest = begins  # type: ignore[method-assign]
    unittest.TestResult.stopTest = ends  # type: ignore[method-assign]
    runner = get_runner(settings)(verbosity=1, interactive=False, parallel=0)
    failed = int(runner.run_tests(names))
    cover.stop()
    cover.save()
    into.with_suffix(".seconds").write_text("".join(f"{took:.3f} {name}\n" for name, took in seconds.items()))
    return min(failed, 1)


def read(kept: Path, copy: Path) -> Seen:
    """What :func:`watched` wrote."""
    data = coverage.CoverageData(str(kept))
    data.read()
    lines = {
        str(Path(path).relative_to(copy)): {line: set(names) for line, names in data.contexts_by_lineno(path).items()}
        for path in data.measured_files()
    }
    rows = [row.split(" ", 1) for row in kept.with_suffix(".seconds").read_text().splitlines()]
    return Seen(lines, {name: float(took) for took, name in rows})
