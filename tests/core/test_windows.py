"""Windows: decided once on the whole, drawn anywhere at any density, and the same surface.

Every effect and every base, on a box with a smaller one on it, a thin bent sheet, and an object whose UV islands are
mirrored, turned and tiny. ``LIMUS_WINDOWS=all`` tries each of them on all of these and on the hoist of the demo.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path
from tempfile import mkdtemp
from typing import Any
from unittest import TestCase, mock

import numpy as np
from PIL import Image

from limus.bases.catalogue import MATERIALS
from limus.bases.choice import BaseChoice, from_stock
from limus.common import parallel
from limus.common.errors import Cancelled, InputError
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.catalogue import EFFECTS
from limus.effects.dirt import Dirt
from limus.effects.paint import Paint
from limus.effects.variation import Variation
from limus.masks.hand.painting import painted
from limus.masks.hand.stroke import Brush, Stroke
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.pieces import PiecesSource
from limus.masks.sources.strokes import Strokes as StrokesSource
from limus.materials.channels import CHANNELS
from limus.playing.chronicle import Chronicle, Surface
from limus.playing.windows import Record, Windows
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.surface.window import Whole, Window, tile_blocks, window_of
from tests.core import shapes
from tests.core.test_warm_store import PLACES, SETTING, SIZE, USUAL

#: Pixels along a side of the map set of the whole, and of its windows.
SMALL, FINE = 64, 256
#: Into how many windows the object is cut; and share of its range within which the mean of a channel holds.
CUTS, WITHIN = (1, 3), 0.02
if os.environ.get("LIMUS_WINDOWS") == "all":
    SMALL, FINE, CUTS, WITHIN = 128, 512, (1, 4, 23), 0.012


def thin_sheet() -> Mesh:
    """A sheet 0.1 mm thick in effect: bent, open at all sides."""
    u, v = np.meshgrid(np.linspace(0, 1, 25), np.linspace(0, 1, 25))
    points = np.stack([(u - 0.5) * 0.1, 0.02 * np.sin(u * 4.0), (v - 0.5) * 0.08], axis=2)
    return shapes.grid(points, "sheet.glb")


def odd_islands(smallest: float = 0.06) -> Mesh:
    """A box whose sides lie mirrored, turned and one of them tiny in the picture: ``smallest`` times as wide."""
    mesh = shapes.box(0.07)
    assert mesh.uv is not None
    uv = mesh.uv.astype(np.float64).copy()
    tri = mesh.triangles
    for k in range(6):
        rows = np.unique(tri[2 * k : 2 * k + 2])
        middle = uv[rows].mean(axis=0)
        away = uv[rows] - middle
        if k % 3 == 0:
            away = away * [-1.0, 1.0]
        if k % 3 == 1:
            away = away[:, ::-1] * [1.0, -1.0]
        if k == 5:
            away = away * smallest
        uv[rows] = middle + away
    return replace(mesh, uv=uv.astype(np.float32))


def two_boxes() -> Mesh:
    """A box with a smaller one on it: hollows, an overhang, two parts that touch."""
    return shapes.joined(shapes.box(0.06), shapes.box(0.03, (0.018, 0.045, 0.006)))


def hoist() -> Mesh:
    """The object of the demo."""
    from demo.gate_hoist import build

    return build()


OBJECTS: dict[str, Callable[[], Mesh]] = {"boxes": two_boxes, "sheet": thin_sheet, "islands": odd_islands}
#: One side so small that the texels of the whole miss it, and those of its windows do not.
UNSEEN = {"unseen": lambda: odd_islands(0.02)}
if os.environ.get("LIMUS_WINDOWS") == "all":
    OBJECTS |= {"hoist": hoist}


@cache
def pictures() -> Path:
    """Where the pictures lie that decals throw."""
    folder = Path(mkdtemp())
    rng = np.random.default_rng(3)
    for name in ("a", "b"):
        Image.fromarray((rng.random((16, 16, 4)) * 255).astype(np.uint8)).save(folder / f"{name}.png")
    return folder


@cache
def player(name: str, size: int = SMALL) -> Chronicle:
    """Of the chronicle over one of the objects. Its readings are those of the small size at any size, so that what
    differs is not what was measured.
    """
    mesh = (OBJECTS | UNSEEN)[name]()
    small = Texels.of(mesh, SMALL)
    plan = RayPlan((2.0, 8.0), (8.0, 32.0), 32.0, 8)
    measured = Measured(small, plan, measure_rays(small, plan).astype(np.float16))
    exposure = measure_exposure(small, SETTING, rays=8, folder=pictures())
    texels = small if size == SMALL else Texels.of(mesh, size)
    return Chronicle(texels, measured, Store(256 << 20), exposure, lambda one: pictures() / one)


@cache
def windows_on(name: str, size: int) -> Windows:
    """Windows of one of the objects. What several scenes have in common, their base above all, is drawn once for each
    window; ``test_warm_store`` holds what a full store gives to what an empty one does.
    """
    return Windows(player(name), size, Store(64 << 20), stays=Store(512 << 20))


def effect_scene(kind: str) -> Scene:
    """An effect where it can be shown."""
    base, before = EFFECTS[kind].shown_on
    layers = [
        Layer(id=one, name=one, effect=EFFECTS[one].fitted(SIZE), where=EFFECTS[one].default_where(SIZE))  # type: ignore[arg-type]
        for one in before
    ]
    effect = EFFECTS[kind].model_validate({**EFFECTS[kind].fitted(SIZE).model_dump(), **USUAL.get(kind, {})})
    layers.append(Layer(id="tried", name="Tried", effect=effect, where=PLACES.get(kind, Recipe())))  # type: ignore[arg-type]
    return Scene(object=ObjectFile(file="a.glb"), layers=layers, bases=[from_stock(base)], setting=SETTING)


def base_scene(kind: str) -> Scene:
    """A base and nothing on it."""
    material = MATERIALS[kind].model_validate({"kind": kind})
    return Scene(object=ObjectFile(file="a.glb"), bases=[BaseChoice(material=material)], setting=SETTING)


def blocks_in_pieces(whole: Texels, count: int) -> list[np.ndarray]:
    """All pixels of the whole's pictures, in so many bands from top to bottom."""
    edges = [whole.size * k // count for k in range(count + 1)]
    return [
        tile_blocks(whole, page, 0, low, whole.size, high - low)
        for page in range(whole.pages)
        for low, high in itertools.pairwise(edges)
    ]


def fields_of(surface: Surface) -> dict[str, np.ndarray]:
    """What is delivered, by name; channels spread over the texels."""
    out = {name: np.asarray(surface.channel(name)) for name in surface.sheet}
    return out | {"relief": surface.relief, "normal": surface.normal, "occlusion": surface.occlusion}


def drawn(windows: Windows, scene: Scene, record: Record, pieces: int) -> dict[int, dict[str, Any]]:
    """Pixel -> what windows show there, the object cut into so many of them."""
    found: list[tuple[np.ndarray, dict[str, np.ndarray]]] = []
    for blocks in blocks_in_pieces(windows.whole, pieces):
        made = windows.draw_if_any(scene, record, blocks)
        if made is not None:
            window, surface = made
            found.append((window.pixel[window.core], {n: f[window.core] for n, f in fields_of(surface).items()}))
    names = set(record.surface.sheet) | {"relief", "normal", "occlusion"}
    order = np.argsort(np.concatenate([pixel for pixel, _ in found]))
    out: dict[Any, Any] = {"pixel": np.concatenate([pixel for pixel, _ in found])[order]}
    for name in names:
        parts = []
        for pixel, fields in found:
            if name in fields:
                parts.append(fields[name])
                continue
            # Nothing in this window speaks in it.
            channel = CHANNELS[name]
            plain = np.asarray(channel.default if channel.width > 1 else channel.default[0], np.float32)
            parts.append(np.broadcast_to(plain, (len(pixel), *plain.shape)))
        out[name] = np.concatenate(parts)[order]
    return out


def apart(name: str, one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(n,) how far two fields are apart, of the range of a channel; the relief in hundredths of a millimetre."""
    span = 0.1 if name == "relief" else 1.0
    if name in CHANNELS:
        channel = CHANNELS[name]
        span = channel.high - channel.low if channel.high - channel.low < 100 else max(float(np.ptp(one)), 1.0)
    out = np.abs(one.astype(np.float64) - other) / span
    return out.max(axis=1) if out.ndim > 1 else out


class Holds(TestCase):
    """What must hold of every effect and of every base."""

    def each(self, kinds: list[str]) -> list[tuple[str, str]]:
        names = list(OBJECTS)
        if os.environ.get("LIMUS_WINDOWS") == "all":
            return [(kind, name) for kind in kinds for name in names]
        return [(kind, names[k % len(names)]) for k, kind in enumerate(kinds)]

    def of(self, scene: Scene, name: str) -> None:
        self._own_size(scene, name)
        self._finer(scene, name)

    def _own_size(self, scene: Scene, name: str) -> None:
        """At the size of the whole a window is the whole, byte for byte."""
        on = player(name)
        chapters = on.play(scene)
        surface = on.finish(chapters[-1].pile if chapters else on.as_made(scene))
        windows = windows_on(name, SMALL)
        record = windows.record(scene)
        for field, of_whole in fields_of(surface).items():
            np.testing.assert_array_equal(np.asarray(fields_of(record.surface)[field]), of_whole, field)
        got = drawn(windows, scene, record, 2)
        self.assertEqual(record.lacking, set())
        np.testing.assert_array_equal(got["pixel"], on.texels.pixel)
        for field, of_whole in fields_of(surface).items():
            off = apart(field, of_whole, got[field])
            self.assertLess(float((off > 2 / 255).mean()), 1e-3, f"{field}: {off.max()}")

    def _finer(self, scene: Scene, name: str) -> None:
        big, windows = player(name, FINE), windows_on(name, FINE)
        record = windows.record(scene)
        one, *others = (drawn(windows, scene, record, pieces) for pieces in CUTS)
        self.assertEqual(record.lacking, set())
        # However it is cut.
        for other in others:
            np.testing.assert_array_equal(one["pixel"], other["pixel"])
            for field in one:
                off = apart(field, one[field], other[field])
                self.assertLess(float((off > 2 / 255).mean()), 2e-3, f"{field}: {off.max()}")
        # Means are those of the whole played at that size: no further from them than the whole that decided is, whose
        # hollows and runs are its own, and within a hundredth of the range besides.
        chapters = big.play(scene)
        surface = big.finish(chapters[-1].pile if chapters else big.as_made(scene))
        np.testing.assert_array_equal(one["pixel"], big.texels.pixel)
        at, coarse = self.means(big.texels, fields_of(surface)), self.means(windows.whole, fields_of(record.surface))
        for field, found in self.means(big.texels, one).items():
            if field in at and field not in ("normal", "relief"):
                span = max(float(np.ptp(fields_of(surface)[field])), 0.05)
                off, allowed = (float(np.abs(at[field] - other).max()) for other in (found, coarse[field]))
                self.assertLess(off, allowed + WITHIN * span, f"{field}: {at[field]}, {found}, decided {coarse[field]}")

    @staticmethod
    def means(texels: Texels, fields: dict[Any, Any]) -> dict[str, np.ndarray]:
        area = texels.area.astype(np.float64) / texels.area.sum(dtype=np.float64)
        return {
            name: np.atleast_1d(area @ np.asarray(values, np.float64))
            for name, values in fields.items()
            if name != "pixel"
        }

    def test_every_effect(self) -> None:
        for kind, name in self.each(list(EFFECTS)):
            with self.subTest(effect=kind, on=name):
                self.of(effect_scene(kind), name)

    def test_every_base(self) -> None:
        for kind, name in self.each([kind for kind in MATERIALS if kind != "map_set"]):
            with self.subTest(base=kind, on=name):
                self.of(base_scene(kind), name)


class Looking:
    """Keeps the chapters of a window, by layer."""

    def __init__(self, seen: dict[str, Any]) -> None:
        self.seen = seen

    def chapter(self, chronicle: Any, chapter: Any, before: Any) -> None:
        self.seen[chapter.layer.id] = chapter

    def end(self, chronicle: Any, pile: Any) -> None:
        pass


class Parts(TestCase):
    """What windows are made of."""

    def test_any_number_of_threads(self) -> None:
        scene = effect_scene("chipping")
        found = []
        for count in (1, 4):
            with mock.patch.object(parallel, "WORKERS", count):
                windows = Windows(player("boxes"), FINE, Store(64 << 20))
                found.append(drawn(windows, scene, windows.record(scene), 2))
        for field, values in found[0].items():
            np.testing.assert_array_equal(values, found[1][field], str(field))

    def test_texels_of_a_window_are_those_of_the_whole_at_that_size(self) -> None:
        for name in OBJECTS:
            whole = Whole.of_texels(player(name).texels, FINE)
            big = player(name, FINE).texels
            pixels = []
            for blocks in blocks_in_pieces(whole, 3):
                window = window_of(whole, blocks)
                rows = big.index.reshape(-1)[window.pixel]
                self.assertTrue(bool((rows >= 0).all()), name)
                for field in ("triangle", "position", "normal", "area", "tangent", "part", "island"):
                    np.testing.assert_array_equal(getattr(window, field), getattr(big, field)[rows], f"{name} {field}")
                # Told from the whole that decides, whose texels cover small islands a little more or less.
                self.assertAlmostEqual(window.texel_mm / big.texel_mm, 1.0, delta=0.04)
                pixels.append(window.pixel[window.core])
                self._next_door(window, big, rows, name)
            np.testing.assert_array_equal(np.sort(np.concatenate(pixels)), big.pixel, name)

    def _next_door(self, window: Window, big: Texels, rows: np.ndarray, name: str) -> None:
        """Of what was asked for, what lies next door is what lies there on the whole, over seams as well."""
        field = (big.position @ np.array([3.0, 5.0, 7.0], np.float32)).astype(np.float32)
        core = window.core
        mine, theirs = window.extend(np.ascontiguousarray(field[rows])), big.extend(field)
        for side in range(4):
            off = np.abs(mine[window.stencil[core, side]] - theirs[big.stencil[rows[core], side]])
            # Over the seams of the hoist a few take one texel where the whole lies between two: no further than that.
            self.assertLessEqual(float((off > 2e-5).mean()), 2e-3 if name == "hoist" else 0.0, name)
            self.assertLess(float(off.max()), 10.0 * 0.001 * big.texel_mm, name)

    def test_an_island_that_the_whole_has_no_texel_of(self) -> None:
        # What tells islands or parts apart must know of those that only finer texels show.
        big = player("unseen", FINE).texels
        unseen = set(big.island.tolist()) - set(player("unseen").texels.island.tolist())
        self.assertEqual(len(unseen), 1)
        windows, where = windows_on("unseen", FINE), np.isin(big.island, list(unseen))
        each = Variation(each="island", piece_tone=1.0, tone=0.0)  # type: ignore[call-arg]
        layers: list[Any] = [Layer(id="each", name="Each", effect=each)]
        layers += [
            Layer(id=give, name=give, effect=Dirt(), where=Recipe(terms=[term(PiecesSource(of="island", give=give))]))  # type: ignore[arg-type]
            for give in ("value", "tilt")
        ]
        for layer in layers:
            scene = Scene(object=ObjectFile(file="a.glb"), layers=[layer], bases=[from_stock("aluminium")])
            got = drawn(windows, scene, windows.record(scene), 2)
            color = got["base_color"][np.searchsorted(got["pixel"], big.pixel)]
            self.assertTrue(bool(np.isfinite(color).all()), layer.id)
            on = player("unseen", FINE)
            whole = on.finish(on.play(scene)[-1].pile).channel("base_color")
            if layer.id != "tilt":
                # Its own tone, as on a whole that sees it: not that of another island, which is another.
                np.testing.assert_allclose(color[where].mean(axis=0), whole[where].mean(axis=0), atol=0.01)
                others = [whole[big.island == k].mean() for k in set(big.island.tolist()) - unseen]
                self.assertGreater(max(abs(whole[where].mean() - other) for other in others), 0.02)

    def test_it_shows_what_a_coarser_one_cannot(self) -> None:
        # Noise of 0.8 mm on texels of more than a millimetre is grey; in a window of a sixteenth of that it is there.
        pattern = Recipe(terms=[term(Noise(size_mm=0.8, octaves=1))])
        layers = [Layer(id="p", name="p", effect=Paint(), where=pattern)]
        scene = Scene(object=ObjectFile(file="a.glb"), layers=layers, setting=SETTING)
        spread = {}
        for density in (SMALL, 16 * SMALL):
            windows = Windows(player("boxes"), density, Store(64 << 20))
            record = windows.record(scene)
            blocks = tile_blocks(windows.whole, 0, SMALL // 8, SMALL // 8, 12, 12)
            seen: dict[str, Any] = {}
            windows.draw(scene, record, blocks, watch=Looking(seen))
            spread[density] = float(seen["p"].mask.std())
        self.assertLess(spread[SMALL], 0.02)
        self.assertGreater(spread[16 * SMALL], 0.1)

    def test_coverage_of_the_whole_holds_on_the_finer_texels(self) -> None:
        pattern = Recipe(terms=[Term(source=Noise(size_mm=4.0, octaves=5), cover=0.3, sharpen=1.0)])
        scene = Scene(
            object=ObjectFile(file="a.glb"),
            layers=[
                Layer(id="p", name="p", effect=Paint(), where=Recipe()),
                Layer(id="c", name="c", effect=EFFECTS["chipping"].model_validate({"kind": "chipping", "coverage": 0.2,
                    "size_mm": 3.0}), where=Recipe()),  # type: ignore[arg-type]
                Layer(id="m", name="m", effect=Paint(), where=pattern),
            ],
            setting=SETTING,
        )  # fmt: skip
        windows = Windows(player("boxes", 256), 1024, Store(64 << 20))
        record = windows.record(scene)
        got: dict[str, float] = {"c": 0.0, "m": 0.0}
        total = 0.0
        for blocks in blocks_in_pieces(windows.whole, 2):
            seen: dict[str, Any] = {}
            made = windows.draw_if_any(scene, record, blocks, watch=Looking(seen))
            assert made is not None
            window = made[0]
            area = window.area[window.core]
            got["c"] += float((seen["c"].shown[window.core] * area).sum())
            got["m"] += float(((seen["m"].mask[window.core] > 0.5) * area).sum())
            total += float(area.sum())
        self.assertAlmostEqual(got["c"] / total / 0.2, 1.0, delta=0.03)
        self.assertAlmostEqual(got["m"] / total / 0.3, 1.0, delta=0.03)

    def test_an_edge_that_is_pulled_from_beyond_the_window(self) -> None:
        # 6 mm is four texels of the whole and more: what is aimed at may lie in another window, or over a seam.
        for way in ("across", "down"):
            pattern = Term(
                source=Noise(size_mm=40.0, octaves=1), low=0.48, high=0.52, breakup_mm=6.0, breakup_size_mm=3.0,
                breakup_way=way,
            )  # type: ignore[arg-type]  # fmt: skip
            layers = [Layer(id="p", name="p", effect=Paint(), where=Recipe(terms=[pattern]))]
            scene = Scene(object=ObjectFile(file="a.glb"), layers=layers, setting=SETTING)
            windows = Windows(player("boxes"), FINE, Store(64 << 20))
            self.assertTrue(windows.whole.wide(1.5 * 6.0))
            record = windows.record(scene)
            found = []
            for pieces in (1, 5):
                got = np.zeros(windows.whole.pages * FINE * FINE, np.float32)
                for blocks in blocks_in_pieces(windows.whole, pieces):
                    seen: dict[str, Any] = {}
                    made = windows.draw_if_any(scene, record, blocks, watch=Looking(seen))
                    if made is not None:
                        got[made[0].pixel[made[0].core]] = seen["p"].mask[made[0].core]
                found.append(got)
            self.assertLess(float((np.abs(found[0] - found[1]) > 2 / 255).mean()), 1e-3)
            big = player("boxes", FINE)
            mask, area = big.play(scene)[0].mask, big.texels.area / big.texels.area.sum()
            mine = found[0][big.texels.pixel]
            self.assertLess(abs(float(area @ mine) - float(area @ mask)), 0.02, way)
            # The same edge: most of it lies within a texel of the whole.
            self.assertLess(float(area @ np.abs(mine - mask)), 0.35 * float(area @ (np.abs(mask - mask @ area))), way)

    def test_refusals(self) -> None:
        on = player("boxes")
        for density, words in ((SMALL * 3, "cannot be drawn"), (SMALL // 2, "cannot be drawn"), (1 << 17, "65536")):
            with self.assertRaises(InputError) as caught:
                Windows(on, density, Store(1 << 20))
            self.assertIn(words, caught.exception.line)
        small = Texels.of(shapes.box(0.0005), SMALL)
        with self.assertRaises(InputError) as caught:
            Windows(Chronicle(small, Measured.blank(small), Store(1 << 20)), 65536, Store(1 << 20))
        self.assertIn("micrometre", caught.exception.line)
        for tile in ((0, 0, 0, SMALL + 1, 1), (1, 0, 0, 4, 4), (0, -1, 0, 4, 4), (0, 0, 0, 0, 4)):
            with self.assertRaises(InputError) as caught:
                tile_blocks(on.texels, *tile)
            self.assertIn("outside of the map", caught.exception.line)
        windows = Windows(on, FINE, Store(64 << 20))
        record = windows.record(effect_scene("paint"))
        for other in (Windows(on, 2 * FINE, Store(1 << 20)), Windows(player("sheet"), FINE, Store(1 << 20))):
            with self.assertRaises(InputError) as caught:
                other.draw(effect_scene("paint"), record, tile_blocks(on.texels, 0, 0, 0, 8, 8))
            self.assertIn("belongs to another", caught.exception.line)
        with self.assertRaises(InputError):
            windows.draw(effect_scene("dust"), record, tile_blocks(on.texels, 0, 0, 0, 8, 8))

    def test_a_layer_that_is_stopped_stops_the_window(self) -> None:
        windows = Windows(player("boxes"), FINE, Store(64 << 20))
        scene = effect_scene("rust")
        record = windows.record(scene)

        def stop() -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            windows.draw(scene, record, tile_blocks(windows.whole, 0, 0, 0, SMALL, SMALL), check=stop)


class Strokes(TestCase):
    """What is drawn by hand: a dab goes the same way in every window, wherever it begins."""

    def setUp(self) -> None:
        self.folder = Path(mkdtemp())

    def scene(self, *drawn: Any) -> Scene:
        (self.folder / "strokes").mkdir(exist_ok=True)
        names = []
        for k, one in enumerate(drawn):
            names.append(f"strokes/{k}.json")
            (self.folder / names[-1]).write_text(one.model_dump_json())
        where = Recipe(terms=[Term(source=StrokesSource(strokes=names))])
        return Scene(
            object=ObjectFile(file="a.glb"), layers=[Layer(id="p", name="p", effect=Paint(), where=where)],
            setting=SETTING,
        )  # fmt: skip

    def test_the_same_as_on_the_whole_at_that_size(self) -> None:
        # Along the top of the box and over its edge down the side; one that goes through; one smaller than a texel of
        # the whole.
        def at(x: float, y: float, z: float, nx: float, ny: float, nz: float) -> list[float]:
            return [x, y, z, nx, ny, nz, 1.0, 0.0, 0.0]

        over = Stroke(
            brush=Brush(size_mm=9.0, hardness=0.9),
            points=[at(-0.02, 0.03, 0.0, 0, 1, 0), at(-0.03, 0.03, 0.0, -0.7, 0.7, 0), at(-0.03, 0.01, 0.0, -1, 0, 0)],
        )  # type: ignore[arg-type]
        through = Stroke(
            brush=Brush(size_mm=6.0, hardness=0.5), reach="through", points=[at(-0.02, 0.03, -0.02, 0, 1, 0)]
        )  # type: ignore[arg-type]
        fine = Stroke(
            brush=Brush(size_mm=0.5, hardness=1.0, spacing=0.5),
            points=[at(-0.025, 0.03, 0.02, 0, 1, 0), at(-0.010, 0.03, 0.02, 0, 1, 0)],
        )  # type: ignore[arg-type]
        scene = self.scene(over, through, fine)
        found: dict[int, np.ndarray] = {}
        size = 1024
        for pieces in (1, 7):
            small = player("boxes")
            on = Chronicle(small.texels, small.measured, Store(64 << 20), None, lambda name: self.folder / name)
            windows = Windows(on, size, Store(64 << 20))
            record = windows.record(scene)
            got = np.zeros(windows.whole.pages * size * size, np.float32)
            for blocks in blocks_in_pieces(windows.whole, pieces):
                seen: dict[str, Any] = {}
                made = windows.draw_if_any(scene, record, blocks, watch=Looking(seen))
                if made is not None:
                    window = made[0]
                    got[window.pixel[window.core]] = seen["p"].mask[window.core]
            found[pieces] = got
        np.testing.assert_array_equal(found[1], found[7])
        texels = Texels.of(OBJECTS["boxes"](), size)
        white = painted(texels, list(scene.layers[0].where.terms[0].source.strokes), lambda name: self.folder / name,
            Store(64 << 20))[:, 0]  # fmt: skip
        self.assertGreater(float(white.max()), 0.9)
        off = np.abs(found[1][texels.pixel] - white)
        self.assertLess(float((off > 2 / 255).mean()), 1e-3, float(off.max()))
        # The fine line is there, as thin as it was drawn.
        line = (np.abs(texels.position - [-0.0175, 0.03, 0.02]) < [0.006, 0.0004, 0.002]).all(axis=1)
        drawn_ = float((found[1][texels.pixel][line] * texels.area[line]).sum()) * 1e6
        self.assertAlmostEqual(drawn_ / (12.0 * 0.5), 1.0, delta=0.25)
