"""Small tools that everything stands on: sharing out work, keys, errors, fields, discovery."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Literal
from unittest import TestCase

import numpy as np
from pydantic import ValidationError

from limus import effects, readings
from limus.common.errors import InputError
from limus.common.fields import Document, choice, colour, number, switch
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.parallel import WORKERS, for_ranges, map_blocks
from limus.common.registry import discover, kind_of
from limus.effects.effect import Effect
from limus.readings.reading import READS, Reading, asks_weather


@kernel
def _square(start, end, values, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = values[i] * values[i]


class Sharing(TestCase):
    def test_every_item_once_on_any_share(self) -> None:
        for count in (0, 1, 100, 8192 * 3 + 7, 200_000):
            values = np.arange(count, dtype=np.float32)
            out = np.full(count, -1, np.float32)
            for_ranges(_square, count, values, out)
            np.testing.assert_array_equal(out, values * values)
            out[:] = -1
            for_ranges(_square, count, values, out, smallest=1)
            np.testing.assert_array_equal(out, values * values)

    def test_several_callers_at_once(self) -> None:
        # Request threads share one pool; none may wait for ever.
        values = np.arange(100_000, dtype=np.float32)
        results: list[bool] = []

        def work() -> None:
            for _ in range(5):
                out = np.empty_like(values)
                for_ranges(_square, len(values), values, out)
                results.append(bool((out == values * values).all()))

        threads = [threading.Thread(target=work) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        self.assertEqual(results, [True] * 30)

    def test_a_block_may_share_out_work_itself(self) -> None:
        values = np.arange(50_000, dtype=np.float32)

        def block(k: int) -> float:
            out = np.empty_like(values)
            for_ranges(_square, len(values), values, out)
            return float(out[k])

        self.assertEqual(map_blocks(block, list(range(40))), [float(k * k) for k in range(40)])
        self.assertGreaterEqual(WORKERS, 1)

    def test_an_error_in_a_block_comes_out(self) -> None:
        def block(k: int) -> int:
            if k == 3:
                raise InputError("bad block")
            return k

        with self.assertRaises(InputError):
            map_blocks(block, list(range(8)))


class Keys(TestCase):
    def test_order_of_fields_does_not_matter_but_values_do(self) -> None:
        self.assertEqual(key_of({"a": 1, "b": 2}), key_of({"b": 2, "a": 1}))
        self.assertNotEqual(key_of({"a": 1}), key_of({"a": 2}))
        self.assertNotEqual(key_of("ab", "c"), key_of("a", "bc"))

    def test_arrays_count_by_type_shape_and_bytes(self) -> None:
        a = np.arange(6, dtype=np.float32)
        self.assertEqual(key_of(a), key_of(a.copy()))
        self.assertNotEqual(key_of(a), key_of(a.reshape(2, 3)))
        self.assertNotEqual(key_of(a), key_of(a.astype(np.float64)))
        self.assertEqual(len(key_of(a)), 32)


class Errors(TestCase):
    def test_one_line_with_place_and_remedy(self) -> None:
        error = InputError("is too long", where="cup.glb: meshes[0]", remedy="Make it shorter")
        self.assertEqual(error.line, "cup.glb: meshes[0]: is too long. Make it shorter.")
        self.assertEqual(InputError("is odd").line, "is odd.")
        self.assertEqual(error.as_dict()["where"], "cup.glb: meshes[0]")


class _Sample(Document):
    size_mm: float = number(4.0, "Size", "mm", 0.1, 100.0, (1.0, 50.0), "How large", log=True, place="amount")
    tint: tuple[float, float, float] = colour((0.1, 0.2, 0.3), "Tint")
    mode: Literal["a", "b"] = choice("a", "Mode", a="first", b="second", hints={"when": {"loud": True}})
    loud: bool = switch(False, "Loud")


class Fields(TestCase):
    def test_schema_carries_what_the_interface_needs(self) -> None:
        fields = _Sample.model_json_schema()["properties"]
        size = fields["size_mm"]
        self.assertEqual(
            (size["control"], size["unit"], size["soft"], size["scale"], size["place"]),
            ("slider", "mm", [1.0, 50.0], "log", "amount"),
        )
        self.assertEqual((size["minimum"], size["maximum"], size["description"]), (0.1, 100.0, "How large"))
        self.assertEqual((fields["tint"]["control"], fields["loud"]["control"]), ("colour", "switch"))
        self.assertEqual(
            (fields["mode"]["names"], fields["mode"]["when"]), ({"a": "first", "b": "second"}, {"loud": True})
        )

    def test_unknown_fields_nan_and_limits_are_refused(self) -> None:
        for bad in ({"colour": 1}, {"size_mm": float("nan")}, {"size_mm": 1000.0}, {"mode": "c"}, {"tint": [1, 2]}):
            with self.assertRaises(ValidationError):
                _Sample.model_validate(bad)


class Discovery(TestCase):
    def test_effects_and_readings_are_found_by_their_files(self) -> None:
        found = discover(effects, Effect)
        self.assertEqual(next(iter(found)), "paint")
        self.assertEqual(
            {path.stem for path in Path(effects.__path__[0]).glob("*.py")}
            - {
                "__init__",
                "catalogue",
                "corrosion",
                "crack_cut",
                "crack_places",
                "damp",
                "effect",
                "films",
                "habitat",
                "profile",
                "step",
            },
            set(found),
        )
        for kind, effect in found.items():
            self.assertEqual(kind_of(effect), kind)
            self.assertTrue(effect.title and effect.summary and effect.__doc__)
            self.assertIn(effect.family, ("deposit", "change", "loss"))
        by_rays, by_weather = {"curvature", "occlusion", "sky", "thickness"}, {"sun", "rain", "runoff"}
        by_shape = {"slope", "height", "position", "normal_world", "normal_object", "proximity"}
        by_file = {"part", "island", "vertex_colour", "missed"}
        measured = discover(readings, Reading)
        self.assertEqual(set(measured), by_rays | by_weather | by_shape | by_file)
        self.assertEqual({kind for kind, r in measured.items() if asks_weather(r.reads)}, by_weather)
        for entry in (*measured.values(), *found.values()):
            self.assertLessEqual(set(entry.reads), set(READS))
        # Orders are the order of the list on screen: no two alike.
        self.assertEqual(len({r.order for r in measured.values()}), len(measured))
