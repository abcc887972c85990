"""Django's test runner with a data folder of its own, so that tests never touch a user's work."""

from __future__ import annotations

import bisect
import itertools
import json
import os
import shutil
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connections
from django.test import SimpleTestCase, runner
from django.test.runner import DiscoverRunner, ParallelTestSuite

#: Seconds that each class took when it was recorded (`make times`).
TIMES = Path(__file__).with_name("times.json")
#: Taken for one that was not.
UNKNOWN = 20.0
#: What a process of tests keeps in memory: several run side by side.
MEMORY = "1500M"
#: Resolution at which readings are measured.
READINGS = 128


def _timed(folder: str) -> None:
    """Note how long each test takes, and what a class does before and after its tests, in this process and in those
    that come from it.
    """
    run, around = unittest.TestCase.run, SimpleTestCase._setup_and_call  # type: ignore[attr-defined]

    def note(start: float, name: str) -> None:
        with (Path(folder) / f"times-{os.getpid()}").open("a") as out:
            out.write(f"{time.perf_counter() - start:.2f} {name}\n")

    def timed(self: unittest.TestCase, result: Any = None) -> Any:
        if isinstance(self, SimpleTestCase):
            return run(self, result)
        start = time.perf_counter()
        try:
            return run(self, result)
        finally:
            note(start, self.id())

    def timed_with_rows(self: SimpleTestCase, *args: Any, **kwargs: Any) -> Any:
        # Django empties its tables outside of `run`.
        start = time.perf_counter()
        try:
            return around(self, *args, **kwargs)
        finally:
            note(start, self.id())

    unittest.TestCase.run = timed  # type: ignore[method-assign]
    SimpleTestCase._setup_and_call = timed_with_rows  # type: ignore[attr-defined]
    for hook, word in (("_handleClassSetUp", "before"), ("_tearDownPreviousClass", "after")):
        whole = getattr(unittest.TestSuite, hook)

        def between(self: Any, test: Any, result: Any, *, whole: Any = whole, word: str = word) -> Any:
            start, last = time.perf_counter(), getattr(result, "_previousTestClass", None)
            try:
                return whole(self, test, result)
            finally:
                of = last if word == "after" else type(test)
                if of is not None and time.perf_counter() - start > 0.05:
                    note(start, f"{of.__module__}.{of.__qualname__}.({word})")

        setattr(unittest.TestSuite, hook, between)


def _times(folder: str) -> list[tuple[float, str]]:
    """(seconds, id) of every test that ran, the slowest first."""
    lines = [line.split(" ", 1) for path in Path(folder).glob("times-*") for line in path.read_text().splitlines()]
    return sorted(((float(seconds), name) for seconds, name in lines), reverse=True)


def _class_of(test: unittest.TestCase) -> str:
    return f"{type(test).__module__}.{type(test).__qualname__}"


def _init_worker(*args: Any, **kwargs: Any) -> None:
    """A database and a data folder of its own for each process: ids of rows name folders in it."""
    runner._init_worker(*args, **kwargs)  # type: ignore[attr-defined]
    settings.DATA_DIR = Path(settings.DATA_DIR) / f"worker-{runner._worker_id}"  # type: ignore[attr-defined]
    settings.DATA_DIR.mkdir(parents=True, exist_ok=True)


class Suite(ParallelTestSuite):
    """Classes of tests, those that took longest the last time first, each taken by whichever process is free: both
    end together.

    Those with a browser come in two parts, which share it, and the second when the first should be through: two
    browsers that draw at the same time get in each other's way.
    """

    init_worker = _init_worker  # type: ignore[assignment]

    def __init__(self, subsuites: Any, *args: Any, **kwargs: Any) -> None:
        took: dict[str, float] = json.loads(TIMES.read_text()) if TIMES.exists() else {}

        def seconds(suite: Any) -> float:
            # One that nobody timed yet may be long.
            return took.get(_class_of(next(iter(suite))), UNKNOWN)

        def drives(suite: Any) -> bool:
            return ".browser." in _class_of(next(iter(suite)))

        ordered = sorted(subsuites, key=seconds, reverse=True)
        queue = [suite for suite in ordered if not drives(suite)]
        browsers = [suite for suite in ordered if drives(suite)]
        if browsers:
            # Loaded where there is something to drive a browser.
            from tests.browser.base import Together

            halves = [browsers[::2], browsers[1::2]]
            meanwhile = list(itertools.accumulate(map(seconds, queue)))
            second = bisect.bisect(meanwhile, sum(map(seconds, halves[0])))
            queue[second:second] = [Together(itertools.chain.from_iterable(halves[1]))]
            queue.insert(0, Together(itertools.chain.from_iterable(halves[0])))
        super().__init__(queue, *args, **kwargs)


class Runner(DiscoverRunner):
    """Uploads, readings and deliveries go to a temporary folder that is removed at the end."""

    parallel_test_suite = Suite

    def setup_test_environment(self, **kwargs: Any) -> None:
        """Before all tests."""
        self._folder = tempfile.mkdtemp(prefix="limus-test-")
        self._cache = os.environ.get("LIMUS_CACHE")
        settings.DATA_DIR = Path(self._folder)
        os.environ["LIMUS_CACHE"] = f"{self._folder}/readings"
        os.environ.setdefault("LIMUS_MEMORY", MEMORY)
        # For tests that say nothing else, and for the servers that tests start.
        os.environ["LIMUS_READINGS_RESOLUTION"] = str(READINGS)
        settings.READINGS_RESOLUTION = READINGS
        # Two users for each of hundreds of tests: a hash that is to be slow would be half of what some of them take.
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher", *settings.PASSWORD_HASHERS]
        _timed(self._folder)
        super().setup_test_environment(**kwargs)

    def setup_databases(self, **kwargs: Any) -> Any:
        """The databases of the workers are copies of one file, so what still waits in its write-ahead log is written
        to it first.
        """
        count, self.parallel = self.parallel, 0
        try:
            config = super().setup_databases(**kwargs)
        finally:
            self.parallel = count
        if count > 1:
            for connection in connections.all():
                with connection.cursor() as cursor:
                    cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
                for k in range(count):
                    # A run that was killed leaves its log behind, and the copy would take it for its own.
                    name = connection.creation.get_test_db_clone_settings(str(k + 1))["NAME"]
                    for ending in ("", "-wal", "-shm"):
                        Path(f"{name}{ending}").unlink(missing_ok=True)
                    connection.creation.clone_test_db(suffix=str(k + 1), verbosity=0)
        return config

    def teardown_test_environment(self, **kwargs: Any) -> None:
        """After all tests."""
        super().teardown_test_environment(**kwargs)
        self._took = _times(self._folder)
        shutil.rmtree(self._folder, ignore_errors=True)
        if self._cache is not None:
            os.environ["LIMUS_CACHE"] = self._cache

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        """Close with one plain line of figures."""
        kept = os.environ.get("LIMUS_TIMES_FILE")
        if kept:
            Path(kept).write_text("".join(f"{seconds:8.2f}  {name}\n" for seconds, name in self._took))
        if len(self._took) > 5:
            print("\nThe slowest:\n" + "\n".join(f"{seconds:6.1f} s  {name}" for seconds, name in self._took[:10]))
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        print(f"\n{result.testsRun - failed - skipped} passed, {failed} failed, {skipped} skipped")
        if os.environ.get("LIMUS_TIMES") and not failed:
            self._record()
        return int(super().suite_result(suite, result, **kwargs))

    def _record(self) -> None:
        """Note what each class took, for the next time."""
        sums: dict[str, float] = {}
        for seconds, name in self._took:
            of = name.rsplit(".", 1)[0]
            sums[of] = sums.get(of, 0.0) + seconds
        rounded = {name: round(seconds, 1) for name, seconds in sums.items() if seconds >= 1}
        TIMES.write_text(json.dumps(dict(sorted(rounded.items())), indent=0) + "\n")
