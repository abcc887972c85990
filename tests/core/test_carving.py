"""Relief by a place, against its own curve and against planes fitted by numpy."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.common.errors import InputError
from limus.document.scene import scene_from
from limus.effects.carving import Carving
from limus.effects.paint import Paint
from limus.effects.profile import profile_of
from limus.masks.recipe import Recipe, term
from limus.masks.shape import curved
from limus.masks.sources.even import Even
from limus.masks.sources.gradient import Gradient
from limus.playing.chronicle import Chronicle
from tests.core import shapes
from tests.core.fields import seen
from tests.core.test_effects import bench_for, layer, scene

#: White where x is above 0.
HALF = Recipe(terms=[term(Gradient(towards="east", start=0.4999, end=0.5001), low=0.0, high=1.0)])
PLAIN: dict[str, Any] = {"lips": 0.0}


class Profiles(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.plane(0.4), 256)

    def lifted(self, where: Recipe = HALF, **fields: Any) -> tuple[np.ndarray, Any]:
        """(n,) mm by which the surface was raised, and the chapter."""
        story = scene(layer("carved", Carving(**{**PLAIN, **fields}), where), bases=[from_stock("plain grey")])
        bare = self.bench.as_made(story).relief()
        chapter = self.bench.play(story)[-1]
        return chapter.pile.relief() - bare, chapter

    def test_the_cross_section_is_its_curve(self) -> None:
        points = [(0.0, 0.0), (0.3, 0.8), (0.6, 0.4), (1.0, 1.0)]
        x = self.bench.texels.position[:, 0] * 1000.0
        middle = np.abs(self.bench.texels.position[:, 2]) < 0.15
        for profile in ("v", "u", "rounded", "own"):
            curve = points if profile == "own" else None
            lift, chapter = self.lifted(profile=profile, curve=curve, bevel_mm=60.0, height_mm=-5.0)
            wanted = -5.0 * profile_of(np.clip(x / 60.0, 0.0, 1.0), profile, curve)  # type: ignore[arg-type]
            inside = middle & (x > 2.0) & (x < 150.0)
            with self.subTest(profile=profile):
                # Within a texel of the way: the steepest goes 5 mm in an eighth of the bevel.
                np.testing.assert_allclose(lift[inside], wanted[inside], atol=0.45)
                self.assertLess(float(np.abs(lift[inside] - wanted[inside]).mean()), 0.08)
                self.assertEqual(float(np.abs(lift[x < -2.0]).max()), 0.0)
                self.assertEqual(chapter.speaks, ("relief",))
        np.testing.assert_allclose(
            profile_of(np.linspace(0, 1, 50, dtype=np.float32), "own", points),
            curved(np.linspace(0, 1, 50, dtype=np.float32), points),
            atol=1e-6,
        )

    def test_a_step_has_its_whole_height_at_once(self) -> None:
        lift, _ = self.lifted(profile="step", height_mm=3.0)
        x = self.bench.texels.position[:, 0] * 1000.0
        np.testing.assert_allclose(lift[x > 4.0], 3.0, atol=1e-5)
        np.testing.assert_allclose(lift[x < -4.0], 0.0, atol=1e-5)

    def test_lips_are_broken_outwards_only(self) -> None:
        whole, _ = self.lifted(profile="step", height_mm=-3.0)
        broken, _ = self.lifted(profile="step", height_mm=-3.0, lips=1.0, lip_mm=12.0)
        self.assertTrue(((whole - broken) >= -1e-4).all())
        x = self.bench.texels.position[:, 0] * 1000.0
        more = (whole - broken) > 1.5
        self.assertTrue(more.any())
        self.assertGreater(float(x[more].min()), -16.0)

    def test_it_polishes_levels_and_bares(self) -> None:
        story = scene(
            layer("paint", Paint(), Recipe()),
            layer("carved", Carving(**PLAIN, profile="step", height_mm=0.5, polish=1.0, bares=1.0, levels=1.0), HALF),
            bases=[from_stock("brick in mortar")],
        )
        before, after = self.bench.play(story)
        x = self.bench.texels.position[:, 0]
        deep, edge = x > 0.02, x < -0.02
        np.testing.assert_allclose(seen(after.pile, "roughness")[deep], 0.12, atol=0.01)
        self.assertLess(float(after.pile.coat_thickness("paint")[deep].max()), 1.0)
        np.testing.assert_array_equal(
            after.pile.coat_thickness("paint")[edge], before.pile.coat_thickness("paint")[edge]
        )
        self.assertLess(float(after.pile.skin[deep].std()), 0.7 * float(before.pile.skin[deep].std()))
        np.testing.assert_array_equal(after.pile.skin[edge], before.pile.skin[edge])

    def test_nothing_white_enough_is_said(self) -> None:
        grey = Recipe(terms=[term(Even(), out_high=0.45)])
        _, chapter = self.lifted(where=grey)
        self.assertIn("half white", chapter.note)


class Pieces(TestCase):
    def fits(self, bench: Chronicle, owner: np.ndarray, lift: np.ndarray) -> list[tuple[float, float, float]]:
        """(degrees, mm, worst distance) of a plane fitted to the displaced points of each piece."""
        out = []
        texels = bench.texels
        for number in np.unique(owner):
            mine = owner == number
            if mine.sum() < 60:
                continue
            normal = texels.normal[mine].mean(axis=0)
            points = texels.position[mine].astype(np.float64) * 1000.0 + texels.normal[mine] * lift[mine][:, None]
            middle = points.mean(axis=0)
            _, _, axes = np.linalg.svd(points - middle, full_matrices=False)
            leans = float(np.degrees(np.arccos(min(1.0, abs(float(axes[2] @ normal))))))
            flat = texels.position[mine].astype(np.float64).mean(axis=0) * 1000.0
            worst = float(np.abs((points - middle) @ axes[2]).max())
            out.append((leans, float((middle - flat) @ normal), worst))
        return out

    def test_each_side_of_a_box_is_a_plane_tilted_and_set_off(self) -> None:
        bench = bench_for(shapes.box(0.3), 160)
        effect = Carving(**PLAIN, profile="step", height_mm=0.0, each="island", tilt_deg=6.0, offset_mm=4.0)
        story = scene(layer("set", effect, Recipe()), bases=[from_stock("plain grey")])
        lift = bench.play(story)[-1].pile.relief() - bench.as_made(story).relief()
        found = self.fits(bench, bench.texels.island, lift)
        self.assertEqual(len(found), 6)
        for leans, off, worst in found:
            self.assertLessEqual(leans, 6.01)
            self.assertLessEqual(abs(off), 4.05)
            self.assertLess(worst, 0.05)
        self.assertGreater(max(leans for leans, _, _ in found), 1.5)
        self.assertGreater(np.std([off for _, off, _ in found]), 0.8)

    def test_bricks_and_where_there_are_none(self) -> None:
        bench = bench_for(shapes.plane(1.2), 256)
        effect = Carving(**PLAIN, height_mm=0.0, each="piece", tilt_deg=3.0, offset_mm=2.0)
        bricks = scene(layer("set", effect, Recipe()), bases=[from_stock("brick in mortar")])
        made = bench.as_made(bricks)
        lift = bench.play(bricks)[-1].pile.relief() - made.relief()
        assert made.marks.piece is not None
        found = self.fits(bench, made.marks.piece, lift)
        self.assertGreater(len(found), 10)
        self.assertLess(max(worst for _, _, worst in found), 0.1)
        self.assertGreater(np.std([off for _, off, _ in found]), 0.5)
        plain = scene(layer("set", effect, Recipe()), bases=[from_stock("plain grey")])
        self.assertIn("no bricks", bench.play(plain)[-1].note)


class Refused(TestCase):
    def test_a_profile_that_goes_back_on_itself(self) -> None:
        document = scene(layer("carved", Carving())).model_dump(mode="json")
        document["layers"][0]["effect"] |= {"profile": "own", "curve": [[0.0, 0.0], [0.6, 1.0], [0.4, 0.5]]}
        with self.assertRaisesRegex(
            InputError, r"layers\[0\].effect.curve\[2\]: the profile goes back on itself. Let its points"
        ):
            scene_from(document)
