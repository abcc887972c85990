"""Odd input thrown at random: it is refused with a clear line or it works, and nothing in between."""

from __future__ import annotations

import copy
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from limus.common.errors import InputError
from limus.document.scene import Scene, scene_from
from limus.effects.catalogue import EFFECTS
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import glb_bytes
from limus.masks.coverage import level_for
from limus.masks.recipe import SOURCES
from limus.materials.channels import CHANNELS
from tests.core import shapes
from tests.core.stories import short_story
from tests.core.test_effects import bench_for
from tests.core.test_formats import triangle

QUICK = settings(max_examples=60, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
GOOD = triangle()
DOCUMENT: dict[str, Any] = short_story().model_dump(mode="json")
JUNK = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(10**9), 10**9),
    st.floats(allow_nan=True),
    st.text(max_size=8),
    st.just([]),
    st.just({}),
)


def paths(node: Any, above: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a document."""
    out = [above] if above else []
    if isinstance(node, dict):
        for key, value in node.items():
            out += paths(value, (*above, key))
    elif isinstance(node, list):
        for k, value in enumerate(node):
            out += paths(value, (*above, k))
    return out


PATHS = paths(DOCUMENT)


class Files(TestCase):
    def read(self, data: bytes) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "cup.glb"
            path.write_bytes(data)
            try:
                mesh = read_gltf(path)
            except InputError as error:
                self.assertTrue(error.line.startswith("cup.glb"), error.line)
                self.assertNotIn("\n", error.line)
            else:
                self.assertTrue(np.isfinite(mesh.positions).all())
                self.assertLess(int(mesh.triangles.max()), len(mesh.positions))

    @QUICK
    @given(st.integers(0, len(GOOD)))
    def test_a_file_cut_anywhere(self, length: int) -> None:
        self.read(GOOD[:length])

    @QUICK
    @given(st.integers(12, len(GOOD) - 1), st.integers(0, 255))
    def test_one_byte_changed(self, place: int, value: int) -> None:
        self.read(GOOD[:place] + bytes([value]) + GOOD[place + 1 :])

    @QUICK
    @given(st.binary(max_size=300))
    def test_anything_at_all(self, data: bytes) -> None:
        self.read(data)
        self.read(b"glTF" + data)

    @QUICK
    @given(st.integers(1, 5), st.floats(1e-4, 1e4), st.integers(0, 2**16))
    def test_what_is_written_is_read(self, boxes: int, size: float, seed: int) -> None:
        rng = np.random.default_rng(seed)
        mesh = shapes.joined(*[shapes.box(size, tuple(rng.uniform(-size * 4, size * 4, 3))) for _ in range(boxes)])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "boxes.glb"
            path.write_bytes(glb_bytes(mesh))
            back = read_gltf(path)
        np.testing.assert_allclose(back.areas, mesh.areas, rtol=1e-4)
        self.assertEqual(len(back.parts), boxes)


class Documents(TestCase):
    @settings(max_examples=250, deadline=None, derandomize=True)
    @given(st.sampled_from(PATHS), JUNK)
    def test_any_value_in_any_place(self, path: tuple[Any, ...], value: Any) -> None:
        document = copy.deepcopy(DOCUMENT)
        at: Any = document
        for step in path[:-1]:
            at = at[step]
        at[path[-1]] = value
        try:
            scene = scene_from(document, "s.json")
        except InputError as error:
            self.assertTrue(error.line.startswith("s.json"), error.line)
            self.assertNotIn("\n", error.line)
            self.assertTrue(error.remedy)
        else:
            # What is accepted is written and read again as the same thing.
            self.assertEqual(scene_from(scene.model_dump(mode="json")), scene)

    @settings(max_examples=120, deadline=None, derandomize=True)
    @given(st.sampled_from(PATHS))
    def test_anything_missing(self, path: tuple[Any, ...]) -> None:
        document = copy.deepcopy(DOCUMENT)
        at: Any = document
        for step in path[:-1]:
            at = at[step]
        del at[path[-1]]
        try:
            self.assertIsInstance(scene_from(document), Scene)
        except InputError as error:
            self.assertNotIn("\n", error.line)


class Ends(TestCase):
    """Every slider at both of its hard limits still gives a surface."""

    def test_effects_at_their_limits(self) -> None:
        bench = bench_for(shapes.box(0.1), 64)
        for kind, effect in EFFECTS.items():
            for name, field in effect.model_json_schema()["properties"].items():
                if field.get("control") != "slider":
                    continue
                for value in (field["minimum"], field["maximum"]):
                    layers = [
                        {"id": "paint", "name": "p", "effect": {"kind": "paint"}},
                        {"id": "x", "name": "x", "effect": {"kind": kind, name: value}},
                    ]
                    made = scene_from({"version": 1, "object": {"file": "a.glb"}, "layers": layers})
                    pile = bench.play(made)[-1].pile
                    shown = bench.finish(pile)
                    where = f"{kind}.{name} {value}"
                    self.assertTrue(np.isfinite(shown.normal).all(), where)
                    for channel, values in shown.sheet.items():
                        low, high = CHANNELS[channel].low, CHANNELS[channel].high
                        self.assertTrue((values >= low).all() and (values <= high).all(), f"{where}: {channel}")

    def test_sources_at_their_limits(self) -> None:
        bench = bench_for(shapes.box(0.1), 64)
        for kind, source in SOURCES.items():
            for name, field in source.model_json_schema()["properties"].items():
                if field.get("control") != "slider":
                    continue
                for value in (field["minimum"], field["maximum"]):
                    # A smallest scale above the largest one is refused.
                    more = {"scale_high": value} if name == "scale_low" else {}
                    more |= {"scale_low": value} if name == "scale_high" else {}
                    terms = [{"source": {"kind": kind, name: value, **more}}]
                    made = scene_from(
                        {
                            "version": 1,
                            "object": {"file": "a.glb"},
                            "layers": [{"id": "d", "name": "d", "effect": {"kind": "dirt"}, "where": {"terms": terms}}],
                        }
                    )
                    mask = bench.play(made)[-1].mask
                    self.assertTrue(
                        np.isfinite(mask).all() and mask.min() >= 0 and mask.max() <= 1, f"{kind}.{name} {value}"
                    )

    @QUICK
    @given(st.lists(st.floats(-1e3, 1e3, width=32), min_size=1, max_size=200), st.floats(0, 1))
    def test_levels_of_any_distribution(self, values: list[float], share: float) -> None:
        array = np.array(values, np.float32)
        level = level_for(array, np.ones(len(array), np.float32), share)
        above = float((array > level).mean())
        tied = float((np.abs(array - level) <= 1e-3 * max(1.0, float(np.abs(array).max()))).mean())
        self.assertLessEqual(abs(above - share), tied + 1.0 / len(array) + 1e-6)
