"""Every setting of an effect does what its name says, and does it in the right direction."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np
from scipy import ndimage

from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, Term
from limus.masks.sources.even import Even
from limus.masks.sources.noise import Noise
from limus.patterns.noise import fractal
from limus.playing.chronicle import Chapter, Chronicle
from limus.surface.blur import blur
from limus.surface.mesh import Mesh
from tests.core import shapes
from tests.core.fields import seen
from tests.core.test_effects import bench_for, layer, scene


class OnAPlate(TestCase):
    """A flat plate of 0.3 m: patterns can be measured as pictures."""

    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.plane(0.3), 256)

    def play(self, *layers: Any, **more: Any) -> list[Chapter]:
        return self.bench.play(scene(*layers, **more))

    def chips(self, **settings: Any) -> np.ndarray:
        """(h, w) bool picture of what is chipped."""
        chapter = self.play(layer("paint", Paint()), layer("chips", Chipping(**settings), Recipe()))[-1]
        return self.bench.texels.image(chapter.shown > 0.5, empty=False)[0]  # type: ignore[arg-type, no-any-return]


class PaintSettings(OnAPlate):
    def look(self, channel: str, **settings: Any) -> np.ndarray:
        return seen(self.play(layer("paint", Paint(**settings)))[-1].pile, channel)

    def test_colour_and_roughness(self) -> None:
        settings = {"color": (0.5, 0.1, 0.02), "roughness": 0.7, "unevenness": 0.0}
        rows = self.look("base_color", **settings)
        np.testing.assert_allclose(rows, np.broadcast_to([0.5, 0.1, 0.02], (len(rows), 3)), atol=0.002)
        np.testing.assert_allclose(self.look("roughness", **settings), 0.7, atol=0.002)

    def test_unevenness_is_slow_and_grows(self) -> None:
        calm, lively = self.look("base_color", unevenness=0.05)[:, 0], self.look("base_color", unevenness=0.4)[:, 0]
        self.assertGreater(float(lively.std()), 4 * float(calm.std()))
        image = self.bench.texels.image(lively, empty=np.nan)[0]
        step = float(np.nanmean(np.abs(np.diff(image, axis=1))))
        self.assertLess(step, 0.1 * float(lively.std()))

    def test_varnish_is_a_clear_coat(self) -> None:
        self.assertAlmostEqual(float(self.look("coat_weight", varnish=0.0).max()), 0.0)
        self.assertAlmostEqual(float(self.look("coat_weight", varnish=0.6).mean()), 0.6, delta=0.01)

    def test_peel_has_its_height_and_size(self) -> None:
        def relief(**settings: Any) -> np.ndarray:
            made = self.bench.as_made(scene()).relief()
            return self.play(layer("paint", Paint(**settings)))[-1].pile.relief() - made

        flat, low, high = relief(texture_um=0.0), relief(texture_um=10.0), relief(texture_um=40.0)
        self.assertLess(float(flat.std()), 1e-5)
        self.assertAlmostEqual(float(high.std() / low.std()), 4.0, delta=0.05)
        self.assertAlmostEqual(float(high.std()), 0.02, delta=0.006)
        fine, wide = relief(texture_um=40.0, texture_mm=6.0), relief(texture_um=40.0, texture_mm=24.0)

        def roughness(field: np.ndarray) -> float:
            return float(np.nanmean(np.abs(np.diff(self.bench.texels.image(field, empty=np.nan)[0], axis=1))))

        self.assertGreater(roughness(fine), 2 * roughness(wide))

    def test_without_primer_there_is_one_coat(self) -> None:
        self.assertEqual(len(self.play(layer("paint", Paint(primer=False)))[-1].pile.coats), 1)
        self.assertEqual(len(self.play(layer("paint", Paint(primer_thickness_um=0.0)))[-1].pile.coats), 1)


class ChippingSettings(OnAPlate):
    def test_ragged_makes_a_longer_outline(self) -> None:
        def outline(picture: np.ndarray) -> int:
            return int((picture ^ ndimage.binary_erosion(picture)).sum())

        smooth, ragged = self.chips(ragged=0.0, size_mm=14.0), self.chips(ragged=1.0, size_mm=14.0)
        self.assertGreater(outline(ragged), 1.1 * outline(smooth))

    def test_clusters_leave_whole_stretches_untouched(self) -> None:
        def patchiness(picture: np.ndarray) -> float:
            return float(ndimage.uniform_filter(picture.astype(float), 41)[40:-40, 40:-40].std())

        self.assertGreater(patchiness(self.chips(cluster=1.0)), 1.2 * patchiness(self.chips(cluster=0.0)))

    def test_depth_from_primer_only_to_bare_iron(self) -> None:
        bare = {}
        for depth in (0.0, 0.5, 1.0):
            pile = self.play(layer("paint", Paint()), layer("chips", Chipping(depth=depth, coverage=0.2), Recipe()))[
                -1
            ].pile
            bare[depth] = self.bench.texels.share(pile.exposure_of("base"))
        self.assertLess(bare[0.0], 0.002)
        self.assertAlmostEqual(bare[0.5], 0.1, delta=0.02)
        self.assertAlmostEqual(bare[1.0], 0.2, delta=0.02)

    def test_strength_scales_the_coverage(self) -> None:
        half = self.play(layer("paint", Paint()), layer("chips", Chipping(coverage=0.2), Recipe(), strength=0.5))[-1]
        self.assertAlmostEqual(half.coverage, 0.1, delta=0.006)

    def test_a_place_smaller_than_the_coverage_says_so(self) -> None:
        small = Recipe(terms=[Term(source=Noise(size_mm=80.0), low=0.9, high=0.95)])
        chapter = self.play(layer("paint", Paint()), layer("chips", Chipping(coverage=0.5), small))[-1]
        self.assertIn("smaller than the coverage", chapter.note)
        self.assertLess(chapter.coverage, 0.2)

    def test_what_lies_on_the_paint_goes_with_it(self) -> None:
        whole = Recipe(terms=[Term(source=Even())])
        chapters = self.play(
            layer("paint", Paint()), layer("dust", Dust(), whole), layer("chips", Chipping(coverage=0.2), Recipe())
        )
        gone = chapters[-1].shown > 0.99
        self.assertLess(float(chapters[-1].pile.coats[-1].thickness[gone].max()), 0.2)
        self.assertGreater(float(chapters[-1].pile.coats[-1].thickness[~gone].mean()), 5.0)

    def test_another_id_chips_elsewhere(self) -> None:
        pictures = []
        for name in ("chips", "knocks"):
            chapter = self.play(layer("paint", Paint()), layer(name, Chipping(coverage=0.1), Recipe()))[-1]
            pictures.append(chapter.shown > 0.5)
        both = float((pictures[0] & pictures[1]).mean())
        self.assertLess(both, 0.05)


class RustSettings(OnAPlate):
    def test_no_years_no_rust(self) -> None:
        self.assertIn("No time", self.play(layer("rust", Rust(years=0.0), Recipe()))[-1].note)

    def test_young_rust_is_brighter_than_old(self) -> None:
        young = self.play(layer("rust", Rust(years=0.05, climate="C2", flecks=0.0), Recipe()))[-1].pile.coats[-2].sheet
        old = self.play(layer("rust", Rust(years=40.0, climate="C5", flecks=0.0), Recipe()))[-1].pile.coats[-2].sheet
        self.assertGreater(float(young["base_color"][:, 0].mean()), 2 * float(old["base_color"][:, 0].mean()))

    def test_scale_roughens_the_relief(self) -> None:
        def spread(scale: float) -> float:
            even = Recipe(terms=[Term(source=Even())])
            relief = self.play(layer("rust", Rust(scale=scale), even))[-1].pile.relief()
            # What is fine in it: how deep rust goes differs widely as well.
            return float((relief - blur(self.bench.texels, relief, 5.0)).std())

        self.assertGreater(spread(1.0), 1.25 * spread(0.0))

    def test_creep_reaches_as_far_as_it_says(self) -> None:
        chapters = {}
        for creep in (1.5, 6.0):
            story = (layer("paint", Paint()), layer("chips", Chipping(coverage=0.05, size_mm=12.0), Recipe()))
            chapters[creep] = self.play(*story, layer("rust", Rust(creep_mm=creep, stain=1.0), Recipe()))[-1]
        # What lies bare is the same in both: six tenths of the chips.
        bare = 0.05 * 0.6
        self.assertGreater(chapters[6.0].coverage - bare, 1.3 * (chapters[1.5].coverage - bare))
        none = self.play(
            layer("paint", Paint()),
            layer("chips", Chipping(coverage=0.05), Recipe()),
            layer("rust", Rust(stain=0.0), Recipe()),
        )[-1]
        self.assertAlmostEqual(none.coverage, 0.05 * 0.6, delta=0.01)


class LooseSettings(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.0, 0.13, 0.0))), 256)

    def film(self, effect: Any, where: Recipe | None = None) -> np.ndarray:
        return (
            self.bench.play(scene(layer("x", effect, where if where is not None else Recipe())))[-1]
            .pile.coats[-1]
            .thickness
        )

    def test_dust_clings_to_walls_as_told(self) -> None:
        walls = np.abs(self.bench.texels.normal[:, 1]) < 0.1
        little, much = self.film(Dust(cling=0.05, corners=0.0)), self.film(Dust(cling=0.5, corners=0.0))
        self.assertAlmostEqual(float(much[walls].mean() / little[walls].mean()), 10.0, delta=0.5)

    def test_dust_is_rubbed_off_edges_and_gathers_in_corners(self) -> None:
        curve = self.bench.measured.curvature(8.0)
        edge = curve > 0.3
        kept, rubbed = self.film(Dust(rubbed=0.0, corners=0.0)), self.film(Dust(rubbed=1.0, corners=0.0))
        self.assertLess(float(rubbed[edge].mean()), 0.1 * float(kept[edge].mean()))
        corner = (curve < -0.2) & (self.bench.texels.normal[:, 1] > 0.5)
        gathered = self.film(Dust(rubbed=0.0, corners=1.0))
        self.assertGreater(float(gathered[corner].mean()), 1.2 * float(kept[corner].mean()))

    def test_dirt_has_its_thickness_and_clumps(self) -> None:
        even = self.film(Dirt(clumps=0.0, thickness_um=50.0, runs_mm=0.0))
        np.testing.assert_allclose(even, 50.0, rtol=1e-5)
        lumpy = self.film(Dirt(clumps=1.0, thickness_um=50.0))
        self.assertGreater(float(lumpy.std()), 20.0)
        self.assertAlmostEqual(float(lumpy.mean()), 50.0, delta=12.0)


class Scale(TestCase):
    def test_millimetres_mean_the_same_on_any_object(self) -> None:
        # A plate twice as large holds four times as many chips of the same size.
        counts = {}
        for size, texels in ((0.2, 256), (0.4, 512)):
            bench = bench_for(shapes.plane(size), texels)
            chapter = bench.play(
                scene(layer("paint", Paint()), layer("chips", Chipping(size_mm=8.0, cluster=0.0, ragged=0.0), Recipe()))
            )[-1]
            _, counts[size] = ndimage.label(bench.texels.image(chapter.shown > 0.5, empty=False)[0])  # type: ignore[arg-type]
        self.assertAlmostEqual(counts[0.4] / counts[0.2], 4.0, delta=1.0)

    def test_noise_is_the_same_in_every_direction(self) -> None:
        # Isotropy: the mean squared difference at one distance does not depend on the axis.
        rng = np.random.default_rng(0)
        points = rng.uniform(0, 4, (60000, 3)).astype(np.float32)
        here = fractal(points, 50.0, octaves=3, seed=1)
        apart = []
        for axis in range(3):
            moved = points.copy()
            moved[:, axis] += np.float32(0.02)
            apart.append(float(((fractal(moved, 50.0, octaves=3, seed=1) - here) ** 2).mean()))
        self.assertLess(max(apart) / min(apart), 1.15)

    def test_a_mesh_may_be_turned_and_moved(self) -> None:
        # Curvature and chipping look at shape, not at where it stands.
        box = shapes.box(0.2)
        c, s = np.cos(0.7), np.sin(0.7)
        turn = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
        moved = Mesh(
            (box.positions @ turn.T + [3, 0, 1]).astype(np.float32),
            (box.normals @ turn.T).astype(np.float32),
            box.triangles,
            box.uv,
            parts=box.parts,
        )
        first, second = bench_for(box, 128, 64), bench_for(moved, 128, 64)
        # Each texel has its own rays; what is compared is the surface as a whole.
        a, b = first.measured.curvature(8.0), second.measured.curvature(8.0)
        self.assertAlmostEqual(first.texels.share(np.maximum(a, 0)), second.texels.share(np.maximum(b, 0)), delta=0.002)
        self.assertLess(float(np.abs(a - b).mean()), 0.01)
