"""The runner's second try: for tests of the browser, for a few of them, and never silently."""

from __future__ import annotations

import contextlib
import io
import unittest
from typing import ClassVar

from tests.runner import Runner


class SecondTry(unittest.TestCase):
    tries: ClassVar[dict[str, int]] = {}

    def case(self, name: str, passes_at: int, module: str = "tests.browser.made_up") -> unittest.TestCase:
        def test(_: unittest.TestCase) -> None:
            count = SecondTry.tries[name] = SecondTry.tries.get(name, 0) + 1
            if count < passes_at:
                raise AssertionError(f"{name} was too slow")

        return type("MadeUp", (unittest.TestCase,), {name: test, "__module__": module})(name)

    def run_all(self, *cases: unittest.TestCase) -> tuple[int, str]:
        SecondTry.tries.clear()
        runner = Runner(verbosity=0)
        runner._slow = []
        said = io.StringIO()
        with contextlib.redirect_stderr(io.StringIO()), contextlib.redirect_stdout(said):
            suite = unittest.TestSuite(cases)
            failed = runner.suite_result(suite, runner.run_suite(suite))
        return failed, said.getvalue()

    def test_one_that_passes_then_is_named(self) -> None:
        failed, said = self.run_all(self.case("test_late", 2), self.case("test_well", 1))
        self.assertEqual(failed, 0)
        self.assertIn("2 passed (1 at the second try), 0 failed", said)
        self.assertIn("test_late was too slow", said)

    def test_two_failures_are_a_failure(self) -> None:
        failed, said = self.run_all(self.case("test_wrong", 3))
        self.assertEqual((failed, SecondTry.tries["test_wrong"]), (1, 2))
        self.assertIn("0 passed, 1 failed", said)

    def test_only_the_browser_and_only_a_few(self) -> None:
        failed, _ = self.run_all(self.case("test_core", 2, "tests.core.made_up"))
        self.assertEqual((failed, SecondTry.tries["test_core"]), (1, 1))
        failed, _ = self.run_all(*[self.case(f"test_{k}", 2) for k in range(4)])
        self.assertEqual(failed, 4)
