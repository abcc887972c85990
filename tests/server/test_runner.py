"""The runner: nothing is tried twice, and what takes longest is begun first."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar
from unittest import mock

from tests import runner
from tests.runner import Runner, Suite


def made_up(name: str, module: str = "tests.made_up") -> type[unittest.TestCase]:
    def test(_: unittest.TestCase) -> None:
        return None

    return type(name, (unittest.TestCase,), {"test_it": test, "__module__": module, "__qualname__": name})


class Reporting(unittest.TestCase):
    tries: ClassVar[list[str]] = []

    def test_a_test_that_fails_is_a_failure_at_once(self) -> None:
        def wrong(_: unittest.TestCase) -> None:
            Reporting.tries.append("once")
            raise AssertionError("wrong")

        case = type("Wrong", (unittest.TestCase,), {"test_it": wrong, "__module__": "tests.browser.made_up"})("test_it")
        made = Runner(verbosity=0)
        made._took = []
        said = io.StringIO()
        with contextlib.redirect_stderr(io.StringIO()), contextlib.redirect_stdout(said):
            suite = unittest.TestSuite([case, made_up("Well")("test_it")])
            failed = made.suite_result(suite, made.run_suite(suite))
        self.assertEqual((failed, self.tries), (1, ["once"]))
        self.assertIn("1 passed, 1 failed, 0 skipped", said.getvalue())


class Queue(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        patch = mock.patch.object(runner, "TIMES", Path(folder.name) / "times.json")
        patch.start()
        self.addCleanup(patch.stop)

    def test_the_longest_go_first_and_what_nobody_timed_may_be_long(self) -> None:
        runner.TIMES.write_text(json.dumps({"tests.made_up.Short": 2.0, "tests.made_up.Long": 200.0}))
        suites = [unittest.TestSuite([made_up(name)("test_it")]) for name in ("Short", "New", "Long")]
        made = Suite(suites, 2)
        self.assertEqual([type(next(iter(s))).__name__ for s in made.subsuites], ["Long", "New", "Short"])

    def test_what_was_taken_is_noted_by_class(self) -> None:
        made = Runner(verbosity=0)
        made._took = [(70.04, "tests.a.Long.test_x"), (3.0, "tests.a.Long.test_y"), (0.2, "tests.a.Short.test_x")]
        made._record()
        self.assertEqual(json.loads(runner.TIMES.read_text()), {"tests.a.Long": 73.0})
