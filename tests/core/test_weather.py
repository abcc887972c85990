"""Effects of weather: against published standards, formulas of optics, and general-purpose libraries."""

from __future__ import annotations

import heapq
import itertools
from dataclasses import replace
from types import SimpleNamespace
from typing import Any
from unittest import TestCase, mock

import numpy as np
from scipy import ndimage
from scipy.interpolate import PchipInterpolator
from scipy.spatial import cKDTree
from skimage.morphology import reconstruction

from demo import gate_hoist
from limus.bases.choice import from_stock
from limus.common.colour import luminance
from limus.common.errors import InputError
from limus.document.scene import Layer, scene_from
from limus.document.snapshot import Snapshot
from limus.effects.algae import Algae
from limus.effects.cracks import CrackLayer
from limus.effects.dust import Dust
from limus.effects.effect import film_um
from limus.effects.fading import Fading
from limus.effects.frost import Frost
from limus.effects.habitat import _along
from limus.effects.lichen import Lichen
from limus.effects.moss import Moss
from limus.effects.mud import Mud
from limus.effects.paint import Paint
from limus.effects.snow import KINDS, Snow, slope_share
from limus.effects.splash import Splash
from limus.effects.staining import Staining
from limus.effects.washing import Washing
from limus.effects.water import Water
from limus.effects.wetness import Wetness
from limus.masks.recipe import Recipe, term
from limus.masks.sources.cracks import CracksSource
from limus.masks.sources.even import Even
from limus.materials.optics import WATER_INSIDE, WATER_IOR, reflectance_at_normal, transmittance, wet_albedo
from limus.materials.substance import LIME, covered
from limus.patterns.crack_network import Cracks, crack_network
from limus.patterns.discs import covering
from limus.patterns.fissures import weak_points
from limus.patterns.sites import scattered_on
from limus.playing.chronicle import Chapter, Chronicle
from limus.readings.flow import flow
from limus.readings.open_weather import rain_by_sky, sun_by_sky
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.blur import blur
from limus.surface.filling import filled
from limus.surface.marching import distance_along
from limus.surface.mesh import Mesh
from limus.surface.running import run_down
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.fields import seen
from tests.core.test_effects import bench_for, layer, scene
from tests.core.test_use import sized

CONCRETE = {"bases": [from_stock("smooth concrete")]}


def tile(size: float = 1.0) -> Mesh:
    """A level square with UVs that fill the picture, facing up."""
    p = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]], np.float32) * size
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    flat = shapes.plane(size)
    return replace(flat, positions=p, normals=np.tile(np.array([[0, 1, 0]], np.float32), (4, 1)), uv=uv,
                   triangles=np.array([[0, 2, 1], [0, 3, 2]], np.int32), tangents=None, colours=None)  # fmt: skip


def tilted(degrees: float, size: float = 1.0) -> Mesh:
    a = np.radians(degrees)
    turn = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    flat = tile(size)
    return replace(
        flat, positions=(flat.positions @ turn.T).astype(np.float32), normals=(flat.normals @ turn.T).astype(np.float32)
    )


def play(bench: Chronicle, *layers: Layer, **more: Any) -> list[Chapter]:
    return bench.play(scene(*layers, **more))


class Optics(TestCase):
    def test_water(self) -> None:
        # Hecht, Optics (from memory): F0 = ((n - 1) / (n + 1))^2 = 0.0201 for n = 1.33; ice 1.31 -> 0.0180.
        self.assertAlmostEqual(reflectance_at_normal(WATER_IOR), 0.0201, places=4)
        self.assertAlmostEqual(reflectance_at_normal(1.31), 0.0180, places=4)

    def test_reflectance_from_inside(self) -> None:
        # Judd 1942 (from memory): 0.0659 outside, 0.4719 inside for n = 1.33; here by integrating Fresnel's equations.
        n = WATER_IOR
        angle = (np.arange(200000) + 0.5) / 200000 * (np.pi / 2)
        ci, si = np.cos(angle), np.sin(angle)
        ct = np.sqrt(1 - (si / n) ** 2)
        r = (((ci - n * ct) / (ci + n * ct)) ** 2 + ((n * ci - ct) / (n * ci + ct)) ** 2) / 2
        outside = float((r * 2 * si * ci).mean() * np.pi / 2)
        self.assertAlmostEqual(outside, 0.0659, delta=2e-4)
        self.assertAlmostEqual(1 - (1 - outside) / n**2, WATER_INSIDE, delta=1e-3)

    def test_wet_albedo(self) -> None:
        # Lekner and Dorf 1988 (from memory): a 0.40 -> about 0.275. The others by summing what goes round inside the
        # film.
        self.assertAlmostEqual(float(wet_albedo(0.40)), 0.275, delta=0.002)
        r = reflectance_at_normal(WATER_IOR)
        for a in (0.05, 0.12, 0.25, 0.40, 0.70):
            inside, total = 1.0 - r, r
            for _ in range(400):
                up = inside * a
                total += up * (1.0 - WATER_INSIDE)
                inside = up * WATER_INSIDE
            self.assertAlmostEqual(float(wet_albedo(a)), total, places=6)
        dry = np.linspace(0, 1, 101)
        self.assertTrue((np.diff(wet_albedo(dry)) > 0).all())
        self.assertAlmostEqual(float(wet_albedo(1.0)), 1.0, places=6)

    def test_beer_and_lambert(self) -> None:
        self.assertAlmostEqual(float(transmittance(3.0, 3.0)), np.exp(-1), places=6)
        self.assertAlmostEqual(
            float(transmittance(1.0, 5.0) * transmittance(2.0, 5.0)), float(transmittance(3.0, 5.0)), places=6
        )


class Wet(TestCase):
    def soaked(self, base: dict[str, Any], **more: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What shows dry, what shows wet, and where."""
        bench = sized(tile(0.3), 96)
        wet = Wetness(amount=1.0, dried=0.0, tide=0.0, beads=0.0, ground_mm=20000.0, ground=1.0, **more)
        chapter = play(bench, layer("wet", wet, Recipe()), bases=[base])[-1]
        made = bench.as_made(scene(bases=[base]))
        return seen(made, "base_color"), seen(chapter.pile, "base_color"), chapter.shown

    def test_darkens_by_the_formula_and_keeps_the_hue(self) -> None:
        for name in ("smooth concrete", "plaster", "brick in mortar"):
            dry, wet, shown = self.soaked(from_stock(name))
            self.assertGreater(float(shown.mean()), 0.9)
            before, after = luminance(dry), luminance(wet)
            wanted = np.minimum(wet_albedo(before), before)
            self.assertLess(float(np.abs(after - wanted).max()), 0.012, name)
            ratio = wet / dry
            self.assertLess(float((ratio.max(axis=1) - ratio.min(axis=1)).max()), 2e-3, name)

    def test_metal_and_gloss_do_not_darken(self) -> None:
        dry, wet, _ = self.soaked(from_stock("brass"))
        self.assertLess(float(np.abs(wet - dry).max()), 0.02)

    def test_more_is_never_drier(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        shares = [play(bench, layer("wet", Wetness(amount=a)), **CONCRETE)[-1].coverage for a in (0.1, 0.4, 0.7, 1.0)]
        self.assertTrue(all(a < b for a, b in itertools.pairwise(shares)), shares)

    def test_a_film_is_water(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        pile = play(bench, layer("wet", Wetness(amount=1.0, film=1.0)), **CONCRETE)[-1].pile
        wet = pile.wetness() > 0.9
        self.assertTrue(wet.any())
        self.assertTrue(np.allclose(seen(pile, "coat_ior")[wet], 1.33, atol=0.03))
        self.assertLess(float(seen(pile, "coat_roughness")[wet].max()), 0.06)

    def test_what_hangs_below_stays_dry(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        chapter = play(bench, layer("wet", Wetness(ground=0.0, ground_mm=1.0)), **CONCRETE)[-1]
        below = bench.texels.normal[:, 1] < -0.9
        self.assertLess(float(chapter.shown[below].mean()), 0.5 * float(chapter.shown[~below].mean()) + 1e-6)

    def test_cracks_seep(self) -> None:
        bench = sized(shapes.box(0.4), 256)
        cracks = layer("cracks", CrackLayer(size_mm=90.0, width_mm=2.0), Recipe())
        shares = []
        for seeps in (0.0, 1.0):
            chapters = play(bench, cracks, layer("wet", Wetness(amount=0.25, cracks=seeps, ground=0.0)), **CONCRETE)
            near = chapters[0].pile.clefts(3.0) > 0.5
            shares.append(bench.texels.share(chapters[1].shown, near.astype(np.float32)))
        self.assertGreater(shares[1], shares[0] + 0.05)

    def test_beads_stand_on_paint_only(self) -> None:
        bench = sized(shapes.box(0.12), 256)
        wet = layer("wet", Wetness(amount=0.9, film=0.0, beads=1.0, bead_mm=4.0), Recipe())
        on_paint = play(bench, layer("paint", Paint()), wet)[-1].pile.coats[-2:]
        water = next(c for c in on_paint if c.substance.family == "water")
        # Drops of a few mm are a millimetre high.
        self.assertTrue(500.0 < float(water.thickness.max()) < 2500.0)
        on_brick = play(bench, wet, bases=[from_stock("brick in mortar")])[-1].pile
        self.assertTrue(all(float(c.thickness.max()) < 500.0 for c in on_brick.coats if c.substance.family == "water"))


class Filling(TestCase):
    """Against scikit-image's reconstruction by erosion: the very same numbers."""

    def test_equals_reconstruction(self) -> None:
        texels = Texels.of(tile(), 192)
        rng = np.random.default_rng(2)
        cross = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]])
        # In whole steps as well: what is level for many texels drains nowhere by itself.
        for smooth, step in ((0.0, 0.0), (3.0, 0.0), (11.0, 0.0), (3.0, 0.05), (0.0, 2.0)):
            image = ndimage.gaussian_filter(rng.normal(size=(192, 192)), smooth).astype(np.float32)
            image = np.round(image / step) * np.float32(step) if step else image
            marker = image.copy()
            marker[1:-1, 1:-1] = image.max()
            wanted = reconstruction(marker, image, method="erosion", footprint=cross).astype(np.float32)
            got = np.empty(192 * 192, np.float32)
            got[texels.pixel] = filled(texels, image.ravel()[texels.pixel]).level
            np.testing.assert_array_equal(got.reshape(192, 192), wanted)

    def test_a_hollow_that_is_open_to_the_border_holds_nothing(self) -> None:
        texels = Texels.of(tile(), 64)
        x, z = texels.position[:, 0], texels.position[:, 2]
        # A trough that leads out on one side.
        height = np.where(np.abs(z - 0.5) < 0.1, -5.0 - 10.0 * x, 0.0).astype(np.float32)
        self.assertEqual(float((filled(texels, height).level - height).max()), 0.0)

    def test_what_has_no_way_out_holds_nothing_either(self) -> None:
        # Nowhere an end, nowhere an overhang: there is no level to fill up to.
        texels = Texels.of(tile(), 64)
        height = np.hypot(texels.position[:, 0] - 0.5, texels.position[:, 2] - 0.5).astype(np.float32)
        self.assertGreater(float((filled(texels, height).level - height).max()), 0.3)
        shut = filled(texels, height, np.zeros(len(texels), np.bool_))
        np.testing.assert_array_equal(shut.level, height)
        # One way out in the middle of the slope is where all above it stays dry and all below it fills.
        one = np.zeros(len(texels), np.bool_)
        one[np.argmin(np.abs(height - 0.2))] = True
        lip = height[one][0]
        np.testing.assert_array_equal(filled(texels, height, one).level, np.maximum(height, lip))

    def test_a_bowl_fills_to_its_rim_and_hollows_are_told_apart(self) -> None:
        texels = Texels.of(tile(), 128)
        p = texels.position
        one, two = (np.hypot(p[:, 0] - x, p[:, 2] - 0.5) for x in (0.25, 0.75))
        height = (-8.0 * np.clip(1 - one / 0.15, 0, 1) - 3.0 * np.clip(1 - two / 0.15, 0, 1)).astype(np.float32)
        found = filled(texels, height)
        deep = found.level - height
        self.assertAlmostEqual(float(deep.max()), 8.0, delta=0.3)
        self.assertEqual(len(np.unique(found.bottom[deep > 0.01])), 2)
        self.assertAlmostEqual(float(found.bottom[two < 0.05].mean()), -3.0, delta=0.15)

    def test_over_seams_that_do_not_look_back(self) -> None:
        # Against the flood as it stands in the paper (Barnes, Lehman and Mulla, 2014), by the queue of the standard
        # library, on an object whose links over seams are not all mutual.
        texels = Texels.of(gate_hoist.build(), 128)
        links, count = texels.links, len(texels)
        back = (links[np.maximum(links, 0)] == np.arange(count)[:, None, None]).any(axis=2)
        self.assertGreater(int(((links >= 0) & ~back).sum()), 300)
        height = (texels.position[:, 1] * 1000 + 2 * np.sin(300 * texels.position[:, 0])).astype(np.float32)
        outlet = (links < 0).any(axis=1) | (texels.normal[:, 1] < -0.3)
        level, done = height.copy(), outlet.copy()
        queue = [(float(height[i]), int(i)) for i in np.flatnonzero(outlet)]
        heapq.heapify(queue)
        while queue:
            here, c = heapq.heappop(queue)
            for j in links[c]:
                if j >= 0 and not done[j]:
                    done[j] = True
                    level[j] = max(height[j], np.float32(here))
                    heapq.heappush(queue, (float(level[j]), int(j)))
        self.assertGreater(float((level - height).max()), 2.0)
        np.testing.assert_array_equal(filled(texels, height).level, level)

    def test_over_seams(self) -> None:
        # A dish on the top of a box whose sides lie elsewhere in the picture: the rim of the top spills.
        bench = sized(shapes.box(0.4), 128)
        top = bench.texels.normal[:, 1] > 0.9
        found = filled(bench.texels, (bench.texels.position[:, 1] * 1000).astype(np.float32))
        self.assertLess(float((found.level - bench.texels.position[:, 1] * 1000)[top].max()), 1e-3)


class StandingWater(TestCase):
    def test_its_surface_is_level_and_never_over_the_spill(self) -> None:
        bench = sized(tile(), 192)
        chapter = play(bench, layer("water", Water(level_mm=50.0, ripple=0.0, uneven_mm=8.0)), **CONCRETE)[-1]
        deep = next(c for c in chapter.pile.coats if c.substance.family == "water").thickness / 1000.0
        relief = chapter.pile.relief()
        under = (chapter.shown > 0.99) & (deep > 0.3)
        self.assertTrue(0.02 < chapter.coverage < 0.9)
        labels, count = ndimage.label(self.image(bench.texels, under.astype(np.float32)) > 0.5)
        whole = self.image(bench.texels, relief)
        sizes = ndimage.sum_labels(np.ones_like(whole), labels, range(1, count + 1))
        for k in np.flatnonzero(sizes > 60) + 1:
            inside = ndimage.binary_erosion(labels == k, iterations=2)
            if inside.sum() > 20:
                self.assertLess(float(np.ptp(whole[inside])), 0.12)

    def test_it_never_stands_over_where_the_ground_it_leaves_spills(self) -> None:
        bench = sized(tile(), 192)
        pile = play(bench, layer("water", Water(level_mm=50.0, ripple=0.0, uneven_mm=8.0)), **CONCRETE)[-1].pile
        dry = replace(pile, coats=tuple(c for c in pile.coats if c.substance.family != "water")).relief()
        level = filled(bench.texels, dry.astype(np.float32)).level
        wet = pile.relief() > dry + 0.05
        self.assertGreater(float(bench.texels.area[wet].sum()), 0.05)
        self.assertLess(float((pile.relief() - level)[wet].max()), 0.03)

    def test_where_no_level_would_do_it_says_what_would(self) -> None:
        # A ball of 5 cm: its dips are pits, however high the level.
        bench = sized(shapes.sphere(0.025, 48), 192)

        def stands(**fields: float) -> tuple[float, str]:
            given = {"uneven_mm": 0.5, "uneven_size_mm": 19.0, "level_mm": 0.6, **fields}
            chapter = play(bench, layer("water", Water(**given)), bases=[from_stock("cast iron")])[-1]  # type: ignore[arg-type]
            return chapter.coverage, chapter.note

        said = "The hollows here are too small to hold water: raise the unevenness"
        for level in (0.6, 30.0):
            covered, note = stands(level_mm=level)
            self.assertEqual(covered, 0.0)
            self.assertTrue(note.startswith(said), note)
        covered, note = stands(uneven_mm=3.0)
        self.assertGreater(covered, 0.0)
        self.assertEqual(note, "")
        # There it is the level that is too low for more than a film.
        covered, note = stands(uneven_mm=3.0, level_mm=0.1)
        self.assertEqual((covered, note), (0.0, "No water stands here at this level: raise it"))

    @staticmethod
    def image(texels: Texels, field: np.ndarray) -> np.ndarray:
        out = np.zeros(texels.size**2, np.float32)
        out[texels.pixel] = field
        return out.reshape(texels.size, texels.size)

    def test_tenths_of_a_millimetre_count(self) -> None:
        bench = sized(tile(), 128)
        shares = [
            play(bench, layer("water", Water(by="relief", over_mm=k / 10, uneven_mm=0.0)),
                bases=[from_stock("brick in mortar")])[-1].coverage
            for k in range(-12, 4)
        ]  # fmt: skip
        self.assertTrue(all(a <= b + 1e-6 for a, b in itertools.pairwise(shares)))
        self.assertGreater(len({round(s, 4) for s in shares}), 10)

    def test_leaning_ground_above_the_level_of_the_relief_is_dry(self) -> None:
        # A texel falls by millimetres there, which is no shore.
        bench = sized(tilted(40.0), 128)
        dry = play(
            bench, layer("water", Water(by="relief", over_mm=-0.6, uneven_mm=0.0)), bases=[from_stock("cast iron")]
        )[-1]
        self.assertEqual(dry.coverage, 0.0)

    def test_joints_first(self) -> None:
        bench = sized(tile(), 256)
        bricks = {"bases": [from_stock("brick in mortar")]}
        chapter = play(bench, layer("water", Water(by="relief", over_mm=-1.5, uneven_mm=0.0, shore_mm=0.0)), **bricks)[
            -1
        ]
        joint = chapter.pile.marks.joint
        assert joint is not None
        wet = chapter.shown > 0.5
        self.assertTrue(wet.any())
        self.assertGreater(float(joint[wet].mean()), 3 * float(joint.mean()))

    def test_level_of_the_world(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        chapter = play(bench, layer("water", Water(by="world", above_mm=100.0)), **CONCRETE)[-1]
        high = (bench.texels.position[:, 1] - bench.texels.position[:, 1].min()) * 1000
        self.assertTrue((chapter.shown[high < 85] > 0.9).all())
        self.assertTrue((chapter.shown[high > 115] < 0.1).all())

    def test_colour_fades_with_depth(self) -> None:
        # Beer and Lambert: the logarithm of what is left is proportional to the depth.
        bench = sized(tile(), 96)
        logs = []
        for level in (20.0, 40.0, 80.0):
            water = Water(
                by="relief",
                over_mm=level,
                uneven_mm=0.0,
                murk=0.0,
                color=(0.5, 0.7, 0.9),
                color_mm=100.0,
                ripple=0.0,
                shore_mm=0.0,
            )
            pile = play(bench, layer("water", water), **CONCRETE)[-1].pile
            logs.append(np.log(seen(pile, "base_color").mean(axis=0)))
        first, second = logs[1] - logs[0], logs[2] - logs[1]
        np.testing.assert_allclose(second / first, 2.0, rtol=0.02)
        # Down and up again: twice the depth.
        np.testing.assert_allclose(first, 2 * 20.0 / 100.0 * np.log([0.5, 0.7, 0.9]), rtol=0.02)

    def test_mirror(self) -> None:
        bench = sized(tile(), 96)
        pile = play(bench, layer("water", Water(by="relief", over_mm=8.0, uneven_mm=0.0, ripple=0.0)), **CONCRETE)[
            -1
        ].pile
        self.assertLess(float(seen(pile, "roughness").max()), 0.2)
        self.assertLess(float(seen(pile, "coat_roughness").max()), 0.06)
        # F0 of stone under water against air: ((1.5 - 1.33) / (1.5 + 1.33))^2 / 0.04 (Hecht, Optics).
        self.assertAlmostEqual(float(seen(pile, "specular_weight").mean()), 0.0036 / 0.04, delta=0.01)

    def test_bad_levels(self) -> None:
        bench = sized(tile(), 64)
        for water, word in (
            (Water(level_mm=-3.0), "below"), (Water(by="relief", over_mm=-500.0), "below"), (Water(by="world",
                above_mm=-900.0), "below everything"),
            (Water(by="world", above_mm=90000.0), "under water"), (Water(uneven_mm=0.0), ""),
        ):  # fmt: skip
            chapter = play(
                bench,
                layer("water", water),
                bases=[from_stock("enamel")] if water.uneven_mm == 0 else CONCRETE["bases"],
            )[-1]
            self.assertIn(word, chapter.note)
            self.assertTrue(np.isfinite(chapter.pile.relief()).all())

    def test_a_slope_holds_none(self) -> None:
        bench = sized(tilted(20.0), 96)
        self.assertEqual(play(bench, layer("water", Water(level_mm=10.0)), **CONCRETE)[-1].coverage, 0.0)


class SnowLaw(TestCase):
    def test_slope_law(self) -> None:
        # EN 1991-1-3, table 5.2 (from memory): 0.8 up to 30 degrees, 0.8 (60 - a) / 30 up to 60, 0 beyond.
        level = None
        for degrees, wanted in ((0, 1.0), (15, 1.0), (30, 1.0), (45, 0.5), (60, 0.0), (75, 0.0)):
            self.assertAlmostEqual(float(slope_share(np.array([np.cos(np.radians(degrees))]))[0]), wanted, delta=1e-3)
            bench = sized(tilted(float(degrees), 1.0), 96)
            snow = Snow(depth_mm=20.0, wind=0.0, uneven=0.0, crumble=0.0, grain=0.0, melt=0.0)
            chapter = play(bench, layer("snow", snow, Recipe()), bases=[from_stock("enamel")])[-1]
            coats = [c for c in chapter.pile.coats if c.substance.family == "snow"]
            deep = float(np.median(coats[0].thickness)) / 1000.0 if coats else 0.0
            level = deep if degrees == 0 else level
            assert level is not None
            # The ground hides a part of the sky from a slope, which is the reading's business: within a tenth.
            self.assertAlmostEqual(deep / level, wanted, delta=0.1, msg=f"{degrees} degrees")

    def test_albedo(self) -> None:
        # Oke, Boundary Layer Climates, table 1.1 (from memory): fresh 0.80 to 0.95, old 0.40 to 0.70.
        bench = sized(tile(), 96)
        for state, low, high in (("fresh", 0.80, 0.95), ("packed", 0.80, 0.95), ("old", 0.40, 0.70)):
            snow = Snow(depth_mm=60.0, state=state)  # type: ignore[arg-type]
            pile = play(bench, layer("snow", snow, Recipe()), **CONCRETE)[-1].pile
            here = pile.exposed("snow") > 0.99
            value = luminance(seen(pile, "base_color"))[here]
            self.assertTrue(
                low <= float(value.min()) + 0.02 and float(value.max()) <= high, f"{state} {value.min()} {value.max()}"
            )
            self.assertIn(state, KINDS)

    def test_never_below_and_little_on_what_is_steep(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        chapter = play(bench, layer("snow", Snow(depth_mm=40.0, melt=0.0), Recipe()), **CONCRETE)[-1]
        up = bench.texels.normal[:, 1]
        self.assertEqual(float(chapter.shown[up < 0.2].max()), 0.0)
        self.assertGreater(float(chapter.shown[up > 0.9].mean()), 0.3)

    def test_packed_all_round_it_lies_on_every_side(self) -> None:
        bench = sized(shapes.sphere(0.3), 128)
        snow = Snow(depth_mm=20.0, lies="round", uneven=0.0, crumble=0.0, grain=0.0, melt=0.0)
        chapter = play(bench, layer("snow", snow, Recipe()), **CONCRETE)[-1]
        self.assertEqual(chapter.note, "")
        deep = chapter.pile.coat_thickness("snow") / 1000.0
        up = bench.texels.normal[:, 1]
        for side in (up > 0.7, np.abs(up) < 0.3, up < -0.7):
            self.assertAlmostEqual(float(np.median(deep[side])), 20.0, delta=1.0)
        fell = play(bench, layer("snow", snow.model_copy(update={"lies": "fell"}), Recipe()), **CONCRETE)[-1]
        self.assertEqual(float(fell.shown[up < -0.3].max()), 0.0)

    def test_its_relief_has_two_sizes(self) -> None:
        bench = sized(tile(), 256)

        def relief(**fields: float) -> np.ndarray:
            snow = Snow(depth_mm=60.0, wind=0.0, uneven=0.0, crumble=0.0, melt=0.0, **fields)  # type: ignore[arg-type]
            return np.asarray(play(bench, layer("snow", snow, Recipe()), **CONCRETE)[-1].pile.relief())

        smooth = relief(grain=0.0)
        inside = np.abs(bench.texels.position[:, [0, 2]]).max(axis=1) < 0.35 * np.ptp(bench.texels.position[:, 0])

        def left(blurred_mm: float, **fields: float) -> float:
            return float(blur(bench.texels, relief(**fields) - smooth, blurred_mm)[inside].std())

        # What is three times as wide is still there when as much is softened away as takes the usual one out.
        for field, other in (("clump_mm", {"lump_mm": 1.0}), ("lump_mm", {"clump_mm": 0.5})):
            usual = float(Snow.model_fields[field].default)
            narrow, wide = (left(usual * 0.6, **{field: usual * k}, **other) for k in (1, 3))
            self.assertGreater(wide, 1.25 * narrow, field)

    def test_a_roof_upside_down_stays_bare(self) -> None:
        bench = sized(tilted(180.0), 64)
        chapter = play(bench, layer("snow", Snow()), **CONCRETE)[-1]
        self.assertEqual(chapter.coverage, 0.0)
        self.assertIn("faces up", chapter.note)

    def test_two_metres_on_a_bolt(self) -> None:
        # A heap is no higher than its own width allows.
        bench = sized(shapes.box(0.02), 128)
        pile = play(bench, layer("snow", Snow(depth_mm=2000.0, wind=0.0, uneven=0.0), Recipe()), **CONCRETE)[-1].pile
        deep = max(float(c.thickness.max()) for c in pile.coats if c.substance.family == "snow") / 1000.0
        self.assertTrue(2.0 < deep < 40.0, deep)
        self.assertTrue(np.isfinite(pile.relief()).all())

    def test_wind(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        setting = Setting(wind_from_deg=90.0)  # from +x
        still, blown = (
            play(bench, layer("snow", Snow(depth_mm=30.0, wind=w, uneven=0.0, crumble=0.0, drift_mm=40.0), Recipe()),
                setting=setting, **CONCRETE)[-1]
            for w in (0.0, 1.0)
        )  # fmt: skip
        top = bench.texels.normal[:, 1] > 0.9
        x = bench.texels.position[:, 0]
        lee, front = top & (x < -0.12) & (x > -0.17), top & (x > 0.12) & (x < 0.17)

        def deep(chapter: Chapter, rows: np.ndarray) -> float:
            return float(np.mean(next(c for c in chapter.pile.coats if c.substance.family == "snow").thickness[rows]))

        self.assertAlmostEqual(deep(still, lee) / deep(still, front), 1.0, delta=0.1)
        self.assertGreater(deep(blown, lee), 1.15 * deep(blown, front))

    def test_meltwater_wets_what_is_below(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        chapter = play(bench, layer("snow", Snow(state="old", depth_mm=30.0, melt=1.0), Recipe()), **CONCRETE)[-1]
        made = bench.as_made(scene(**CONCRETE))
        side = (np.abs(bench.texels.normal[:, 1]) < 0.2) & (bench.texels.position[:, 1] > 0.12)
        self.assertLess(
            float(luminance(seen(chapter.pile, "base_color"))[side].mean()),
            0.93 * float(luminance(seen(made, "base_color"))[side].mean()),
        )

    def test_glints_and_relief_are_delivered(self) -> None:
        bench = sized(tile(), 96)
        pile = play(bench, layer("snow", Snow(depth_mm=25.0), Recipe()), **CONCRETE)[-1].pile
        surface = bench.finish(pile)
        self.assertIn("glint_density", surface.sheet)
        self.assertGreater(float(surface.relief.max()), 15.0)

    def test_frost_is_thin_and_on_edges_first(self) -> None:
        bench = sized(shapes.box(0.3), 192)
        chapter = play(bench, layer("frost", Frost(amount=0.35), Recipe()), **CONCRETE)[-1]
        edge = bench.measured.curvature(6.0) > 0.2
        up = bench.texels.normal[:, 1] > 0.9
        self.assertGreater(float(chapter.shown[edge & up].mean()), float(chapter.shown[~edge & up].mean()))
        self.assertLess(max(float(c.thickness.max()) for c in chapter.pile.coats), 3000.0)

    def test_view_factor_of_sky_on_the_demo_roof(self) -> None:
        # An open plane tilted by b sees (1 + cos b) / 2 (Howell, A Catalog of Radiation Heat Transfer Configuration
        # Factors, from memory).
        from demo.slate_panel import PITCH, build

        mesh = build()
        bench = sized(mesh, 256)
        texels = bench.texels
        names = [part.name for part in mesh.parts]
        out = np.array([0.0, np.cos(PITCH - 0.042), np.sin(PITCH - 0.042)])
        face = (texels.part == names.index("slates")) & (texels.normal @ out > 0.999)
        sky = np.asarray(bench.measured.sky, np.float32)[face]
        # Half of all slate faces lie under the next course; what is open sees what the tilt leaves.
        self.assertAlmostEqual(float(np.quantile(sky, 0.9)), (1 + np.cos(PITCH - 0.042)) / 2, delta=0.03)
        self.assertGreater(float(slope_share(np.array([np.cos(PITCH)]))[0]), 0.75)


class CrackGeometry(TestCase):
    """Networks on a level square, against general-purpose libraries and against what hierarchical networks look
    like.
    """

    def network(
        self, size: int = 512, apart: tuple[float, ...] = (120.0,), bend: float = 0.0, **more: Any
    ) -> tuple[Texels, Cracks]:
        texels = Texels.of(tile(), size)
        generations = []
        for k, mm in enumerate(apart):
            sites = scattered_on(texels.mesh, mm, seed=k)
            generations.append((sites, np.zeros(len(sites), np.int64)))
        half = more.pop("half_mm", [0.0] * len(apart))
        return texels, crack_network(
            texels.position,
            texels.normal,
            np.zeros(len(texels), np.int64),
            generations,
            list(apart),
            half,
            bend=bend,
            **more,
        )

    def test_distance_to_an_edge_is_exact(self) -> None:
        texels, found = self.network(256, (90.0,), vary=0.0)
        sites = scattered_on(texels.mesh, 90.0, seed=0)
        points = texels.position.astype(np.float64)
        near, rows = cKDTree(sites.position).query(points, k=len(sites))
        own = sites.position[rows[:, 0]]
        edge = np.full(len(points), np.inf)
        for k in range(1, len(sites)):
            other = sites.position[rows[:, k]]
            gap = (near[:, k] ** 2 - near[:, 0] ** 2) / (2 * np.linalg.norm(other - own, axis=1))
            edge = np.minimum(edge, gap)
        there = found.distance < 60.0
        self.assertGreater(float(there.mean()), 0.95)
        self.assertLess(float(np.abs(found.distance[there] - edge[there] * 1000).max()), 0.05)

    def test_width_is_as_asked_although_cracks_wander(self) -> None:
        texels, found = self.network(1024, (200.0,), bend=0.25, half_mm=[6.0], vary=0.0)
        crack = np.zeros(1024 * 1024, bool)
        crack[texels.pixel] = found.distance < 0
        # Along the middle of a band the distance to its border is half its width.
        inside = ndimage.distance_transform_edt(crack.reshape(1024, 1024)) * texels.texel_mm
        ridge = (inside == ndimage.maximum_filter(inside, 9)) & (inside > 2.0)
        widths = 2 * inside[ridge] - texels.texel_mm
        self.assertAlmostEqual(float(np.median(widths)), 12.0, delta=1.5)
        self.assertLess(float(np.quantile(np.abs(widths - 12.0), 0.8)), 4.0)

    def test_widths_differ_as_asked(self) -> None:
        _, found = self.network(512, (60.0,), half_mm=[1.0], vary=0.8)
        near = found.distance < 2.0
        _, first = np.unique(found.number[near], return_index=True)
        halves = found.half[near][first]
        # Even between 0.2 and 1.8.
        self.assertAlmostEqual(float(halves.mean()), 1.0, delta=0.12)
        self.assertAlmostEqual(float(halves.min()), 0.2, delta=0.12)
        self.assertAlmostEqual(float(halves.max()), 1.8, delta=0.12)

    def nodes(self, texels: Texels, piece: np.ndarray) -> tuple[list[int], list[float]]:
        """How many pieces meet at each node, and the widest angle there."""
        label = np.zeros(texels.size**2, np.int64)
        label[texels.pixel] = np.unique(piece, return_inverse=True)[1]
        label = label.reshape(texels.size, texels.size)
        four = np.stack([label[:-1, :-1], label[1:, :-1], label[:-1, 1:], label[1:, 1:]], axis=-1)
        many = np.array([len(set(q)) for q in four.reshape(-1, 4)]).reshape(four.shape[:2]) >= 3
        spots, count = ndimage.label(ndimage.binary_dilation(many, iterations=2))
        degrees, widest = [], []
        turn = np.linspace(0, 2 * np.pi, 720, endpoint=False)
        for y, x in ndimage.center_of_mass(many, spots, range(1, count + 1)):
            ring = np.stack([y + 0.5 + 11 * np.sin(turn), x + 0.5 + 11 * np.cos(turn)]).round().astype(int)
            if ring.min() < 0 or ring.max() >= texels.size:
                continue
            around = label[ring[0], ring[1]]
            steps = np.flatnonzero(around != np.roll(around, 1))
            if len(steps) < 3:
                continue
            gaps = np.diff(np.concatenate([steps, [steps[0] + 720]])) * 0.5
            gaps = gaps[gaps > 4.0]
            degrees.append(len(gaps))
            widest.append(float(gaps.max()))
        return degrees, widest

    def test_nodes_of_three(self) -> None:
        texels, found = self.network(1024, (110.0,))
        degrees, widest = self.nodes(texels, found.piece)
        self.assertGreater(len(degrees), 60)
        # Nodes of a random network of cells are of degree 3; seen at the size of a texel some lie next to each other.
        self.assertAlmostEqual(float(np.mean(degrees)), 3.0, delta=0.15)
        self.assertAlmostEqual(float(np.mean(widest)), 145.0, delta=15.0)

    def test_young_cracks_meet_old_ones_near_a_right_angle(self) -> None:
        # Bohn, Pauchard and Couder 2005 (from memory): a young crack joins an older one near 90 degrees, so the angle
        # across is near 180.
        texels, found = self.network(1024, (230.0, 96.0))
        _, only_old = self.network(1024, (230.0,))
        degrees, widest = self.nodes(texels, found.piece)
        self.assertAlmostEqual(float(np.mean(degrees)), 3.0, delta=0.2)
        straight = float(np.mean(np.array(widest) > 160.0))
        _, cells_ = self.nodes(texels, only_old.piece)
        self.assertGreater(straight, float(np.mean(np.array(cells_) > 160.0)) + 0.1)
        self.assertEqual(set(np.unique(found.generation)), {0, 1})

    def test_no_crack_crosses_a_joint(self) -> None:
        # The graph of pieces: cracks that belong to one body are never the nearest on another.
        mesh = shapes.joined(shapes.box(0.2), shapes.box(0.2, (0.2, 0, 0)), shapes.box(0.2, (0.4, 0, 0)))
        bench = sized(mesh, 256)
        for way in ("shrinkage", "stress"):
            cracks = CrackLayer(way=way, size_mm=70.0, generations=2.0)  # type: ignore[arg-type]
            play(bench, layer("cracks", cracks, Recipe()), **CONCRETE)
        shell = bench.texels.shell
        sites = scattered_on(mesh, 60.0, seed=3)
        of_triangle = np.zeros(len(mesh.triangles), np.int64)
        of_triangle[bench.texels.triangle] = shell
        found = crack_network(
            bench.texels.position,
            bench.texels.normal,
            shell.astype(np.int64),
            [(sites, of_triangle[sites.triangle])],
            [60.0],
            [1.0],
        )
        owners: dict[int, set[int]] = {}
        for number, body in zip(found.number.tolist(), shell.tolist(), strict=True):
            owners.setdefault(number, set()).add(body)
        owners.pop(0, None)
        self.assertGreater(len(owners), 20)
        self.assertTrue(all(len(bodies) == 1 for bodies in owners.values()))

    def test_bricks_crack_each_by_itself(self) -> None:
        bench = sized(tile(), 256)
        cracks = CrackLayer(size_mm=90.0, width_mm=3.0, opened=1.0, within="brick", crumble_mm=0.0)
        chapter = play(bench, layer("cracks", cracks, Recipe()), bases=[from_stock("brick in mortar")])[-1]
        self.assertTrue((chapter.shown > 0.5).any())

    def test_it_goes_round_edges(self) -> None:
        # Both sides of an edge of a box agree on how far the next crack is.
        bench = sized(shapes.box(0.4), 256)
        sites = scattered_on(bench.texels.mesh, 90.0, seed=1)
        found = crack_network(
            bench.texels.position,
            bench.texels.normal,
            np.zeros(len(bench.texels), np.int64),
            [(sites, np.zeros(len(sites), np.int64))],
            [90.0],
            [1.0],
        )
        other = bench.texels.links
        here = np.flatnonzero((other[:, 1] >= 0) & (bench.texels.normal[:, 1] > 0.9))
        there = other[here, 1]
        over = bench.texels.normal[there, 1] < 0.5
        self.assertGreater(int(over.sum()), 20)
        same = found.piece[here[over]] == found.piece[there[over]]
        self.assertGreater(float(same.mean()), 0.9)

    def test_default_widths_of_concrete(self) -> None:
        # EN 1992-1-1 table 7.1N and ACI 224R (from memory): 0.10 to 0.41 mm.
        usual = CrackLayer()
        self.assertTrue(0.10 <= usual.width_mm <= 0.41)
        _, found = self.network(512, (117.0, 49.0), half_mm=[1.0, 0.55], vary=0.85 * usual.vary)
        near = found.distance < 2.0
        widths = found.half[near] * usual.width_mm
        self.assertTrue(float(np.quantile(widths, 0.1)) >= 0.09 and float(widths.max()) <= 0.48)
        self.assertLess(float(np.quantile(widths, 0.9)), 0.42)

    def test_depth_and_relief(self) -> None:
        bench = sized(tile(0.2), 512)
        cracks = CrackLayer(
            size_mm=90.0, width_mm=3.0, depth_mm=5.0, opened=1.0, crumble_mm=0.0, offset_mm=0.0, worn=0.0
        )
        chapter = play(bench, layer("cracks", cracks, Recipe()), **CONCRETE)[-1]
        made = bench.as_made(scene(**CONCRETE))
        fell = made.skin - chapter.pile.skin
        self.assertTrue(3.0 < float(fell.max()) < 9.0)
        self.assertLess(float(np.abs(fell[chapter.pile.clefts(0.5) == 0]).max()), 0.5)

    def test_its_cross_section_is_the_one_given(self) -> None:
        bench = sized(tile(0.4), 512)
        usual: dict[str, Any] = {"size_mm": 200.0, "width_mm": 22.0, "depth_mm": 8.0, "opened": 1.0, "crumble_mm": 0.0,
            "offset_mm": 0.0, "worn": 0.0, "dirt": 0.0}  # fmt: skip
        made = bench.as_made(scene(**CONCRETE)).skin

        def fell(**more: Any) -> np.ndarray:
            chapter = play(bench, layer("cracks", CrackLayer(**usual, **more), Recipe()), **CONCRETE)[-1]
            return made - chapter.pile.skin

        step, v = fell(profile="step"), fell(profile="v")
        inside = step > 0.5
        self.assertGreater(int(inside.sum()), 2000)
        # How far each texel lies between lip and middle, read off the straight one.
        way = v[inside] / step[inside]
        self.assertGreater(float(way.max()), 0.95)
        np.testing.assert_allclose(fell(), v, atol=1e-5)
        points = [(0.0, 0.0), (0.4, 0.9), (0.7, 0.5), (1.0, 1.0)]
        for more, wanted in (
            ({"profile": "u"}, np.sqrt(1 - (1 - way) ** 2)),
            ({"profile": "v", "bevel": 0.4}, np.minimum(way / 0.4, 1.0)),
            ({"profile": "own", "curve": points}, PchipInterpolator(*np.array(points).T)(way)),
        ):
            np.testing.assert_allclose(fell(**more)[inside] / step[inside], wanted, atol=0.01, err_msg=str(more))
        with self.assertRaisesRegex(ValueError, "goes back on itself"):
            CrackLayer(profile="own", curve=[(0.0, 0.0), (0.6, 1.0), (0.4, 0.5)])

    @staticmethod
    def finished_widths(bench: Any, **more: Any) -> np.ndarray:
        """Widths in mm of the cracks of a finished surface, from its relief by a general-purpose distance transform."""
        plain = {
            "generations": 1.0,
            "opened": 1.0,
            "crumble_mm": 0.0,
            "offset_mm": 0.0,
            "worn": 0.0,
            "dirt": 0.0,
            "depth_mm": 20.0,
        }
        cracks = CrackLayer(size_mm=180.0, width_mm=8.0, **(plain | more))  # type: ignore[arg-type]
        chapter = play(bench, layer("cracks", cracks, Recipe()), **CONCRETE)[-1]
        fell = bench.as_made(scene(**CONCRETE)).skin - chapter.pile.skin
        cut = np.zeros(512 * 512, bool)
        cut[bench.texels.pixel] = fell > 0.2
        inside = ndimage.distance_transform_edt(cut.reshape(512, 512)) * bench.texels.texel_mm
        ridge = (inside == ndimage.maximum_filter(inside, 5)) & (inside > bench.texels.texel_mm)
        # A band of n texels, n odd or even, has its ridge (n + 1) / 2 or n / 2 texels from its border.
        return np.asarray(2 * inside[ridge] - 0.5 * bench.texels.texel_mm)

    def test_widths_of_a_finished_surface_are_as_asked(self) -> None:
        bench = sized(tile(0.5), 512)
        alike = self.finished_widths(bench, vary=0.0)
        self.assertAlmostEqual(float(np.median(alike)), 8.0, delta=bench.texels.texel_mm)
        self.assertLess(float(np.quantile(np.abs(alike - 8.0), 0.8)), 1.6)
        differ = self.finished_widths(bench, vary=0.8)
        self.assertAlmostEqual(float(np.median(differ)), 8.0, delta=2.4)
        self.assertGreater(
            float(np.subtract(*np.quantile(differ, [0.85, 0.15]))),
            2.0 * float(np.subtract(*np.quantile(alike, [0.85, 0.15]))),
        )

    def test_more_years_open_more(self) -> None:
        bench = sized(tile(), 256)
        shares = [
            play(bench, layer("c", CrackLayer(width_mm=3.0), Recipe(), strength=s), **CONCRETE)[-1].coverage
            for s in (0.2, 0.5, 1.0)
        ]
        self.assertTrue(shares[0] < shares[1] < shares[2], shares)

    def test_from_holes(self) -> None:
        import trimesh

        from limus.surface.mesh import Part

        ring = trimesh.creation.annulus(0.05, 0.2, 0.05, sections=48)
        corners = np.asarray(ring.faces, np.int32)
        mesh = Mesh(
            np.asarray(ring.vertices, np.float32),
            np.asarray(ring.vertex_normals, np.float32),
            corners,
            None,
            parts=(Part("r", 0, len(ring.faces), 0),),
            source="ring",
        )
        weak = weak_points(mesh)
        # On the rim of the hole, and leading away from it.
        self.assertGreater(len(weak.at), 40)
        self.assertTrue(np.allclose(np.hypot(weak.at[:, 0], weak.at[:, 1]), 0.05, atol=1e-3))
        away = np.sum(weak.way[:, :2] * weak.at[:, :2], axis=1)
        self.assertGreater(float((away > 0).mean()), 0.9)

    def test_bad_sizes(self) -> None:
        bench = sized(shapes.box(0.1), 64)
        fine = play(bench, layer("c", CrackLayer(size_mm=0.5), Recipe()), **CONCRETE)[-1]
        self.assertIn("finer than two texels", fine.note)
        huge = play(bench, layer("c", CrackLayer(size_mm=90000.0), Recipe()), **CONCRETE)[-1]
        self.assertIn("larger than", huge.note)
        metal = play(bench, layer("c", CrackLayer()))[-1]
        self.assertIn("metal", metal.note)

    def test_the_source_knows_where_they_are(self) -> None:
        bench = sized(tile(), 256)
        below = Recipe(terms=[term(CracksSource(reach_mm=6.0), low=0.0, high=1.0)])
        chapters = play(bench, layer("c", CrackLayer(width_mm=2.0), Recipe()), layer("dust", Dust(), below), **CONCRETE)
        lips = chapters[0].pile.clefts(0.5) > 0.5
        self.assertGreater(float(chapters[1].mask[lips].mean()), 0.8)
        self.assertLess(float(chapters[1].mask.mean()), 0.5)
        empty = CracksSource()
        self.assertIn("Put a layer of cracks", empty.finding(bench.scope(scene(), bench.as_made(scene()))))


class AlongCracks(TestCase):
    def green(self, damp: float, patches: float, texel_mm: float = 1.0, crack_mm: float = 20.0) -> tuple[float, float]:
        """mm of a way across a crack that are green, and how far from its lips."""
        at = np.arange(0.5 * texel_mm, 200.0, texel_mm, dtype=np.float32)
        event: Any = SimpleNamespace(texel_mm=texel_mm, noise=lambda *a, **k: np.full(len(at), patches, np.float32))
        found = _along(event, at, np.full(len(at), damp, np.float32), crack_mm)
        return float(found.sum() * texel_mm), float(at[found > 0.02].max(initial=0.0))

    def test_as_wide_as_it_is_damp_there_and_in_patches(self) -> None:
        self.assertEqual(self.green(0.0, 0.0), (0.0, 0.0))
        dry, damp = self.green(0.3, 0.0), self.green(0.8, 0.0)
        self.assertGreater(damp[1], 2.0 * dry[1])
        # Not one width: a patch of more, a patch of none.
        self.assertGreater(self.green(0.4, 1.0)[1], 2.0 * self.green(0.4, 0.0)[1])
        self.assertEqual(self.green(0.4, -1.0)[0], 0.0)

    def test_finer_than_a_texel_it_counts_by_its_share(self) -> None:
        fine = self.green(0.5, 0.0, 0.5)[0]
        self.assertAlmostEqual(self.green(0.5, 0.0, 4.0)[0] / fine, 1.0, delta=0.1)
        # A texel three times as wide as the band is neither all green nor bare.
        self.assertAlmostEqual(self.green(0.5, 0.0, 30.0)[0] / fine, 1.0, delta=0.15)

    def test_no_wider_on_large_objects_than_water_creeps(self) -> None:
        # 20 m: the rounding of edges is 40 mm there, which was the width of the net; on something small it is narrower
        # than that.
        bench = sized(tile(4.0), 96)
        cracked = layer("cracks", CrackLayer(size_mm=900.0, width_mm=40.0), Recipe())
        for edge_mm, reach in ((40.0, 25.0), (4.0, 8.0)):
            with mock.patch("limus.effects.habitat._along", wraps=_along) as along:
                play(
                    bench,
                    cracked,
                    layer("algae", Algae(edge_mm=edge_mm), Recipe()),
                    bases=[from_stock("smooth concrete")],
                )
            self.assertEqual([call.args[3] for call in along.call_args_list], [reach])


class Growths(TestCase):
    def test_lichen_by_years(self) -> None:
        # Crustose lichens grow by the order of 0.5 mm a year (lichenometry handbooks, from memory): the largest is at
        # most two radii wide.
        bench = sized(tile(0.2), 512)
        for years in (20.0, 80.0):
            found = Lichen(years=years, amount=0.8, rate_mm=0.5, kinds="grey", lobes=0.0, bare=0.0)
            chapter = play(bench, layer("l", found, Recipe()), **CONCRETE)[-1]
            image = np.zeros(512 * 512, bool)
            image[bench.texels.pixel] = chapter.shown > 0.4
            labels, count = ndimage.label(image.reshape(512, 512))
            boxes = ndimage.find_objects(labels)
            sizes = (
                np.array([max(b[0].stop - b[0].start, b[1].stop - b[1].start) for b in boxes if b])
                * bench.texels.texel_mm
            )
            self.assertGreater(count, 10)
            single = np.sort(sizes)[int(0.5 * len(sizes)) :]
            self.assertLessEqual(float(np.quantile(single, 0.5)), 2 * 0.5 * years)
            self.assertGreater(float(sizes.max()), 0.5 * years)

    def test_growth_likes_what_is_damp_shaded_and_rough(self) -> None:
        bench = sized(shapes.box(0.5), 128)
        n = bench.texels.normal
        setting = Setting(latitude=52.0, wind_speed=0.0)
        algae = play(bench, layer("a", Algae(foot_mm=0.0), Recipe()), setting=setting, **CONCRETE)[-1]
        north, south = n[:, 2] < -0.9, n[:, 2] > 0.9
        self.assertGreater(float(algae.shown[north].mean()), 2 * float(algae.shown[south].mean()))
        moss = play(bench, layer("m", Moss(), Recipe()), setting=setting, **CONCRETE)[-1]
        up, side, below = n[:, 1] > 0.9, np.abs(n[:, 1]) < 0.2, n[:, 1] < -0.9
        self.assertGreater(float(moss.shown[up].mean()), float(moss.shown[side].mean()))
        self.assertEqual(float(moss.shown[below].max()), 0.0)

    def test_moss_in_joints_first(self) -> None:
        bench = sized(tile(), 256)
        chapter = play(bench, layer("m", Moss(amount=0.3), Recipe()), bases=[from_stock("brick in mortar")])[-1]
        joint = chapter.pile.marks.joint
        assert joint is not None
        there = chapter.shown > 0.5
        self.assertGreater(float(joint[there].mean()), 2 * float(joint.mean()))
        # It has volume.
        self.assertGreater(
            float((chapter.pile.relief() - bench.as_made(scene(bases=[from_stock("brick in mortar")])).relief()).max()),
            2.0,
        )

    def test_points_are_never_nearer_than_asked_and_leave_no_room(self) -> None:
        mesh = shapes.sphere(0.2, 64)
        sites = scattered_on(mesh, 20.0, seed=4)
        gaps = cKDTree(sites.position).query(sites.position, k=2)[0][:, 1]
        self.assertGreaterEqual(float(gaps.min()), 0.02 - 1e-9)
        texels = Texels.of(mesh, 128)
        far = cKDTree(sites.position).query(texels.position)[0]
        self.assertLess(float(np.quantile(far, 0.98)), 0.02)

    def test_covering_discs(self) -> None:
        texels = Texels.of(tile(), 128)
        rng = np.random.default_rng(0)
        at = np.stack([rng.uniform(0, 1, 60), np.zeros(60), rng.uniform(0, 1, 60)], axis=1)
        radius = rng.uniform(0.01, 0.08, 60)
        up = np.tile([0.0, 1.0, 0.0], (60, 1))
        found = covering(texels.position, texels.normal, at, up, radius)
        power = radius[None] ** 2 - ((texels.position[:, None] - at[None]) ** 2).sum(axis=2)
        best = power.argmax(axis=1)
        inside = power.max(axis=1) > 1e-7
        np.testing.assert_array_equal(found.which[inside], best[inside])
        self.assertTrue((found.which[power.max(axis=1) < -1e-7] == -1).all())


class SunAndRain(TestCase):
    def test_fading_follows_the_sun(self) -> None:
        bench = sized(shapes.box(0.5), 96)
        red = Paint(color=(0.4, 0.02, 0.02))
        chapters = play(bench, layer("p", red), layer("f", Fading(years=30.0, yellow=0.0), Recipe()))
        before, after = seen(chapters[0].pile, "base_color"), seen(chapters[1].pile, "base_color")
        n = bench.texels.normal
        lost = (before[:, 0] - before[:, 1]) - (after[:, 0] - after[:, 1])
        self.assertGreater(float(lost[n[:, 1] > 0.9].mean()), 3 * max(float(lost[n[:, 2] < -0.9].mean()), 1e-3))
        more = play(bench, layer("p", red), layer("f", Fading(years=60.0), Recipe()))[-1]
        self.assertGreater(more.coverage, chapters[1].coverage)
        self.assertIn("Nothing here fades", play(bench, layer("f", Fading()), **CONCRETE)[-1].note)

    def test_stains_run_from_what_they_come_from(self) -> None:
        two = shapes.joined(
            shapes.box(0.4),
            replace(shapes.box(0.06, (0, 0.05, 0.2)), parts=(replace(shapes.box().parts[0], name="bolt"),)),
        )
        bench = sized(two, 256)
        bolt = two.parts[1].name
        bases = [from_stock("smooth concrete"), from_stock("cast iron", parts=[bolt])]
        chapter = play(bench, layer("s", Staining(what="rust", length_mm=120.0), Recipe()), bases=bases)[-1]
        p = bench.texels.position
        wall = (bench.texels.part != 1) & (p[:, 2] > 0.199) & (np.abs(p[:, 0]) < 0.03)
        below, above = wall & (p[:, 1] < 0.01) & (p[:, 1] > -0.08), wall & (p[:, 1] > 0.15)
        self.assertGreater(float(chapter.shown[below].mean()), 0.03)
        self.assertEqual(float(chapter.shown[above].max()), 0.0)
        self.assertIn("cracks", play(bench, layer("s", Staining(what="lime")), bases=bases)[-1].note)

    def test_lime_runs_out_of_joints_and_stands_up(self) -> None:
        bench = sized(shapes.box(0.5), 192)
        brick = {"bases": [from_stock("brick in mortar")]}
        lime = Staining(what="lime", amount=1.0, width_mm=20.0, broken=0.0, spread_mm=0.0)
        chapter = play(bench, layer("s", lime, Recipe()), **brick)[-1]
        side, marks = np.abs(bench.texels.normal[:, 1]) < 0.1, chapter.pile.marks
        assert marks.joint is not None
        joint, far = side & (marks.joint > 0.9), side & (marks.joint < 0.01)
        self.assertGreater(float(chapter.shown[joint].mean()), 1.3 * float(chapter.shown[far].mean()))
        crust = next(coat for coat in chapter.pile.coats if coat.layer == "s")
        self.assertIs(crust.substance, LIME)
        # Micrometres above the film that hides as much: a crust stands up, the more the wider a run is.
        stands = crust.thickness - film_um(chapter.shown, LIME.hide_um)
        self.assertGreater(float(stands.max()), 40.0)
        self.assertEqual(float(np.abs(crust.thickness[chapter.shown == 0]).max(initial=0.0)), 0.0)
        narrow = play(bench, layer("s", lime.model_copy(update={"width_mm": 5.0}), Recipe()), **brick)[-1]
        less = narrow.pile.coats[-1].thickness - film_um(narrow.shown, LIME.hide_um)
        self.assertLess(float(less.max()), 0.6 * float(stands.max()))

    def test_soot_stains_above_openings(self) -> None:
        # A wall with a window of 200 x 200 mm in it, 400 mm deep.
        def quad(*corners: tuple[float, float, float]) -> np.ndarray:
            return np.array(corners)

        w, left, right, low, high, back = 0.1, -0.4, 0.4, -0.4, 0.5, -0.4
        quads = [
            quad((left, low, 0), (-w, low, 0), (-w, high, 0), (left, high, 0)),
            quad((w, low, 0), (right, low, 0), (right, high, 0), (w, high, 0)),
            quad((-w, low, 0), (w, low, 0), (w, -w, 0), (-w, -w, 0)),
            quad((-w, w, 0), (w, w, 0), (w, high, 0), (-w, high, 0)),
            quad((-w, -w, 0), (w, -w, 0), (w, -w, back), (-w, -w, back)),
            quad((w, w, 0), (-w, w, 0), (-w, w, back), (w, w, back)),
            quad((-w, -w, back), (-w, w, back), (-w, w, 0), (-w, -w, 0)),
            quad((w, -w, 0), (w, w, 0), (w, w, back), (w, -w, back)),
            quad((-w, -w, back), (w, -w, back), (w, w, back), (-w, w, back)),
        ]
        wall = shapes.from_faces([(corners, shapes.cell(k % 3, k // 3, 3, 3)) for k, corners in enumerate(quads)])
        bench = sized(wall, 256)
        soot = Staining(what="soot", length_mm=300.0, broken=0.0)
        chapter = play(bench, layer("s", soot, Recipe()), **CONCRETE)[-1]
        self.assertEqual(chapter.note, "")
        p, front = bench.texels.position, bench.texels.normal[:, 2] > 0.9
        face = front & (p[:, 2] > -0.001) & (np.abs(p[:, 0]) < 0.08)
        above, below = face & (p[:, 1] > 0.12) & (p[:, 1] < 0.25), face & (p[:, 1] < -0.15)
        self.assertGreater(float(chapter.shown[above].mean()), 0.02)
        self.assertLess(float(chapter.shown[below].mean()), 0.2 * float(chapter.shown[above].mean()))
        flat = play(sized(tilted(90.0), 96), layer("s", soot, Recipe()), **CONCRETE)[-1]
        self.assertIn("no openings", flat.note)

    def test_a_brush_leaves_furrows_along_the_longer_way(self) -> None:
        cube = shapes.box(0.2)
        board = replace(cube, positions=(cube.positions * np.array([3.0, 1.0, 1.0])).astype(np.float32))
        bench = sized(board, 256)

        def uneven(way: str) -> tuple[float, float]:
            """Mean step of the gloss from texel to texel along the board and across it, on its front."""
            paint = Paint(way=way, texture_mm=12.0, unevenness=0.0)  # type: ignore[arg-type]
            pile = play(bench, layer("p", paint, Recipe()))[-1].pile
            rough, texels = seen(pile, "roughness"), bench.texels
            links = texels.links
            front = np.flatnonzero(texels.normal[:, 2] > 0.9)
            out = []
            for axis in (0, 1):
                steps = []
                for k in range(4):
                    to = links[front, k]
                    at, to = front[to >= 0], to[to >= 0]
                    way_ = np.abs(texels.position[to] - texels.position[at])
                    own = way_[:, axis] > 5 * way_[:, 1 - axis]
                    steps.append(np.abs(rough[to] - rough[at])[own] / way_[own, axis])
                out.append(float(np.concatenate(steps).mean()))
            return out[0], out[1]

        along, across = uneven("brush")
        self.assertGreater(across, 3 * along)
        self.assertGreater(along, 0.0)
        # A sprayed film has no way, and its gloss no furrows.
        self.assertLess(max(uneven("spray")), 0.05 * across)

    def test_soot_goes_up(self) -> None:
        texels = Texels.of(tilted(90.0), 64)
        source = np.zeros(len(texels), np.float32)
        middle = (np.abs(texels.position[:, 1] - texels.position[:, 1].mean()) < 0.02) & (
            np.abs(texels.position[:, 0] - 0.5) < 0.1
        )
        source[middle] = 1.0
        up, down = run_down(texels, source, 200.0, upwards=True), run_down(texels, source, 200.0)
        high = texels.position[:, 1] > texels.position[:, 1].mean() + 0.05
        low = texels.position[:, 1] < texels.position[:, 1].mean() - 0.05
        self.assertGreater(float(up[high].max()), 0.3)
        self.assertEqual(float(up[low].max()), 0.0)
        self.assertGreater(float(down[low].max()), 0.3)

    def test_rain_washes_dust_below_edges(self) -> None:
        bench = sized(shapes.box(0.5), 128)
        dust = layer("d", Dust(cling=1.0, thickness_um=60.0), Recipe())
        chapters = play(bench, dust, layer("w", Washing(coverage=0.4), Recipe()), **CONCRETE)
        coats = [next(c for c in chapter.pile.coats if c.layer == "d") for chapter in chapters]
        gone = 1 - covered(coats[1].thickness, coats[1].substance) / np.maximum(
            covered(coats[0].thickness, coats[0].substance), 1e-6
        )
        side = np.abs(bench.texels.normal[:, 1]) < 0.1
        self.assertTrue(0.1 < float(gone[side].mean()) < 0.9)
        self.assertEqual(float(gone[bench.texels.normal[:, 1] < -0.9].max()), 0.0)
        self.assertIn("no dust", play(bench, layer("w", Washing()), **CONCRETE)[-1].note)

    def test_flood_line_is_level(self) -> None:
        bench = sized(shapes.box(0.5), 192)
        mud = Mud(level_mm=200.0, ragged_mm=0.0, splash_mm=0.0, amount=1.0)
        chapter = play(bench, layer("m", mud, Recipe()), **CONCRETE)[-1]
        high = (bench.texels.position[:, 1] - bench.texels.position[:, 1].min()) * 1000
        side = np.abs(bench.texels.normal[:, 1]) < 0.1
        self.assertEqual(float(chapter.shown[side & (high > 225)].max()), 0.0)
        self.assertGreater(float(chapter.shown[side & (high < 150)].mean()), 0.3)
        self.assertIn("above the flood", play(bench, layer("m", Mud(level_mm=-500.0)), **CONCRETE)[-1].note)

    def test_water_is_neither_made_nor_lost_on_its_way(self) -> None:
        bench = sized(shapes.sphere(0.3, 48), 96)
        place = Place(bench.texels, bench.measured, Setting())
        ran = flow(bench.texels, rain_by_sky(place))
        self.assertGreater(ran.started, 0)
        self.assertAlmostEqual((ran.pooled + ran.left + ran.fell) / ran.started, 1.0, places=5)

    def test_by_sky_agrees_with_direction_where_nothing_hides(self) -> None:
        bench = sized(tilted(0.0), 48)
        place = Place(bench.texels, bench.measured, Setting())
        self.assertAlmostEqual(float(rain_by_sky(place).mean()), 1.0, delta=0.02)
        self.assertAlmostEqual(float(sun_by_sky(place).mean()), 1.0, delta=0.05)
        calm = Place(bench.texels, bench.measured, Setting(wind_speed=0.0))
        self.assertTrue(np.isfinite(rain_by_sky(calm)).all())


class Distances(TestCase):
    def test_along_the_surface_against_scipy(self) -> None:
        texels = Texels.of(tile(), 128)
        start = np.hypot(texels.position[:, 0] - 0.3, texels.position[:, 2] - 0.6) < 0.05
        found = distance_along(texels, start, 5000.0)
        image = np.ones(128 * 128, bool)
        image[texels.pixel] = ~start
        wanted = ndimage.distance_transform_edt(image.reshape(128, 128)).ravel()[texels.pixel] * texels.texel_mm
        self.assertLess(float(np.abs(found - wanted).max()), 0.02 * 1000 + 1.5 * texels.texel_mm)
        self.assertLess(float(np.abs(found - wanted).mean()), texels.texel_mm)

    def test_it_goes_over_edges_and_stops_where_told(self) -> None:
        bench = sized(shapes.box(0.4), 96)
        top = bench.texels.normal[:, 1] > 0.9
        found = distance_along(bench.texels, top, 100.0)
        side = np.abs(bench.texels.normal[:, 1]) < 0.1
        down = (0.2 - bench.texels.position[:, 1]) * 1000
        near = side & (down < 80)
        self.assertLess(float(np.abs(found[near] - down[near]).mean()), 1.5 * bench.texels.texel_mm)
        self.assertEqual(float(found.max()), 100.0)


class Snapshots(TestCase):
    def test_a_state_by_its_name(self) -> None:
        one = scene(
            layer("paint", Paint()),
            layer("snow", Snow()),
            snapshots=[Snapshot(id="a", name="Dry", layers_off=["snow"], year=3.0)],
        )
        dry = one.at_snapshot("Dry")
        self.assertEqual([x.on for x in dry.layers], [True, False])
        self.assertEqual(dry.year, 3.0)
        self.assertTrue(all(x.on for x in one.layers))
        with self.assertRaises(InputError) as caught:
            one.at_snapshot("Wet")
        self.assertIn("'Dry'", caught.exception.remedy)

    def test_twice_the_same_id(self) -> None:
        twice = [{"id": "a", "name": "A"}, {"id": "a", "name": "B"}]
        with self.assertRaises(InputError) as caught:
            scene_from({"version": 1, "object": {"file": "a.glb"}, "snapshots": twice})
        self.assertIn("snapshots[1].id", caught.exception.line)

    def test_the_demo_has_dry_wet_and_winter(self) -> None:
        from demo.scenario import pier_cap_scene, slate_panel_scene

        for made in (pier_cap_scene(), slate_panel_scene()):
            self.assertEqual([s.name for s in made.snapshots], ["Dry", "Wet", "Winter"])
            families = {
                name: {x.effect.kind for x in made.at_snapshot(name).layers if made.at_snapshot(name).plays(x)}
                for name in ("Dry", "Wet", "Winter")
            }
            self.assertIn("wetness", families["Wet"] - families["Dry"])
            self.assertIn("snow", families["Winter"] - families["Dry"])


class Ranges(TestCase):
    def test_heights_run_over_what_is_there(self) -> None:
        bench = sized(shapes.box(0.4), 64)
        for effect, field, low in ((Mud(), "level_mm", 0.0), (Splash(), "height_mm", 1.0)):
            on_ground = dict(play(bench, layer("x", effect, Recipe()))[-1].ranges)[field]
            np.testing.assert_allclose(on_ground, (low, 400.0), atol=8.0)
            # On a pier half a metre above the ground of its setting.
            above = dict(play(bench, layer("x", effect, Recipe()), setting=Setting(ground_mm=-700.0))[-1].ranges)[field]
            np.testing.assert_allclose(above, (500.0, 900.0), atol=8.0)


class Same(TestCase):
    def test_the_same_bytes_again_and_alike_at_two_resolutions(self) -> None:
        kinds = (
            CrackLayer(width_mm=3.0, size_mm=120.0),
            Algae(),
            Moss(),
            Lichen(years=60.0),
            Wetness(),
            Water(),
            Snow(),
        )
        for effect in kinds:
            shares = []
            for size in (192, 384):
                one, two = (
                    play(sized(tile(0.6), size), layer("x", effect, Recipe()), **CONCRETE)[-1] for _ in range(2)
                )
                np.testing.assert_array_equal(one.shown, two.shown)
                shares.append(one.coverage)
            self.assertAlmostEqual(shares[0], shares[1], delta=0.25 * max(shares) + 0.01, msg=effect.kind)

    def test_even_source_is_all(self) -> None:
        # A plain place of full white changes nothing about where water stands.
        bench = sized(tile(), 64)
        plain, white = (
            play(bench, layer("w", Water(), where), **CONCRETE)[-1].coverage for where in (Recipe(),
                Recipe(terms=[term(Even(level=1.0))]))
        )  # fmt: skip
        self.assertAlmostEqual(plain, white, places=5)

    def test_every_effect_on_a_ball(self) -> None:
        bench = bench_for(shapes.sphere(0.2, 48), 128)
        for effect in (Wetness(), Frost(), Snow(), Algae(), Moss(), Lichen(), Mud(level_mm=120.0)):
            chapter = play(bench, layer("x", effect), **CONCRETE)[-1]
            self.assertTrue(np.isfinite(chapter.pile.relief()).all())
            self.assertGreater(chapter.coverage, 0.003, effect.kind)
