"""Workers that can begin something, by what a scheduler says of them."""

from __future__ import annotations

from typing import Any
from unittest import TestCase, mock

from limus.afar.able import Able


def said(**workers: tuple[str, int]) -> dict[str, Any]:
    """What a scheduler says of workers: status, and how much is under way."""
    return {
        name: {"status": status, "nthreads": 2, "metrics": {"task_counts": {"executing": count}}}
        for name, (status, count) in workers.items()
    }


class Counting(TestCase):
    def setUp(self) -> None:
        self.now = 100.0
        clock = mock.patch("limus.afar.able.time.monotonic", lambda: self.now)
        clock.start()
        self.addCleanup(clock.stop)

    def test_one_that_is_paused_and_does_nothing_is_not_counted_after_a_while(self) -> None:
        able, three = Able(10.0), {"a": ("running", 0), "b": ("paused", 0), "c": ("paused", 1)}
        self.assertEqual(able.threads(said(**three)), {"a": 2, "b": 2, "c": 2})
        self.now += 9
        self.assertEqual(able.threads(said(**three)), {"a": 2, "b": 2, "c": 2})
        self.now += 2
        # What runs there may end and free its memory.
        self.assertEqual(able.threads(said(**three)), {"a": 2, "c": 2})
        three["b"] = ("running", 0)
        self.assertEqual(set(able.threads(said(**three))), {"a", "b", "c"})
        three["b"] = ("paused", 0)
        self.assertEqual(set(able.threads(said(**three))), {"a", "b", "c"})

    def test_nobody(self) -> None:
        self.assertEqual(Able(1.0).threads({}), {})
