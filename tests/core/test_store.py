"""What is kept in memory: once, within the budget, and the cheapest to make again goes first."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any
from unittest import TestCase, mock
from unittest.mock import patch

import numpy as np

from limus.common import store as module
from limus.common.errors import Cancelled, InputError
from limus.common.store import Store, leaves_of, memory_budget
from limus.surface.texels import Texels
from tests.core import shapes


def block(kilobytes: int) -> np.ndarray:
    return np.zeros(kilobytes << 10, np.uint8)


@dataclass
class Grows:
    """Something that gets larger after it was kept."""

    size: int = 1000
    children: tuple[Any, ...] = field(default=())

    def held(self) -> tuple[int, tuple[Any, ...]]:
        return self.size, self.children


class Keeping(TestCase):
    def test_made_once_and_given_again(self) -> None:
        store, made = Store(), []
        for _ in range(3):
            store.get("a", lambda: made.append(1) or block(1))
        self.assertEqual((len(made), store.hits, store.misses), (1, 2, 1))
        self.assertIn("a", store)

    def test_arrays_in_it_cannot_be_written(self) -> None:
        found = Store().get("a", lambda: block(1))
        with self.assertRaises(ValueError):
            found[0] = 1

    def test_two_threads_that_ask_for_one_thing_make_it_once(self) -> None:
        store, made, got = Store(), [], []
        begun = threading.Event()

        def slow() -> np.ndarray:
            made.append(1)
            begun.set()
            time.sleep(0.1)
            return block(2)

        threads = [threading.Thread(target=lambda: got.append(store.get("a", slow))) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(10)
        self.assertEqual((len(made), len(got)), (1, 6))
        self.assertTrue(all(one is got[0] for one in got))

    def test_who_waits_for_a_failure_makes_it_himself(self) -> None:
        # The first asker was superseded; the second one still wants the answer.
        store, results = Store(), []
        begun, may_fail = threading.Event(), threading.Event()

        def fails() -> np.ndarray:
            begun.set()
            may_fail.wait(5)
            raise Cancelled

        def first() -> None:
            try:
                store.get("a", fails)
            except Cancelled:
                results.append("cancelled")

        def second() -> None:
            results.append(len(store.get("a", lambda: block(1))))

        one, two = threading.Thread(target=first), threading.Thread(target=second)
        one.start()
        begun.wait(5)
        two.start()
        may_fail.set()
        one.join(5)
        two.join(5)
        self.assertEqual(sorted(map(str, results)), ["1024", "cancelled"])

    def test_no_lock_is_held_while_something_is_made(self) -> None:
        store = Store()
        inside, go_on = threading.Event(), threading.Event()

        def slow() -> np.ndarray:
            inside.set()
            go_on.wait(5)
            return block(1)

        thread = threading.Thread(target=lambda: store.get("slow", slow))
        thread.start()
        inside.wait(5)
        # Would wait for ever if it could not.
        self.assertEqual(len(store.get("quick", lambda: block(1))), 1024)
        go_on.set()
        thread.join(5)


class Budget(TestCase):
    def setUp(self) -> None:
        quiet = patch.object(module, "YOUNG", 0.0)
        quiet.start()
        self.addCleanup(quiet.stop)

    def test_never_above_the_budget(self) -> None:
        store = Store(100 << 10)
        for k in range(60):
            store.get(str(k), lambda: block(7))
            self.assertLessEqual(store.used, store.budget)
        self.assertIsNone(store.peek("0"))
        self.assertIsNotNone(store.peek("59"))

    def test_the_cheapest_to_make_again_goes_first(self) -> None:
        store = Store(100 << 10)
        store.put("dear", block(30), cost=5.0)
        for k in range(20):
            store.put(f"cheap {k}", block(30), cost=0.001)
        self.assertIsNotNone(store.peek("dear"))

    def test_but_not_for_ever(self) -> None:
        # GreedyDual: what is never used again grows old.
        store = Store(100 << 10)
        store.put("dear", block(30), cost=0.01)
        for k in range(200):
            store.put(f"cheap {k}", block(30), cost=0.001)
        self.assertIsNone(store.peek("dear"))

    def test_too_large_is_given_but_not_kept(self) -> None:
        store = Store(10 << 10)
        self.assertEqual(len(store.get("a", lambda: block(20))), 20 << 10)
        self.assertNotIn("a", store)

    def test_what_two_results_share_counts_once(self) -> None:
        store, whole = Store(), block(64)
        store.put("a", (whole, block(1)))
        before = store.used
        store.put("b", {"the same": whole[10:], "more": [whole]})
        self.assertLess(store.used - before, 2000)
        store.put("a", b"")
        # "b" still holds it.
        self.assertGreater(store.used, 64 << 10)
        store.put("b", b"")
        self.assertLess(store.used, 2000)

    def test_what_grows_is_weighed_again(self) -> None:
        store, thing = Store(100_000), Grows()
        store.put("a", thing)
        thing.size = 90_000
        store.peek("a")
        self.assertGreater(store.used, 90_000)
        store.put("b", block(20))
        self.assertLessEqual(store.used, store.budget)

    def test_texels_weigh_what_they_hold(self) -> None:
        texels = Texels.of(shapes.box(0.2), 128)
        bare = texels.held()[0]
        self.assertGreaterEqual(bare, texels.position.nbytes + texels.normal.nbytes + texels.area.nbytes)
        _ = texels.stencil, texels.fill_index
        # What hangs on triangles is kept.
        _ = texels.tangent, texels.step_of_triangle
        whole = texels.held()[0]
        self.assertGreater(whole, bare + texels.fill_index.nbytes)
        # The rest is made when it is asked for.
        _ = texels.links, texels.tangent, texels.page_xy, texels.island, texels.part, texels.shell, texels.index
        self.assertEqual(texels.held()[0], whole)

    def test_a_texel_is_lean(self) -> None:
        mesh, size = shapes.box(0.2), 512
        texels = Texels.of(mesh, size)
        _ = texels.stencil, texels.fill_index, texels.texel_mm
        # With all that is kept, gutters and pixels off the surface among it.
        self.assertLess(texels.held()[0] / len(texels), 60.0)
        # The mesh is a thing of its own, shared with other resolutions.
        self.assertIn(id(texels.mesh), [leaf for leaf, _, _ in leaves_of(texels)])

    def test_just_announced_is_not_let_go(self) -> None:
        with patch.object(module, "YOUNG", 60.0):
            store = Store(100 << 10)
            store.put("old", block(40), cost=9.0)
            store._kept["old"].used_at -= 100
            store.put("announced", block(40), cost=0.0001)
            store.put("next", block(40), cost=0.001)
            self.assertIn("announced", store)
            self.assertNotIn("old", store)


class Setting(TestCase):
    def test_sizes(self) -> None:
        self.assertEqual(memory_budget("2G"), 2 << 30)
        self.assertEqual(memory_budget("1500M"), 1500 << 20)
        self.assertEqual(memory_budget("1.5gb"), 3 << 29)
        self.assertEqual(memory_budget(str(1 << 28)), 1 << 28)

    def test_bad_sizes_say_what_would_be_right(self) -> None:
        for bad in ("much", "12", "-4G", "1e400", "4X", "nan"):
            with self.assertRaisesRegex(InputError, "LIMUS_MEMORY"):
                memory_budget(bad)


class Passing(TestCase):
    """Steps of a drag leave results that nobody comes back for; those go before what is in use."""

    def test_what_was_come_back_for_outlives_the_steps_of_drags(self) -> None:
        with mock.patch("limus.common.store.PASSED", 0.0), mock.patch("limus.common.store.YOUNG", 0.0):
            store = Store(1_000_000)
            with store.visit():
                store.get("mask", lambda: np.zeros(100_000, np.uint8))
            for k in range(30):
                with store.visit():
                    store.get("mask", lambda: self.fail("it went, though every step needs it"))
                    # Dear to make for its bytes, and never asked for again.
                    store.put(f"step {k}", np.zeros(200_000, np.uint8), 10.0)
                    time.sleep(0.002)
            self.assertIn("mask", store)
            self.assertIn("step 29", store)
            self.assertLessEqual(store.used, store.budget)

    def test_what_was_promised_stays_until_it_is_fetched(self) -> None:
        store = Store(300_000)
        store.put("promised", np.zeros(250_000, np.uint8), 0.0, pinned=30.0)
        store.put("too large for the budget", np.zeros(900_000, np.uint8), 0.0, pinned=30.0)
        for k in range(5):
            store.put(f"other {k}", np.zeros(200_000, np.uint8), 5.0)
        self.assertIn("promised", store)
        self.assertIn("too large for the budget", store)
        store.unpin("promised")
        store.unpin("too large for the budget")
        with mock.patch("limus.common.store.YOUNG", 0.0):
            store.put("one more", np.zeros(200_000, np.uint8), 5.0)
        self.assertNotIn("too large for the budget", store)
        self.assertLessEqual(store.used, store.budget)
