"""Workers that can begin something, by what a scheduler says of them."""

from __future__ import annotations

from typing import Any
from unittest import TestCase, mock

from limus.afar.able import Able
from limus.batch.far import _Watch
from limus.common.errors import InputError


def said(**workers: tuple[str, int]) -> dict[str, Any]:
    """What a scheduler says of workers: status, and how much is under way."""
    return {
        name: {"status": status, "nthreads": 2, "metrics": {"task_counts": {"executing": count}}}
        for name, (status, count) in workers.items()
    }


class Counting(TestCase):
    def setUp(self) -> None:
        self.now = 100.0
        clock = mock.patch("time.monotonic", lambda: self.now)
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

    def test_a_batch_ends_when_nobody_can_begin_anything_any_more(self) -> None:
        three = {"a": ("paused", 1)}
        with mock.patch("limus.batch.far.workers_of", lambda client: said(**three)):
            watch = _Watch(None)
            for _ in range(40):
                self.now += 5
                watch.look()
            three["a"] = ("paused", 0)
            for _ in range(11):
                self.now += 5
                watch.look()
            self.now += 10
            with self.assertRaisesRegex(InputError, "no worker has the memory"):
                watch.look()

    def test_a_batch_waits_a_while_for_workers_that_come_again(self) -> None:
        three: dict[str, tuple[str, int]] = {}
        with mock.patch("limus.batch.far.workers_of", lambda client: said(**three)):
            watch = _Watch(None)
            self.now += 50
            watch.look()
            three["a"] = ("running", 0)
            self.now += 50
            watch.look()
            three.clear()
            self.now += 50
            watch.look()
            self.now += 20
            with self.assertRaisesRegex(InputError, "all workers are gone"):
                watch.look()

    def test_a_scheduler_that_does_not_answer_has_no_workers(self) -> None:
        with mock.patch("limus.batch.far.workers_of", side_effect=OSError("gone")):
            watch = _Watch(None)
            watch.look()
            self.now += 61
            with self.assertRaisesRegex(InputError, "or their scheduler"):
                watch.look()
