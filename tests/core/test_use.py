"""Effects of use: what comes out against standards, optics of the trade and general-purpose libraries."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image
from scipy import ndimage, stats
from skimage import measure

from limus.bases.choice import from_stock
from limus.bases.materials.map_set import MapSet
from limus.common.colour import to_linear
from limus.common.errors import InputError
from limus.common.store import Store
from limus.document.scene import Layer
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import Chipping
from limus.effects.decal import Decal
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.lacquer import Lacquer
from limus.effects.leaks import Leaks
from limus.effects.paint import Paint
from limus.effects.patina import Patina, lost_um
from limus.effects.peeling import Peeling
from limus.effects.rubbing import Rubbing
from limus.effects.rust import ASTM_GRADES, RUST_GRADES, Rust
from limus.effects.scratching import Scratching
from limus.effects.smears import Smears
from limus.effects.splash import Splash
from limus.effects.variation import Variation
from limus.formats.picture_read import read_picture
from limus.formats.svg_read import MOST_BYTES
from limus.map_sets.recognise import MapUse
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.even import Even
from limus.masks.sources.noise import Noise
from limus.masks.sources.picture import PictureSource
from limus.materials.substance import covered
from limus.patterns.lettering import FONTS, lettering, unknown_signs
from limus.patterns.noise import fractal
from limus.playing.chronicle import Chapter, Chronicle
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.strata.pile import Pile
from limus.surface.mesh import Mesh
from limus.surface.running import lower_edges, run_down
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.fields import seen
from tests.core.test_effects import bench_for, layer, oxide_of, scene


@lru_cache(maxsize=8)
def _measured(key: str, size: int) -> Measured:
    texels = Texels.of(_MESHES[key], size)
    plan = RayPlan.for_mesh(texels.mesh, 16)
    return Measured(texels, plan, measure_rays(texels, plan))


_MESHES: dict[str, Mesh] = {}


def sized(mesh: Mesh, size: int) -> Chronicle:
    """A bench with readings that suit the object's own size, measured once, and a store of its own."""
    measured = _measured(_MESHES.setdefault(mesh.key, mesh).key, size)
    return Chronicle(measured.texels, measured, Store(1 << 30))


def play(bench: Chronicle, *layers: Layer, **more: Any) -> list[Chapter]:
    return bench.play(scene(*layers, **more))


THREE = (lambda: shapes.box(0.4), lambda: shapes.sphere(0.3, 64), lambda: shapes.cylinder(0.1, 0.5))


class Grades(TestCase):
    """Area of rust by published grades (figures from memory of ISO 4628-3 and ASTM D610)."""

    def test_area_is_that_of_the_grade(self) -> None:
        for make in THREE:
            for size in (256, 512):
                bench = sized(make(), size)
                for settings, wanted in (
                    *(({"by": "iso", "iso": grade}, RUST_GRADES[grade]) for grade in ("Ri2", "Ri3", "Ri4", "Ri5")),
                    *(({"by": "astm", "astm": grade}, ASTM_GRADES[grade]) for grade in ("6", "4", "2")),
                ):
                    rust = Rust.model_validate({**settings, "years": 12.0})
                    chapter = play(bench, layer("paint", Paint()), layer("rust", rust))[-1]
                    # Not what the effect says of itself: the share of the paint that is gone.
                    topcoat = next(c for c in chapter.pile.coats if c.piece == "topcoat")
                    got = bench.texels.share(np.float32(1.0) - covered(topcoat.thickness, topcoat.substance)) * 100
                    self.assertAlmostEqual(chapter.coverage * 100, wanted, delta=0.1 * wanted)
                    self.assertAlmostEqual(got, wanted, delta=0.1 * wanted, msg=f"{settings} at {size}: {chapter.note}")

    def test_nothing_at_grade_nought(self) -> None:
        bench = sized(shapes.box(0.4), 128)
        chapter = play(bench, layer("paint", Paint()), layer("rust", Rust(by="iso", iso="Ri0")))[-1]
        self.assertEqual((chapter.coverage, chapter.note), (0.0, "The coverage is 0"))

    def test_grades_rise(self) -> None:
        self.assertEqual(sorted(RUST_GRADES.values()), list(RUST_GRADES.values()))
        self.assertEqual(sorted(ASTM_GRADES.values()), list(ASTM_GRADES.values()))
        # ISO 4628-3: Ri5 is 40 to 50 %; ASTM D610: grade 4 up to 10 % (from memory).
        self.assertTrue(40 <= RUST_GRADES["Ri5"] <= 50)
        self.assertEqual(ASTM_GRADES["4"], 10.0)

    def test_bare_iron_rusts_first(self) -> None:
        bench = sized(shapes.box(0.4), 256)
        chapters = play(
            bench,
            layer("paint", Paint()),
            layer("chips", Chipping(coverage=0.06, depth=1.0)),
            layer("rust", Rust(by="coverage", coverage=0.15)),
        )
        bare = chapters[1].pile.exposed("ferrous") > 0.95
        self.assertGreater(float(chapters[2].shown[bare].mean()), 0.95)
        self.assertAlmostEqual(chapters[2].coverage, 0.15, delta=0.015)

    def test_only_iron_counts(self) -> None:
        two = shapes.joined(
            shapes.box(0.2),
            replace(shapes.box(0.2, (0.5, 0, 0)), parts=(replace(shapes.box().parts[0], name="brass block"),)),
        )
        names = [p.name for p in two.parts]
        bench = sized(two, 256)
        bases = [from_stock("cast iron"), from_stock("brass", parts=[names[1]])]
        chapter = play(bench, layer("rust", Rust(by="coverage", coverage=0.3)), bases=bases)[-1]
        iron = chapter.pile.substance_of("ferrous")
        self.assertAlmostEqual(bench.texels.share(chapter.shown, iron), 0.3, delta=0.03)
        self.assertLess(float(chapter.shown[iron == 0].max()), 1e-6)


class Metal(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2), 192)

    def test_full_oxide_is_no_metal_at_all(self) -> None:
        pile = play(self.bench, layer("rust", Rust(years=60.0, climate="CX", scale=0.0), Recipe()))[-1].pile
        covered = oxide_of(pile).thickness > 400.0
        self.assertGreater(float(covered.mean()), 0.5)
        self.assertEqual(float(seen(pile, "metalness")[covered].max()), 0.0)

    def test_runs_lie_below_what_rusts(self) -> None:
        # A band of bare iron high up on a painted wall: runs below it, none above.
        bench = bench_for(shapes.plane(0.4, 90.0), 192)
        band = Recipe(terms=[term(Noise(size_mm=5000.0), low=-9, high=-8)])
        y = bench.texels.position[:, 1]
        chapters = play(
            bench,
            layer("paint", Paint(), band),
            layer("chips", Chipping(coverage=0.04, depth=1.0)),
            layer("rust", Rust(runs=1.0, runs_mm=200.0, stain=0.0), Recipe()),
        )
        runs = next(c for c in chapters[-1].pile.coats if c.piece == "runs").thickness
        bare = chapters[1].pile.exposed("ferrous") > 0.5
        self.assertTrue(bare.any() and (runs > 0.5).any())
        self.assertLess(float(y[runs > 0.5].mean()), float(y[bare].mean()))

    def test_a_bolt_rusts_down_the_wall_it_sits_on(self) -> None:
        wall, bolt = shapes.plane(0.4, 90.0), shapes.box(0.03, (0.0, 0.08, 0.0))
        facing = 1.0 if float(wall.normals[0, 0]) > 0 else -1.0
        bolt = replace(bolt, positions=bolt.positions + np.array([facing * 0.014, 0, 0], np.float32))
        both = shapes.joined(wall, bolt)
        bench = bench_for(both, 256)
        names = [p.name for p in both.parts]
        bases = [from_stock("smooth concrete"), from_stock("cast iron", parts=[names[1]])]
        pile = play(bench, layer("rust", Rust(runs=1.0, runs_mm=150.0, stain=0.0), Recipe()), bases=bases)[-1].pile
        runs = next(c for c in pile.coats if c.piece == "runs").thickness
        p = bench.texels.position
        on_wall = bench.texels.part == 0
        below = on_wall & (np.abs(p[:, 2]) < 0.012) & (p[:, 1] < 0.05) & (p[:, 1] > -0.02)
        above = on_wall & (p[:, 1] > 0.11)
        beside = on_wall & (np.abs(p[:, 2]) > 0.08)
        self.assertGreater(float(runs[below].mean()), 0.3)
        self.assertEqual(float(runs[above].max()), 0.0)
        self.assertEqual(float(runs[beside].max()), 0.0)

    def test_iso_9224_by_metal(self) -> None:
        # Exponents of ISO 9224 (from memory): the loss after ten years against that of the first is 10^b.
        for family, b in (("copper alloy", 0.667), ("zinc", 0.813), ("aluminium", 0.728)):
            self.assertAlmostEqual(lost_um(family, 10.0, "C3") / lost_um(family, 1.0, "C3"), 10**b, places=6)
        self.assertGreater(lost_um("zinc", 5.0, "C5"), lost_um("zinc", 5.0, "C2"))

    def test_each_metal_has_its_patina(self) -> None:
        def colour(base: str, years: float) -> np.ndarray:
            pile = play(
                self.bench, layer("patina", Patina(years=years, green=0.9), Recipe()), bases=[from_stock(base)]
            )[-1].pile
            return seen(pile, "base_color").mean(axis=0)

        bright, green = colour("copper", 0.01), colour("copper", 90.0)
        self.assertGreater(bright[0], bright[2])
        self.assertGreater(green[1], green[0])
        zinc = colour("galvanised steel", 40.0)
        self.assertLess(float(np.ptp(zinc)), 0.06)

    def test_iron_gets_none(self) -> None:
        self.assertIn("No copper", play(self.bench, layer("patina", Patina()))[-1].note)


class Losses(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.plane(0.3), 256)

    def test_distribution_of_chips_scales_with_their_size(self) -> None:
        # Two-sample test on connected areas (scipy.ndimage.label, Kolmogorov-Smirnov): plates of two sizes with chips
        # in proportion, seen at the same number of texels, have areas of one distribution once each is measured in its
        # own chip size.
        samples = []
        for side, size_mm, seed in ((0.2, 5.0, 1), (0.6, 15.0, 2)):
            bench = bench_for(shapes.plane(side), 512)
            chips = Chipping(size_mm=size_mm, coverage=0.05, cluster=0.3)
            shown = play(bench, layer("paint", Paint()), layer("chips", chips, Recipe()), seed=seed)[-1].shown
            found, count = ndimage.label(bench.texels.image(shown > 0.5, empty=False)[0])  # type: ignore[arg-type]
            areas = np.bincount(found.ravel())[1:] * float(bench.texels.step_of_triangle[0, 0]) ** 2
            # Whole texels: alike to rounding.
            samples.append(np.round(areas[areas > 0.02 * size_mm**2] / size_mm**2, 4))
            self.assertGreater(count, 30)
        self.assertGreater(stats.ks_2samp(*samples).pvalue, 0.01)
        # Of another size they differ: the test can tell.
        self.assertLess(stats.ks_2samp(samples[0], samples[1] * 9.0).pvalue, 0.01)

    def test_outlines_follow_straight_fractures(self) -> None:
        # Share of the outline that lies in straight runs of more than 12 texels (scikit-image: contours, Douglas and
        # Peucker to one texel), against a level of noise with as much coverage and outline, which bends all along.
        def outline(picture: np.ndarray) -> tuple[float, float]:
            lines = [line for line in measure.find_contours(picture.astype(float), 0.5) if len(line) > 40]
            length = sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in lines)
            runs = np.concatenate(
                [np.hypot(*np.diff(measure.approximate_polygon(line, 1.0), axis=0).T) for line in lines]
            )
            return length, float(runs[runs > 12].sum() / length)

        bench = bench_for(shapes.plane(0.15), 512)
        chips = Chipping(size_mm=16.0, coverage=0.2, ragged=0.0, vary=0.3, cluster=0.0)
        chapter = play(bench, layer("paint", Paint()), layer("chips", chips, Recipe()))[-1]
        broken = bench.texels.image(chapter.shown > 0.5, empty=False)[0]  # type: ignore[arg-type]
        cloud = bench.texels.image(fractal(bench.texels.position, 16.0 * 1.4, octaves=4, gain=0.6, seed=4), empty=-9.0)[
            0
        ]
        mine, others = outline(broken), outline(cloud > np.quantile(cloud, 0.8))
        self.assertAlmostEqual(mine[0] / others[0], 1.0, delta=0.15)
        self.assertGreater(mine[1], 1.3 * others[1])

    def test_a_loss_never_makes_a_coat_negative(self) -> None:
        losses = [
            layer(f"l{k}", effect)
            for k, effect in enumerate(
                (
                    Chipping(coverage=0.9),
                    Peeling(coverage=0.9),
                    Rubbing(coverage=0.9),
                    Scratching(deep=1.0),
                    Chipping(coverage=1.0),
                )
            )
        ]
        for chapter in play(
            self.bench, layer("paint", Paint(undercoat=True)), layer("dust", Dust(), Recipe()), *losses
        ):
            for coat in chapter.pile.coats:
                self.assertGreaterEqual(float(coat.thickness.min(initial=0.0)), 0.0, f"{chapter.layer.id} {coat.name}")

    def test_a_deposit_and_an_equal_loss_give_back_the_base(self) -> None:
        made = self.bench.as_made(scene())
        whole = Recipe(terms=[Term(source=Even())])
        pile = play(
            self.bench,
            layer("paint", Paint(texture_um=0.0, sags=0.0)),
            layer("chips", Chipping(coverage=1.0, depth=1.0, rim_um=0.0), whole),
        )[-1].pile
        np.testing.assert_allclose(pile.relief(), made.relief(), atol=1e-5)
        np.testing.assert_allclose(seen(pile, "base_color"), seen(made, "base_color"), atol=1e-4)

    def test_peeling_takes_what_it_is_asked_for(self) -> None:
        for wanted in (0.05, 0.2, 0.5):
            chapter = play(
                self.bench, layer("paint", Paint()), layer("peel", Peeling(coverage=wanted, crack_mm=0.0), Recipe())
            )[-1]
            self.assertAlmostEqual(chapter.coverage, wanted, delta=0.03 * wanted + 0.005)

    def test_peeling_shows_the_primer_where_it_holds(self) -> None:
        pile = play(self.bench, layer("paint", Paint()), layer("peel", Peeling(coverage=0.3, through=0.0), Recipe()))[
            -1
        ].pile
        self.assertLess(self.bench.texels.share(pile.exposure_of("base")), 0.003)
        self.assertGreater(self.bench.texels.share(pile.exposure_of("paint/primer")), 0.25)

    def test_rubbing_goes_coat_by_coat(self) -> None:
        chapter = play(
            self.bench, layer("paint", Paint(undercoat=True)), layer("rub", Rubbing(coverage=0.3, soft=0.3), Recipe())
        )[-1]
        self.assertAlmostEqual(chapter.coverage, 0.3, delta=0.03)
        thick = {c.piece: c.thickness for c in chapter.pile.coats}
        # Nowhere is a lower coat thinner than new while the one over it still hides.
        self.assertLess(float((thick["undercoat"].max() - thick["undercoat"])[thick["topcoat"] > 1.0].max()), 1e-3)
        self.assertLess(float((thick["primer"].max() - thick["primer"])[thick["undercoat"] > 1.0].max()), 1e-3)

    def test_lacquer_and_signs_go_with_the_paint(self) -> None:
        sign = Decal(text="III", width_mm=200.0, at=(0.0, 0.0, 0.0), facing=(0.0, 1.0, 0.0))
        chapters = play(
            self.bench,
            layer("paint", Paint()),
            layer("sign", sign),
            layer("lacquer", Lacquer(worn=0.0), Recipe()),
            layer("chips", Chipping(coverage=0.3), Recipe()),
        )
        gone = chapters[-1].shown > 0.99
        for coat in chapters[-1].pile.coats[2:]:
            self.assertLess(float(coat.thickness[gone].max()), 0.3, coat.name)

    def test_scratches_go_in_and_thin_out(self) -> None:
        deep = Scratching(amount=0.6, deep=0.8, length_mm=60.0)
        before = play(self.bench, layer("paint", Paint()))[-1].pile.relief()
        chapter = play(self.bench, layer("paint", Paint()), layer("scratches", deep, Recipe()))[-1]
        # Never above the surroundings.
        self.assertLessEqual(float((chapter.pile.relief() - before).max()), 1e-6)
        self.assertLess(float((chapter.pile.relief() - before).min()), -0.02)

    def test_scratches_around_an_axis_run_around_it(self) -> None:
        bench = sized(shapes.cylinder(0.1, 0.4), 512)
        mark = play(
            bench,
            layer("s", Scratching(way="around", axis="y", spread=0.0, amount=1.0, deep=0.0, length_mm=120.0), Recipe()),
        )[-1].shown
        wall = np.abs(bench.texels.normal[:, 1]) < 0.1
        self.assertTrue((mark[wall] > 0.02).any())
        picture = bench.texels.image(mark, empty=0.0)[0]
        # Marks stay level: along the way round they hold together, up and down they do not.
        across, along = (float(np.abs(np.diff(picture, axis=axis)).sum()) for axis in (0, 1))
        self.assertTrue(across > 1.5 * along or along > 1.5 * across)


class Deposits(TestCase):
    def test_dust_on_a_ball_follows_the_cosine(self) -> None:
        # Settling flux goes with the cosine of the slope (Hinds, Aerosol Technology); what clings to walls is set to
        # nothing.
        bench = sized(shapes.sphere(0.3, 96), 256)
        dust = Dust(cling=0.0, grain=0.0, rubbed=0.0, corners=0.0, trails=0.0, edge_mm=0.5)
        film = play(bench, layer("dust", dust, Recipe()))[-1].pile.coats[-1].thickness
        up = bench.texels.normal[:, 1]
        for low, high in ((0.2, 0.3), (0.45, 0.55), (0.7, 0.8), (0.9, 1.0)):
            ring = (up > low) & (up < high)
            self.assertAlmostEqual(float((film[ring] / up[ring]).mean()), 16.0, delta=0.03 * 16.0)
        self.assertEqual(float(film[up < -0.1].max()), 0.0)

    def test_what_runs_goes_down_and_fades(self) -> None:
        bench = bench_for(shapes.plane(0.4, 90.0), 128)
        y = bench.texels.position[:, 1]
        source = (np.abs(y - 0.1) < 0.004).astype(np.float32)
        out = run_down(bench.texels, source, 100.0)
        self.assertLess(float(out[y > 0.11].max()), 1e-6)
        for down in (0.05, 0.1, 0.2):
            row = np.abs(y - (0.1 - down)) < 0.004
            self.assertAlmostEqual(float(out[row].mean()), float(np.exp(-(down - 0.004) / 0.1)), delta=0.06)

    def test_runs_cross_seams(self) -> None:
        # A box whose sides are islands of their own: what starts on the top edge of a wall reaches its foot; and the
        # top gives it on to the walls.
        bench = bench_for(shapes.box(0.2), 128)
        p, n = bench.texels.position, bench.texels.normal
        top = (n[:, 1] > 0.9).astype(np.float32)
        out = run_down(bench.texels, top, 1000.0)
        self.assertGreater(float(out[(np.abs(n[:, 1]) < 0.1) & (p[:, 1] < -0.05)].mean()), 0.5)

    def test_lower_edges_are_where_drops_hang(self) -> None:
        bench = bench_for(shapes.box(0.2), 128)
        low = lower_edges(bench.texels) > 0.5
        y, steep = bench.texels.position[:, 1], np.abs(bench.texels.normal[:, 1]) < 0.1
        self.assertTrue(low.any())
        self.assertLess(float(y[low].max()), -0.095)
        self.assertGreater(float(low[steep & (y < -0.0985)].mean()), 0.9)
        # Paint stands thicker there.
        film = play(bench, layer("paint", Paint(sags=1.0, texture_um=0.0)))[-1].pile.coats[-1].thickness
        self.assertGreater(
            float(film[low].mean()),
            1.05
            * float(
                play(bench, layer("paint", Paint(sags=0.0, texture_um=0.0)))[-1].pile.coats[-1].thickness[low].mean()
            ),
        )

    def test_lacquer_speaks_in_the_clear_coat_only_and_dirt_dulls_it(self) -> None:
        bench = bench_for(shapes.plane(0.3), 128)
        chapters = play(
            bench,
            layer("paint", Paint()),
            layer("lacquer", Lacquer(), Recipe()),
            layer("dirt", Dirt(thickness_um=200.0, clumps=0.0), Recipe()),
        )
        np.testing.assert_allclose(
            seen(chapters[1].pile, "base_color"), seen(chapters[0].pile, "base_color"), atol=1e-6
        )
        self.assertGreater(float(seen(chapters[1].pile, "coat_weight").mean()), 0.9)
        self.assertLess(float(seen(chapters[2].pile, "coat_weight").mean()), 0.01)

    def test_yellowing_follows_the_thickness(self) -> None:
        bench = bench_for(shapes.plane(0.3), 64)
        blue = [
            float(
                seen(play(bench, layer("l", Lacquer(thickness_um=t, yellowing=0.5), Recipe()))[-1].pile, "coat_color")[
                    :, 2
                ].mean()
            )
            for t in (10.0, 100.0)
        ]
        self.assertLess(blue[1], blue[0])

    def test_smears_change_gloss_and_nothing_else(self) -> None:
        bench = bench_for(shapes.plane(0.3), 256)
        before, after = play(bench, layer("paint", Paint()), layer("smears", Smears(), Recipe()))
        np.testing.assert_array_equal(after.pile.relief(), before.pile.relief())
        np.testing.assert_allclose(seen(after.pile, "base_color"), seen(before.pile, "base_color"), atol=1e-6)
        self.assertGreater(float(np.abs(seen(after.pile, "roughness") - seen(before.pile, "roughness")).max()), 0.05)

    def test_variation_keeps_the_mean(self) -> None:
        bench = bench_for(shapes.plane(0.3), 128)
        before, after = play(bench, layer("paint", Paint()), layer("v", Variation(tone=0.6, each="none"), Recipe()))
        a, b = seen(before.pile, "base_color")[:, 1], seen(after.pile, "base_color")[:, 1]
        self.assertAlmostEqual(float(b.mean() / a.mean()), 1.0, delta=0.06)
        self.assertGreater(float(b.std()), 1.3 * float(a.std()))

    def test_splash_is_dense_below_and_stops_above(self) -> None:
        bench = sized(shapes.box(0.4), 256)
        shown = play(bench, layer("splash", Splash(height_mm=100.0, amount=1.0), Recipe()))[-1].shown
        height = (bench.texels.position[:, 1] + 0.2) * 1000
        wall = np.abs(bench.texels.normal[:, 1]) < 0.1
        self.assertGreater(float(shown[wall & (height < 15)].mean()), 0.6)
        self.assertEqual(float(shown[height > 170].max()), 0.0)

    def test_leaks_need_a_head(self) -> None:
        bench = bench_for(shapes.plane(0.4, 90.0), 128)
        nowhere = Recipe(terms=[Term(source=Even(level=0.0))])
        self.assertEqual(play(bench, layer("leaks", Leaks(), nowhere))[-1].coverage, 0.0)


class Decals(TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def bench(self, mesh: Mesh, size: int) -> Chronicle:
        bench = bench_for(mesh, size)
        bench.files = lambda name: self.folder / name
        return bench

    def file(self, image: np.ndarray, name: str = "sign.png") -> str:
        Image.fromarray(image).save(self.folder / name)
        return name

    def test_on_a_plane_it_is_the_picture_resampled(self) -> None:
        # Against Pillow's bilinear resize, within one level of 255.
        rng = np.random.default_rng(5)
        alpha = (ndimage.gaussian_filter(rng.normal(size=(48, 48)), 2.0) * 900 + 128).clip(0, 255).astype(np.uint8)
        picture = np.dstack([np.full((48, 48, 3), 255, np.uint8), alpha])
        # Its UVs fill the whole map: texels and pixels have their borders in common.
        whole = shapes.plane(0.3)
        bench = self.bench(replace(whole, uv=np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)), 240)
        sign = Decal(
            what="picture",
            file=self.file(picture),
            at=(0.0, 0.0, 0.0),
            facing=(0.0, 1.0, 0.0),
            width_mm=300.0,
            around=False,
        )
        shown = play(bench, layer("sign", sign, Recipe()))[-1].shown
        got = bench.texels.image(shown, empty=np.nan)[0]
        rows, columns = np.flatnonzero(np.isfinite(got).any(axis=1)), np.flatnonzero(np.isfinite(got).any(axis=0))
        got = got[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
        wanted = np.asarray(Image.fromarray(alpha).resize(got.shape[::-1], Image.Resampling.BILINEAR), np.float32) / 255
        self.assertLess(float(np.abs(got - wanted)[2:-2, 2:-2].max()), 1.01 / 255)

    def test_on_a_pipe_its_arc_is_as_long_as_it_is_wide(self) -> None:
        radius = 0.1
        bench = self.bench(shapes.cylinder(radius, 0.4, 256), 512)
        picture = np.full((32, 64, 4), 255, np.uint8)
        for around, wanted in ((True, 120.0), (False, 2 * radius * 1000 * np.arcsin(0.06 / radius))):
            sign = Decal(
                what="picture",
                file=self.file(picture),
                at=(radius, 0.0, 0.0),
                facing=(1.0, 0.0, 0.0),
                width_mm=120.0,
                depth_mm=300.0,
                facing_deg=89.0,
                around=around,
            )
            shown = play(bench, layer("sign", sign, Recipe()))[-1].shown
            here = shown > 0.5
            angle = np.arctan2(bench.texels.position[here, 2], bench.texels.position[here, 0])
            arc = float(np.ptp(angle)) * radius * 1000
            self.assertAlmostEqual(arc, wanted, delta=0.02 * wanted)

    def test_colour_is_that_of_the_picture_in_linear_light(self) -> None:
        bench = self.bench(shapes.plane(0.3), 64)
        picture = np.full((8, 8, 3), (200, 40, 20), np.uint8)
        sign = Decal(
            what="picture", file=self.file(picture), at=(0.0, 0.0, 0.0), facing=(0.0, 1.0, 0.0), width_mm=200.0
        )
        chapter = play(bench, layer("sign", sign, Recipe()))[-1]
        shown = seen(chapter.pile, "base_color")[chapter.shown > 0.99]
        np.testing.assert_allclose(
            shown, np.broadcast_to(to_linear(np.array([200, 40, 20]) / 255.0), shown.shape), atol=0.002
        )

    def test_several_maps_of_one_sign(self) -> None:
        # An enamel plate 200 mm wide: cut out round, glossy left and dull right, half of it metal, a rim 2 mm high,
        # lit at the top; every map is laid where the colour lies.
        n = 64
        y, x = np.mgrid[:n, :n] / (n - 1)
        disc = np.hypot(x - 0.5, y - 0.5) < 0.45
        planes = {
            "color": np.dstack([np.full((n, n, 3), (180, 60, 30), np.uint8), disc.astype(np.uint8) * 255]),
            "rough": (x * 255).astype(np.uint8),
            "metal": ((x > 0.5) * 255).astype(np.uint8),
            "height": ((np.hypot(x - 0.5, y - 0.5) > 0.38) * 255).astype(np.uint8),
            "glow": np.dstack([((y < 0.5) * 255).astype(np.uint8)] * 3),
        }
        roles = {
            "color": "base_color",
            "rough": "roughness",
            "metal": "metalness",
            "height": "height",
            "glow": "emission",
        }
        uses = [
            MapUse(
                file=self.file(image, f"{name}.png"), role=roles[name], colour="srgb" if image.ndim == 3 else "linear"
            )
            for name, image in planes.items()
        ]
        maps = MapSet(maps=uses, range_mm=2.0, middle=0.0)
        sign = Decal(what="maps", maps=maps, at=(0.0, 0.0, 0.0), facing=(0.0, 1.0, 0.0), width_mm=200.0, around=False)
        self.assertEqual(len(sign.files), 5)
        bench = self.bench(shapes.plane(0.3), 256)
        chapter = play(bench, layer("sign", sign, Recipe()))[-1]
        p = bench.texels.position * 1000.0
        r = np.hypot(p[:, 0], p[:, 2])
        inside, outside = r < 75, r > 96
        self.assertGreater(float(chapter.shown[inside].min()), 0.99)
        self.assertEqual(float(chapter.shown[outside].max()), 0.0)
        rough = seen(chapter.pile, "roughness")
        # Left is left as one looks at the plate from above, x to the right.
        for at in (-50.0, 0.0, 50.0):
            here = inside & (np.abs(p[:, 0] - at) < 3) & (np.abs(p[:, 2]) < 20)
            self.assertAlmostEqual(float(rough[here].mean()), 0.5 + at / 200.0, delta=0.02)
        metal = seen(chapter.pile, "metalness")
        self.assertGreater(float(metal[inside & (p[:, 0] > 8)].min()), 0.98)
        self.assertLess(float(metal[inside & (p[:, 0] < -8)].max()), 0.02)
        raised = chapter.pile.relief()
        rim = (r > 80) & (r < 86)
        self.assertAlmostEqual(float(raised[rim].mean() - raised[r < 70].mean()), 2.0, delta=0.1)
        glow = chapter.pile.visible()["emission_color"]
        self.assertGreater(float(glow[inside & (p[:, 2] < -8)].min()), 0.9)
        self.assertLess(float(glow[inside & (p[:, 2] > 8)].max()), 0.1)
        # One whose maps bring no colour has its own, also where it was thrown before with another.
        plain = sign.model_copy(update={"maps": MapSet(maps=[use for use in uses if use.role != "base_color"])})
        for color in ((0.7, 0.1, 0.1), (0.1, 0.1, 0.7)):
            played = play(bench, layer("sign", plain.model_copy(update={"color": color}), Recipe()))[-1]
            shown = seen(played.pile, "base_color")
            np.testing.assert_allclose(shown[inside], np.broadcast_to(color, shown[inside].shape), atol=0.002)
        # Without them it says so; another project gets it without its files.
        self.assertIn("No maps are chosen", str(play(bench, layer("sign", Decal(what="maps"), Recipe()))[-1].note))
        effect, said = sign.portable()
        self.assertEqual(effect.files, ())
        self.assertIn("belongs to its object", said)

    def test_a_line_throws_a_picture_through_the_same_frame(self) -> None:
        # What a decal lays on, a line of a recipe takes for its place: the same picture, the same frame.
        rng = np.random.default_rng(2)
        picture = (ndimage.gaussian_filter(rng.normal(size=(40, 60)), 1.5) * 700 + 128).clip(0, 255).astype(np.uint8)
        name = self.file(np.dstack([np.full((40, 60, 3), 255, np.uint8), picture]))
        bench = self.bench(shapes.sphere(0.2, 48), 256)
        where: dict[str, Any] = {"at": (0.05, 0.02, 0.19), "facing": (0.25, 0.1, 0.95), "turn_deg": 20.0}
        sign = Decal(what="picture", file=name, width_mm=180.0, depth_mm=150.0, around=False, **where)
        chapter = play(bench, layer("sign", sign, Recipe()))[-1]
        line = PictureSource(
            file=name, channel="A", way="frame", size_mm=180.0, depth_mm=150.0, facing_deg=65.0, **where
        )
        scope = bench.scope(scene(), bench.as_made(scene()))
        value = line.value(scope)
        np.testing.assert_allclose(value, chapter.shown, atol=2e-3)
        self.assertGreater(float(value.max()), 0.6)
        frame = line.frame(scope)
        assert frame is not None and chapter.frame is not None
        np.testing.assert_allclose((frame.width_mm, frame.tall_mm), (180.0, 120.0))
        np.testing.assert_allclose((frame.right, frame.up, frame.back), (chapter.frame.right, chapter.frame.up,
            chapter.frame.back))  # fmt: skip
        # Stretched it is taller, in the frame as on the surface.
        tall = line.model_copy(update={"stretch": 1.5})
        found = tall.frame(scope)
        assert found is not None
        self.assertAlmostEqual(found.tall_mm, 180.0)
        up = np.array(frame.up)
        heights = [np.ptp(bench.texels.position[v.value(scope) > 0.05] @ up) * 1000 for v in (line, tall)]
        self.assertAlmostEqual(heights[1] / heights[0], 1.5, delta=0.05)

    def test_turn_mirror_and_row(self) -> None:
        bench = self.bench(shapes.plane(0.3), 128)
        left = np.zeros((16, 16, 4), np.uint8)
        left[:, :8] = 255
        file = self.file(left)
        x = bench.texels.position[:, 0]

        def middle(**more: Any) -> float:
            sign = Decal(what="picture", file=file, at=(0.0, 0.0, 0.0), facing=(0.0, 1.0, 0.0), width_mm=100.0, **more)
            shown = play(bench, layer("sign", sign, Recipe()))[-1].shown
            return float((x * shown).sum() / shown.sum())

        plain = middle()
        self.assertAlmostEqual(abs(plain), 0.025, delta=0.002)
        self.assertAlmostEqual(middle(mirror=True), -plain, delta=0.001)
        self.assertAlmostEqual(middle(turn_deg=180.0), -plain, delta=0.001)
        two = Decal(
            what="picture", file=file, at=(0.0, 0.0, 0.0), facing=(0.0, 1.0, 0.0), width_mm=60.0, count=2, gap_mm=20.0
        )
        one = two.model_copy(update={"count": 1})
        shares = [bench.texels.share(play(bench, layer("sign", d, Recipe()))[-1].shown) for d in (one, two)]
        self.assertAlmostEqual(shares[1], 2 * shares[0], delta=0.06 * shares[1])

    def test_findings(self) -> None:
        bench = self.bench(shapes.plane(0.3), 64)
        place: dict[str, Any] = {"text": "III", "facing": (0.0, 1.0, 0.0), "width_mm": 80.0}
        misses = play(bench, layer("sign", Decal(at=(0.0, 3.0, 0.0), **place), Recipe()))[-1]
        self.assertIn("misses the surface", misses.note)
        cut = play(bench, layer("sign", Decal(at=(0.15, 0.0, 0.0), **place), Recipe()))[-1]
        self.assertIn("does not land", cut.note)
        flat = play(bench, layer("sign", Decal(at=(0.0, 0.0, 0.0), depth_mm=0.0, **place), Recipe()))[-1]
        self.assertIn("no depth", flat.note)
        tilted = play(
            bench,
            layer(
                "sign",
                Decal(
                    at=(0.0, 0.0, 0.0), text="III", facing=(1.0, 0.8, 0.0), width_mm=40.0, around=False, depth_mm=200.0
                ),
                Recipe(),
            ),
        )[-1]
        self.assertIn("stretched", tilted.note)
        good = play(bench, layer("sign", Decal(at=(0.0, 0.0, 0.0), **place), Recipe()))[-1]
        self.assertEqual(good.note, "")
        self.assertIsNotNone(good.frame)

    def test_letters_that_a_font_lacks(self) -> None:
        for font in FONTS:
            self.assertEqual(unknown_signs("GATE 3 / 7.5 kg", font), "")
            self.assertEqual(unknown_signs("閘3門", font), "閘門")
        bench = self.bench(shapes.plane(0.3), 64)
        at = {"at": (0.0, 0.0, 0.0), "facing": (0.0, 1.0, 0.0)}
        self.assertIn("no sign for 閘", play(bench, layer("sign", Decal(text="閘", **at), Recipe()))[-1].note)  # type: ignore[arg-type]
        self.assertIn("type some", play(bench, layer("sign", Decal(text="   ", **at), Recipe()))[-1].note)  # type: ignore[arg-type]
        some = play(bench, layer("sign", Decal(text="3 閘", **at), Recipe()))[-1]  # type: ignore[arg-type]
        self.assertIn("no sign for 閘", some.note)
        self.assertGreater(some.coverage, 0.0)
        self.assertLess(max(lettering("W" * 200, "stencil").shape), 8200)

    def test_odd_pictures(self) -> None:
        bench = self.bench(shapes.plane(0.3), 64)
        place: dict[str, Any] = {"what": "picture", "at": (0.0, 0.0, 0.0), "facing": (0.0, 1.0, 0.0), "width_mm": 100.0}
        one = play(bench, layer("sign", Decal(file=self.file(np.full((1, 1, 3), 90, np.uint8)), **place), Recipe()))[-1]
        self.assertAlmostEqual(one.coverage, 0.01 / 0.09, delta=0.01)
        clear = play(
            bench, layer("sign", Decal(file=self.file(np.zeros((4, 4, 4), np.uint8), "c.png"), **place), Recipe())
        )[-1]
        self.assertIn("transparent everywhere", clear.note)
        self.assertIn("No picture", play(bench, layer("sign", Decal(what="picture"), Recipe()))[-1].note)
        Image.new("1", (20000, 2)).save(self.folder / "long.png")
        with self.assertRaisesRegex(InputError, "20000"):
            play(bench, layer("sign", Decal(file="long.png", **place), Recipe()))

    def test_levelled_relief(self) -> None:
        bench = self.bench(shapes.plane(0.3), 128)
        bumpy = layer("v", Variation(relief_um=2000.0, wave_mm=8.0, tone=0.0), Recipe())
        spread = {}
        for relief in ("keeps", "levels"):
            sign = Decal(
                what="picture",
                file=self.file(np.full((8, 8, 3), 90, np.uint8)),
                at=(0.0, 0.0, 0.0),
                facing=(0.0, 1.0, 0.0),
                width_mm=150.0,
                relief=relief,
            )  # type: ignore[arg-type]
            chapter = play(bench, bumpy, layer("sign", sign, Recipe()))[-1]
            spread[relief] = float(chapter.pile.relief()[chapter.shown > 0.99].std())
        self.assertLess(spread["levels"], 0.5 * spread["keeps"])

    def test_it_ages_with_what_comes_later(self) -> None:
        bench = self.bench(shapes.plane(0.3), 128)
        sign = Decal(
            what="picture",
            file=self.file(np.full((8, 8, 3), 250, np.uint8)),
            at=(0.0, 0.0, 0.0),
            facing=(0.0, 1.0, 0.0),
            width_mm=200.0,
        )
        chapters = play(
            bench,
            layer("paint", Paint()),
            layer("sign", sign, Recipe()),
            layer("chips", Chipping(coverage=0.3), Recipe()),
            layer("dirt", Dirt(), Recipe()),
        )
        shares = [bench.texels.share(c.pile.exposure_of("sign")) for c in chapters[1:]]
        self.assertGreater(shares[0], shares[1])
        self.assertGreater(shares[1], shares[2])


SQUARE = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"><rect width="10" height="10" fill="#ff0000"/></svg>'
)


class Drawings(TestCase):
    def read(self, text: str | bytes) -> Any:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "d.svg"
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return read_picture(path, "d.svg")

    def test_a_drawing_is_drawn(self) -> None:
        found = self.read(SQUARE)
        h, w, count = found.pixels.shape
        self.assertEqual((w, count), (2048, 4))
        self.assertAlmostEqual(w / h, 2.0, delta=0.01)
        self.assertEqual(tuple(found.pixels[h // 2, w // 4]), (255, 0, 0, 255))
        self.assertEqual(int(found.pixels[h // 2, 3 * w // 4, 3]), 0)

    def test_nothing_is_run_or_fetched(self) -> None:
        for inside, word in (
            ("<script>alert(1)</script>", "script"),
            ('<rect onclick="alert(1)" width="5" height="5"/>', "script in an attribute"),
            ('<a href="javascript:alert(1)"><rect width="5" height="5"/></a>', "script in a link"),
            ('<image href="http://example.invalid/a.png" width="5" height="5"/>', "refers to"),
            ('<image href="file:///etc/passwd" width="5" height="5"/>', "refers to"),
            ('<image xlink:href="../secret.png" width="5" height="5"/>', "refers to"),
            ('<use href="other.svg#a"/>', "refers to"),
            ('<rect style="fill:url(http://example.invalid/x)" width="5" height="5"/>', "refers to"),
            ('<style>@import "x.css";</style>', "style sheet"),
            ("<foreignObject><p/></foreignObject>", "web page"),
        ):
            with self.assertRaises(InputError) as caught:
                self.read(SQUARE.replace("</svg>", f"{inside}</svg>"))
            self.assertIn(word, caught.exception.line, inside)
            self.assertTrue(caught.exception.remedy)

    def test_bad_drawings(self) -> None:
        lol = '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>' + SQUARE
        for text, word in (
            (lol, "entities"),
            ("<html></html>", "no drawing"),
            ("<svg", "no drawing"),
            ('<svg xmlns="http://www.w3.org/2000/svg" width="10" height="10"><rect', "cannot be drawn"),
            (b"<svg \xff\xfe", "UTF-8"),
            ("<svg>" + " " * MOST_BYTES, "8 MB"),
        ):
            with self.assertRaises(InputError) as caught:
                self.read(text)
            self.assertIn(word, caught.exception.line)
            self.assertNotIn("\n", caught.exception.line)

    def test_pictures_inside_are_taken(self) -> None:
        import base64

        data = io.BytesIO()
        Image.new("RGB", (4, 4), (0, 0, 255)).save(data, "png")
        link = "data:image/png;base64," + base64.b64encode(data.getvalue()).decode()
        found = self.read(SQUARE.replace("</svg>", f'<image href="{link}" x="10" width="10" height="10"/></svg>'))
        self.assertGreater(int(found.pixels[512, 1536, 2]), 200)


class BadAmounts(TestCase):
    """Amounts at their ends, and sizes that do not fit the object: a clean result or a clear word."""

    def test_every_effect_at_its_ends(self) -> None:
        bench = sized(shapes.joined(shapes.box(0.1), shapes.sphere(0.06, 32)), 64)
        for kind, effect in EFFECTS.items():
            properties = effect.model_json_schema()["properties"]
            for end in ("minimum", "maximum"):
                values = {
                    name: field[end]
                    for name, field in properties.items()
                    if end in field and field.get("unit") != "years" and name != "scale"
                }
                made = effect.model_validate(values)
                base = "brass" if kind == "patina" else "cast iron"
                pile: Pile = play(
                    bench,
                    layer("paint", Paint()) if kind != "patina" else layer("dust", Dust()),
                    layer("it", made, Recipe()),
                    bases=[from_stock(base)],
                )[-1].pile
                for channel, value in pile.visible().items():
                    self.assertTrue(np.isfinite(value).all(), f"{kind} at its {end}: {channel}")
                self.assertTrue(np.isfinite(pile.relief()).all(), f"{kind} at its {end}")

    def test_coverage_nought_and_all(self) -> None:
        bench = sized(shapes.box(0.1), 128)
        for loss in (Chipping, Peeling, Rubbing):
            none = play(bench, layer("paint", Paint()), layer("loss", loss(coverage=0.0)))[-1]
            self.assertEqual((none.coverage, none.note), (0.0, "The coverage is 0"))
            every = play(bench, layer("paint", Paint()), layer("loss", loss(coverage=1.0), Recipe()))[-1]
            self.assertGreater(every.coverage, 0.9, loss.title)

    def test_chips_larger_than_the_object(self) -> None:
        bench = sized(shapes.box(0.02), 128)
        chapter = play(bench, layer("paint", Paint()), layer("chips", Chipping(size_mm=200.0, coverage=0.1), Recipe()))[
            -1
        ]
        self.assertIn("larger than the object", chapter.note)
        self.assertTrue(0.0 < chapter.coverage < 0.5)

    def test_a_grade_without_its_coat(self) -> None:
        bench = sized(shapes.box(0.1), 64)
        for loss in (Chipping(by="grade"), Peeling(), Rubbing()):
            self.assertIn("There is no paint", play(bench, layer("loss", loss))[-1].note)
        self.assertIn("iron or steel", play(bench, layer("rust", Rust(by="astm")), bases=[from_stock("oak")])[-1].note)


class NothingIsEven(TestCase):
    """Every default is uneven over the whole: by quarters of a plain box's side, and from side to side."""

    def test_quarters_of_a_face_differ(self) -> None:
        bench = sized(shapes.box(0.5), 192)
        p, n = bench.texels.position, bench.texels.normal
        axis = np.abs(n).argmax(axis=1)
        side = axis * 2 + (np.take_along_axis(n, axis[:, None], 1)[:, 0] > 0)
        others = np.array([[1, 2], [0, 2], [0, 1]])[axis]
        a, b = (np.take_along_axis(p, others[:, k : k + 1], 1)[:, 0] > 0 for k in range(2))
        quarter = side * 4 + a * 2 + b
        for kind, effect in EFFECTS.items():
            if kind in ("paint", "decal", "variation", "lacquer"):
                continue
            base = {"patina": "brass", "salt": "smooth concrete", "cracks": "smooth concrete"}.get(kind, "cast iron")
            first = (
                ()
                if kind in ("patina", "salt", "cracks")
                else (layer("paint", Paint()), layer("chips", Chipping(coverage=0.2)))
            )
            first = (*first, layer("dust", Dust(cling=0.5))) if kind == "washing" else first
            shown: Any = play(bench, *first, layer("it", effect()), bases=[from_stock(base)])[-1]
            # Tarnish is everywhere, its crust is not.
            shown = shown.pile.exposure_of("it/crust") if kind == "patina" else shown.shown
            shares = np.array([bench.texels.share(shown, (quarter == k).astype(np.float32)) for k in range(24)])
            self.assertGreater(float(shares.std() / max(shares.mean(), 1e-9)), 0.25, kind)
