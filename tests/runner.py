"""Django's test runner with a data folder of its own, so that tests never touch a user's work."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connections
from django.test import runner
from django.test.runner import DiscoverRunner, ParallelTestSuite


def _timed(folder: str) -> None:
    """Note how long each test takes, in this process and in those that come from it."""
    run = unittest.TestCase.run

    def timed(self: unittest.TestCase, result: Any = None) -> Any:
        start = time.perf_counter()
        try:
            return run(self, result)
        finally:
            with (Path(folder) / f"times-{os.getpid()}").open("a") as out:
                out.write(f"{time.perf_counter() - start:.2f} {self.id()}\n")

    unittest.TestCase.run = timed  # type: ignore[method-assign]


def _slowest(folder: str, count: int = 10) -> list[str]:
    lines = [line.split(" ", 1) for path in Path(folder).glob("times-*") for line in path.read_text().splitlines()]
    return [f"{float(seconds):6.1f} s  {name}" for seconds, name in sorted(lines, key=lambda x: -float(x[0]))[:count]]


def _init_worker(*args: Any, **kwargs: Any) -> None:
    """A database and a data folder of its own for each process: ids of rows name folders in it."""
    runner._init_worker(*args, **kwargs)  # type: ignore[attr-defined]
    settings.DATA_DIR = Path(settings.DATA_DIR) / f"worker-{runner._worker_id}"  # type: ignore[attr-defined]
    settings.DATA_DIR.mkdir(parents=True, exist_ok=True)


class Suite(ParallelTestSuite):
    """One process takes a class of browser tests after the other, a second one everything else and then helps.

    Browser tests draw on the processor: many at once only wait for each other.
    """

    init_worker = _init_worker  # type: ignore[assignment]

    def __init__(self, subsuites: Any, *args: Any, **kwargs: Any) -> None:
        browser, rest = [], []
        for suite in subsuites:
            tests = list(suite)
            if tests[0].__class__.__module__.startswith("tests.browser"):
                browser.append(suite)
            else:
                rest += tests
        others = [unittest.TestSuite(rest)] if rest else []
        super().__init__([*browser[:1], *others, *browser[1:]], *args, **kwargs)


class Runner(DiscoverRunner):
    """Uploads, readings and deliveries go to a temporary folder that is removed at the end.

    A browser drawn by a processor that others share is now and then too slow for a test of it. A few that fail are tried a second time, each
    by itself; the closing lines name them, with what they said first.
    """

    parallel_test_suite = Suite
    #: More than these failing together are no chance.
    second_tries = 3

    def setup_test_environment(self, **kwargs: Any) -> None:
        """Before all tests."""
        self._folder = tempfile.mkdtemp(prefix="limus-test-")
        self._cache = os.environ.get("LIMUS_CACHE")
        settings.DATA_DIR = Path(self._folder)
        os.environ["LIMUS_CACHE"] = f"{self._folder}/readings"
        _timed(self._folder)
        super().setup_test_environment(**kwargs)

    def setup_databases(self, **kwargs: Any) -> Any:
        """The databases of the workers are copies of one file, so what still waits in its write-ahead log is written to it first."""
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
        self._slow = _slowest(self._folder)
        shutil.rmtree(self._folder, ignore_errors=True)
        if self._cache is not None:
            os.environ["LIMUS_CACHE"] = self._cache

    def run_suite(self, suite: Any, **kwargs: Any) -> Any:
        """Run the tests, then again those of the browser that failed, if they are few."""
        result = super().run_suite(suite, **kwargs)
        self._second: list[str] = []
        lists = (result.failures, result.errors)
        failed = [(kept, entry) for kept in lists for entry in kept if isinstance(entry[0], unittest.TestCase)]
        once = [(kept, entry) for kept, entry in failed if entry[0].id().startswith("tests.browser.")]
        if self.failfast or not 0 < len(once) <= self.second_tries:
            return result
        # Processes that came from this one have closed what they took along of its connection, and its files with it.
        connections.close_all()
        for kept, entry in once:
            test, said = entry
            again = unittest.TestResult()
            # A case of its own: the first one still holds what it had opened.
            unittest.TestSuite([type(test)(test._testMethodName)]).run(again)
            if again.testsRun == 1 and again.wasSuccessful() and not again.skipped:
                kept.remove(entry)
                self._second.append(f"{test.id()}\n{said}")
        return result

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        """Close with one plain line of figures."""
        if len(self._slow) > 5:
            print("\nThe slowest:\n" + "\n".join(self._slow))
        for second in self._second:
            print(f"\nPassed only at the second try: {second}")
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        late = f" ({len(self._second)} at the second try)" if self._second else ""
        print(f"\n{result.testsRun - failed - skipped} passed{late}, {failed} failed, {skipped} skipped")
        return int(super().suite_result(suite, result, **kwargs))
