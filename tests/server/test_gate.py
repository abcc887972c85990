"""Who is answered next."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from unittest import TestCase

from limus.common.errors import Cancelled
from server.projects.gate import LARGE, Gate, Lane


class Waiting(TestCase):
    """One slot, held until everybody is in the queue; then the order in which they come through tells."""

    def setUp(self) -> None:
        self.order: list[str] = []

    def run_through(self, gate: Gate, *asks: tuple[str, int, Callable[[], bool]]) -> list[str]:
        go_on, threads = threading.Event(), []

        def hold() -> None:
            with gate.turn(512, lambda: True):
                go_on.wait(10)

        def ask(name: str, resolution: int, gone: Callable[[], bool]) -> None:
            try:
                with gate.turn(resolution, lambda: True, gone):
                    self.order.append(name)
            except Cancelled:
                self.order.append(f"{name} dropped")

        first = threading.Thread(target=hold)
        first.start()
        time.sleep(0.05)
        for name, resolution, gone in asks:
            thread = threading.Thread(target=ask, args=(name, resolution, gone))
            thread.start()
            threads.append(thread)
            time.sleep(0.02)
        go_on.set()
        for thread in (first, *threads):
            thread.join(10)
        return self.order

    def test_small_answers_go_before_large_ones(self) -> None:
        here = lambda: False  # noqa: E731
        got = self.run_through(Gate(1), ("large", 1024, here), ("small", 512, here), ("other small", 256, here))
        self.assertEqual(got, ["small", "other small", "large"])

    def test_what_a_tab_has_moved_on_from_never_starts(self) -> None:
        gate = Gate(1)
        gate.newest(1, "tab", 7)
        got = self.run_through(
            gate,
            ("old", 512, lambda: gate.moved_on(1, "tab", 6)),
            ("new", 512, lambda: gate.moved_on(1, "tab", 7)),
            ("of another tab", 512, lambda: gate.moved_on(1, "other", 3)),
        )
        # What is dropped takes no turn; when its own thread says so is its own affair.
        self.assertEqual([one for one in got if "dropped" not in one], ["new", "of another tab"])
        self.assertEqual([one for one in got if "dropped" in one], ["old dropped"])

    def test_a_large_one_does_not_wait_for_ever(self) -> None:
        lane = Lane(1)
        with lane.turn(0.0, lambda: False):
            threads = []
            for name, due in (("late small", 10.0), ("old large", 2.0)):

                def ask(name: str = name, due: float = due) -> None:
                    with lane.turn(due, lambda: False):
                        self.order.append(name)

                threads.append(threading.Thread(target=ask))
                threads[-1].start()
                time.sleep(0.02)
        for thread in threads:
            thread.join(10)
        self.assertEqual(self.order, ["old large", "late small"])


class Lanes(TestCase):
    def test_cold_work_does_not_stop_warm_work(self) -> None:
        gate = Gate(1)
        go_on, inside = threading.Event(), threading.Event()

        def cold() -> None:
            with gate.turn(512, lambda: False):
                inside.set()
                go_on.wait(10)

        thread = threading.Thread(target=cold)
        thread.start()
        inside.wait(5)
        self.assertTrue(self.comes_through(gate, 512, warm=True))
        # A second cold one waits.
        self.assertFalse(self.comes_through(gate, 512, warm=False, within=0.2))
        go_on.set()
        thread.join(5)

    def comes_through(self, gate: Gate, resolution: int, *, warm: bool, within: float = 5.0) -> bool:
        """Whether somebody who asks now has a turn, without waiting here for ever where not."""
        done = threading.Event()

        def ask() -> None:
            with gate.turn(resolution, lambda: warm):
                done.set()

        threading.Thread(target=ask, daemon=True).start()
        return done.wait(within)

    def test_what_takes_seconds_is_no_warm_work(self) -> None:
        gate = Gate(1)
        with gate.turn(LARGE, lambda: True):
            self.assertTrue(self.comes_through(gate, 512, warm=True))
            self.assertFalse(self.comes_through(gate, LARGE, warm=True, within=0.2))

    def test_a_slot_comes_back_after_an_error(self) -> None:
        gate = Gate(1)
        for _ in range(3):
            with self.assertRaises(ValueError), gate.turn(512, lambda: True):
                raise ValueError
        with self.assertRaises(Cancelled), gate.turn(512, lambda: True, lambda: True):
            pass
        self.assertTrue(self.comes_through(gate, 512, warm=True))
        # And one slot it is.
        with gate.turn(512, lambda: True):
            self.assertFalse(self.comes_through(gate, 512, warm=True, within=0.2))

    def test_tabs_are_forgotten_in_the_end(self) -> None:
        gate = Gate(1)
        for k in range(600):
            gate.newest(1, f"tab {k}", 1)
        self.assertFalse(gate.moved_on(1, "tab 0", 0))
        self.assertTrue(gate.moved_on(1, "tab 599", 0))


class Fair(TestCase):
    """Turns go round by person, then by tab; who begins after a rest goes first."""

    def order(self, asks: list[tuple[int | None, str]], *, busy: tuple[int, ...] = ()) -> list[str]:
        """Names in the order of their turns, asked one after the other while the one slot is held; ``busy`` had a
        turn just before.
        """
        lane, out, threads = Lane(1), [], []
        for person in busy:
            with lane.turn(0.0, lambda: False, person, "a"):
                pass
        with lane.turn(0.0, lambda: False):
            for person, tab in asks:

                def ask(person: int | None = person, tab: str = tab) -> None:
                    with lane.turn(0.0, lambda: False, person, tab):
                        out.append(f"{person}{tab}")
                        time.sleep(0.01)

                threads.append(threading.Thread(target=ask))
                threads[-1].start()
                time.sleep(0.02)
        for thread in threads:
            thread.join(10)
        return out

    def test_many_requests_of_one_person_do_not_hold_up_another(self) -> None:
        got = self.order([(1, "a"), (1, "b"), (1, "c"), (2, "a")], busy=(1, 2))
        # A tab that had no turn yet, then the other person, whose one request came last.
        self.assertEqual(got[:2], ["1b", "2a"])
        # Of one person's tabs each in its turn.
        got = self.order([(1, "a"), (1, "a"), (1, "b")], busy=(1,))
        self.assertEqual(got, ["1b", "1a", "1a"])

    def test_who_rested_goes_first(self) -> None:
        got = self.order([(1, "a"), (2, "a"), (3, "a")], busy=(1, 2))
        self.assertEqual(got[0], "3a")
        # With one request: what else they ask meanwhile takes its turn.
        got = self.order([(3, "a"), (3, "b"), (1, "a")], busy=(1, 2))
        self.assertEqual(got, ["3a", "1a", "3b"])
        # Others who wait are no reason not to have rested.
        got = self.order([(1, "a"), (3, "a")], busy=(1,))
        self.assertEqual(got, ["3a", "1a"])

    def test_what_nobody_waits_for_goes_last(self) -> None:
        got = self.order([(None, ""), (1, "a"), (2, "a")], busy=(1, 2))
        self.assertEqual(got, ["1a", "2a", "None"])

    def test_a_slider_does_not_wait_for_tiles_and_those_take_turns(self) -> None:
        """Two slots, and the tiles of two people who have come near: one slot is always there for people, and of the
        tiles the one that came first goes first.
        """
        lane, out = Lane(2), queue.Queue[str]()
        goes_on = {tab: threading.Event() for tab in ("a", "b", "a again")}

        def near(tab: str) -> None:
            with lane.turn(0.0, lambda: False, None, tab[0]):
                out.put(tab)
                goes_on[tab].wait(10)

        threads = [threading.Thread(target=near, args=(tab,)) for tab in goes_on]
        threads[0].start()
        self.assertEqual(out.get(timeout=10), "a")
        for thread, there in zip(threads[1:], (1, 2), strict=True):
            thread.start()
            self.until(lambda there=there: len(lane._waiting) == there)  # type: ignore[misc]
        slider = threading.Thread(target=lambda: self.slid(lane, out))
        slider.start()
        # At once, while the first tile is still being drawn.
        self.assertEqual(out.get(timeout=10), "slider")
        slider.join(10)
        self.assertTrue(out.empty())
        goes_on["a"].set()
        self.assertEqual(out.get(timeout=10), "b")
        self.assertTrue(out.empty())
        goes_on["b"].set()
        self.assertEqual(out.get(timeout=10), "a again")
        goes_on["a again"].set()
        for thread in threads:
            thread.join(10)
        # All slots are free again.
        self.assertEqual((lane._free, lane._behind), (2, 1))

    @staticmethod
    def slid(lane: Lane, out: queue.Queue[str]) -> None:
        with lane.turn(0.0, lambda: False, 1, "slider"):
            out.put("slider")

    def until(self, holds: Callable[[], bool]) -> None:
        limit = time.monotonic() + 10
        while not holds():
            self.assertLess(time.monotonic(), limit)
            time.sleep(0.001)

    def test_with_one_slot_tiles_come_all_the_same(self) -> None:
        self.assertEqual(self.order([(None, "x"), (None, "y")]), ["Nonex", "Noney"])

    def test_nobody_waits_longer_than_once_round(self) -> None:
        # Five who ask again at once: between two turns of one, everybody else has exactly one.
        lane, out = Lane(1), []
        lock, end = threading.Lock(), time.monotonic() + 1.5

        def busy(person: int) -> None:
            while time.monotonic() < end:
                with lane.turn(0.0, lambda: False, person, "a"):
                    with lock:
                        out.append(person)
                    time.sleep(0.01)

        threads = [threading.Thread(target=busy, args=(k,)) for k in range(5)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(10)
        settled = out[10:-10]
        self.assertGreater(len(settled), 30)
        for k in range(len(settled) - 5):
            between = (
                settled[k + 1 : k + 1 + settled[k + 1 :].index(settled[k])] if settled[k] in settled[k + 1 :] else []
            )
            self.assertLessEqual(len(between), 5, settled[k : k + 8])
