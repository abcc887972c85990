"""Defaults fit the object, from a thing in the hand to one as large as a house; what was typed stays."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.bases.store_room import STOCK
from limus.common.errors import InputError
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.store import Store
from limus.document.scene import Scene
from limus.document.start import fresh_effect, started, suiting
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import FLAKING_GRADES, Chipping
from limus.effects.paint import Paint
from limus.intake.object_file import ObjectFile
from limus.masks.coverage import SoftLevels
from limus.masks.hand.stroke import Brush
from limus.masks.recipe import SOURCES, Term
from limus.masks.shape import smoothstep
from limus.playing.chronicle import Chronicle
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.fields import film
from tests.core.test_effects import layer, scene

#: Diagonals that a person brings: a figure, a machine part, a cabinet, a house.
DIAGONALS = (0.05, 0.5, 5.0, 20.0)


def bench(mesh: Mesh, size: int, pairs: int = 8) -> Chronicle:
    texels = Texels.of(mesh, size)
    plan = RayPlan.for_mesh(mesh, pairs)
    return Chronicle(texels, Measured(texels, plan, measure_rays(texels, plan)), Store(1 << 30))


class Declared(TestCase):
    def models(self) -> list[tuple[str, Any]]:
        return [*EFFECTS.items(), *SOURCES.items(), ("term", Term), ("brush", Brush)]

    def test_every_length_says_how_it_grows(self) -> None:
        for kind, model in self.models():
            for name, field in model.model_json_schema()["properties"].items():
                if field.get("unit") in ("mm", "cm") and field.get("control") == "slider":
                    self.assertIn("grows", field, f"{kind}.{name}")
                    self.assertTrue(0 <= field["grows"] <= 1, f"{kind}.{name}")

    def test_on_one_metre_nothing_changes(self) -> None:
        for kind, effect in EFFECTS.items():
            self.assertEqual(effect.fitted(ONE_METRE), effect(), kind)

    def test_lengths_grow_by_their_exponent(self) -> None:
        # Two digits of it: 6 mm at one metre, with the power 0.6 of the size.
        self.assertEqual(Chipping.fitted(ObjectSize(4.0)).size_mm, 14.0)  # type: ignore[attr-defined]
        self.assertEqual(Chipping.fitted(ObjectSize(0.01)).size_mm, 0.38)  # type: ignore[attr-defined]
        self.assertEqual(Paint.fitted(ObjectSize(9.0)).texture_mm, Paint().texture_mm)  # type: ignore[attr-defined]
        self.assertEqual(ObjectSize(0.1).mm(160.0, 1.0), 16.0)

    def test_fitted_defaults_are_within_their_limits(self) -> None:
        for diagonal in (1e-5, *DIAGONALS, 3000.0):
            size = ObjectSize(diagonal)
            for kind, model in self.models():
                if kind == "term":
                    continue
                model.model_validate(size.fields(model))
                for name, field in size.schema(model)["properties"].items():
                    if "grows" not in field or not field["grows"]:
                        continue
                    self.assertTrue(
                        field["minimum"] <= field["default"] <= field["maximum"], f"{kind}.{name} at {diagonal}"
                    )
                    self.assertTrue(
                        field["minimum"] <= field["soft"][0] < field["soft"][1] <= field["maximum"]
                        or diagonal in (1e-5, 3000.0),
                        f"{kind}.{name}",
                    )
            for effect in EFFECTS.values():
                effect.default_where(size)

    def test_the_ladder_of_readings_covers_what_recipes_ask_for(self) -> None:
        for diagonal in DIAGONALS:
            size = ObjectSize(diagonal)
            plan = RayPlan.for_mesh(shapes.box(diagonal / 3**0.5), 8)
            for kind, effect in EFFECTS.items():
                for line in effect.default_where(size).terms:
                    radius, reach = getattr(line.source, "radius_mm", None), getattr(line.source, "reach_mm", None)
                    if radius is not None:
                        self.assertTrue(
                            plan.radii_mm[0] <= radius <= plan.radii_mm[-1], f"{kind} at {diagonal} m: radius {radius}"
                        )
                    if reach is not None:
                        self.assertTrue(
                            plan.reaches_mm[0] * 0.5 <= reach <= plan.reaches_mm[-1],
                            f"{kind} at {diagonal} m: reach {reach}",
                        )
            for kind, ladder in (("curvature", plan.radii_mm), ("occlusion", plan.reaches_mm)):
                shown = size.mm(READINGS[kind].default_size_mm, READINGS[kind].grows)
                self.assertTrue(ladder[0] <= shown <= ladder[-1], f"{kind} at {diagonal} m: {shown}")
            thick = size.mm(READINGS["thickness"].default_size_mm, READINGS["thickness"].grows)
            self.assertLessEqual(thick, plan.thickness_mm * 1.05)

    def test_thickness_of_a_small_thing_is_not_white_all_over(self) -> None:
        # A figure of 10 cm: half of the range that is shown is used by a plate that thick.
        size = ObjectSize(0.1)
        self.assertLess(size.mm(READINGS["thickness"].default_size_mm, READINGS["thickness"].grows), 20.0)
        self.assertLess(size.mm(READINGS["occlusion"].default_size_mm, READINGS["occlusion"].grows), 15.0)


class Chips(TestCase):
    """Coverage is what shows, on any size, thickness and UVs."""

    def lost(self, chronicle: Chronicle, paint: Paint, chipping: Chipping, size: ObjectSize) -> float:
        """Share of the topcoat's area on which it shows no more."""
        chapters = chronicle.play(scene(layer("paint", paint), layer("chips", chipping, Chipping.default_where(size))))
        before, after = chapters[0].pile, chapters[1].pile
        painted = before.exposure_of("paint/topcoat")
        gone = 1 - after.exposure_of("paint/topcoat") / np.maximum(painted, 1e-6)
        return chronicle.texels.share(np.ascontiguousarray(gone, np.float32), painted)

    def test_within_three_percent_on_any_size_and_resolution(self) -> None:
        for diagonal in DIAGONALS:
            size = ObjectSize(diagonal)
            # At 128 what is asked for on something large is finer than a texel, and the lines say so.
            for resolution in (128, 512) if diagonal < 1 else (512,):
                chronicle = bench(shapes.box(diagonal / 3**0.5), resolution)
                chipping = Chipping.fitted(size).model_copy(update={"coverage": 0.08})
                got = self.lost(chronicle, Paint(), chipping, size)  # type: ignore[arg-type]
                self.assertAlmostEqual(got, 0.08, delta=0.08 * 0.03, msg=f"{diagonal} m at {resolution}")

    def test_on_thick_paint_and_uneven_uvs(self) -> None:
        # One side of the box has most of the picture, the others little.
        uneven = [shapes.cell(0, 0, 2, 1), *(shapes.cell(3 + k % 3, k // 3, 6, 6) for k in range(5))]
        chronicle = bench(shapes.box(0.3, uv_of=uneven), 384)
        for thick in (20.0, 120.0, 1500.0):
            for share in (0.01, 0.05, 0.2):
                got = self.lost(chronicle, Paint(thickness_um=thick), Chipping(coverage=share), ObjectSize(0.52))
                self.assertAlmostEqual(got, share, delta=share * 0.03, msg=f"{thick} um, {share}")

    def test_outlines_have_a_character_and_keep_the_coverage(self) -> None:
        chronicle = bench(shapes.box(0.3), 384)
        lost: dict[str, np.ndarray] = {}
        for outline in ("crumbled", "soft", "sharp", "scalloped"):
            chipping = Chipping(coverage=0.12, outline=outline, cluster=0.2, ragged=0.0)  # type: ignore[arg-type]
            got = self.lost(chronicle, Paint(), chipping, ObjectSize(0.52))
            self.assertAlmostEqual(got, 0.12, delta=0.12 * 0.03, msg=outline)
            story = scene(layer("paint", Paint()), layer("chips", chipping, Chipping.default_where(ObjectSize(0.52))))
            lost[outline] = chronicle.play(story)[-1].shown
        for one in lost:
            for other in lost:
                if one < other:
                    # As much is gone, but elsewhere.
                    apart = float(np.abs(lost[one] - lost[other]).mean())
                    self.assertGreater(apart, 0.02, f"{one} and {other}")

    def test_grades_of_flaking_are_kept_as_well(self) -> None:
        # ISO 4628-5 (from memory): class 4 is 3 %.
        chronicle = bench(shapes.box(0.3), 384)
        got = self.lost(chronicle, Paint(), Chipping(by="grade", grade="4"), ObjectSize(0.52))
        self.assertAlmostEqual(got, FLAKING_GRADES["4"] / 100, delta=0.03 * 0.03)

    def test_what_cannot_be_reached_is_said_with_figures(self) -> None:
        from limus.masks.recipe import Recipe, term
        from limus.masks.sources.gradient import Gradient

        chronicle = bench(shapes.box(0.3), 128)
        small = Recipe(terms=[term(Gradient(start=0.9, end=0.95))])
        chapter = chronicle.play(scene(layer("paint", Paint()), layer("chips", Chipping(coverage=0.6), small)))[-1]
        self.assertRegex(
            chapter.note,
            r"smaller than the coverage asked for: [\d.]+% instead of 60.0% of the paint",
        )

    def test_figures_on_a_part_of_a_board_break_with_it(self) -> None:
        # A second paint that lies only here and there is the topcoat there, and the first one elsewhere.
        from limus.masks.recipe import Recipe, term
        from limus.masks.sources.gradient import Gradient

        chronicle = bench(shapes.box(0.3), 256)
        half = Recipe(terms=[term(Gradient(start=0.5, end=0.501))])
        story = (
            layer("paint", Paint(primer=False), Recipe()),
            layer("marks", Paint(primer=False, thickness_um=60.0), half),
        )
        chapters = chronicle.play(scene(*story, layer("chips", Chipping(coverage=0.1, depth=1.0), Recipe())))
        bare = chapters[-1].pile.bare()
        upper = chronicle.texels.position[:, 1] > 0
        for here in (upper, ~upper):
            self.assertGreater(chronicle.texels.share(bare, here.astype(np.float32)), 0.03)
        self.assertAlmostEqual(chronicle.texels.share(bare), 0.1, delta=0.006)
        self.assertGreater(float(film(chapters[-1].pile).max()), 100.0)

    def test_a_soft_level_has_the_mean_it_was_asked_for(self) -> None:
        values = np.random.default_rng(2).normal(0, 1, 200_000).astype(np.float32)
        weight = np.random.default_rng(3).uniform(0, 2, len(values)).astype(np.float32)
        for width in (0.01, 0.3):
            for share in (0.002, 0.08, 0.5, 0.97):
                level = SoftLevels(values, weight, width).level(share)
                got = float(np.average(smoothstep(values, level - width, level + width), weights=weight))
                self.assertAlmostEqual(got, share, delta=max(0.01 * share, 2e-4))
        self.assertEqual(SoftLevels(values, np.zeros_like(weight), 0.1).level(0.5), float("inf"))
        self.assertGreater(SoftLevels(values, weight, 0.1).level(0.0), float(values.max()))
        self.assertLess(SoftLevels(values, weight, 0.1).level(1.0), float(values.min()))


class Starting(TestCase):
    def start(self, size: float = 1.0, **more: Any) -> Scene:
        return started(ObjectFile(file="a/cup.glb"), Setting(years=25.0), ObjectSize(size), **more)

    def test_layers_that_suit_the_base(self) -> None:
        self.assertEqual(
            [one.effect.kind for one in self.start().layers], ["paint", "chipping", "rust", "dirt", "dust"]
        )
        self.assertEqual([one.effect.kind for one in self.start(base="slate").layers], ["dirt", "dust"])
        self.assertEqual(
            [one.effect.kind for one in self.start(base="aluminium").layers], ["paint", "chipping", "dirt", "dust"]
        )
        for base in STOCK:
            self.assertTrue(suiting(from_stock(base)))

    def test_as_old_as_the_place_and_as_large_as_the_thing(self) -> None:
        large = self.start(16.0)
        self.assertEqual(large.layer("rust").effect.years, 25.0)  # type: ignore[union-attr]
        self.assertEqual(large.layer("chipping").effect.size_mm, 32.0)  # type: ignore[union-attr]
        self.assertEqual(large.layer("chipping").where.terms[0].source.radius_mm, 32.0)  # type: ignore[union-attr]
        self.assertEqual(fresh_effect("rust", ObjectSize(16.0), Setting(years=25.0)), large.layer("rust").effect)  # type: ignore[union-attr]

    def test_stains_are_of_what_there_is(self) -> None:
        # Nothing here rusts: lime out of joints and cracks is what such a wall is stained by.
        for base, what in (("smooth concrete", "lime"), ("cast iron", "rust"), ("oak", "rust")):
            self.assertEqual(self.start(base=base, layers=["staining"]).layers[0].effect.what, what)  # type: ignore[attr-defined]
        iron, stone = from_stock("cast iron"), from_stock("smooth concrete")
        for bases, what in (([stone], "lime"), ([stone, iron], "rust"), ([iron], "rust")):
            made = fresh_effect("staining", ONE_METRE, Setting(), bases)
            self.assertEqual(made.what, what)  # type: ignore[attr-defined]

    def test_the_same_layer_twice(self) -> None:
        made = self.start(layers=["paint", "chipping", "paint"])
        self.assertEqual(
            [(one.id, one.name) for one in made.layers],
            [("paint", "Paint"), ("chipping", "Chipping"), ("paint-2", "Paint 2")],
        )

    def test_unknown_words_are_refused_with_those_there_are(self) -> None:
        with self.assertRaisesRegex(InputError, "no effect 'magic'.*paint"):
            self.start(layers=["magic"])
        with self.assertRaisesRegex(InputError, r"no base 'cheese'.*cast iron.*, [a-z ]+ and \d+ more\.$"):
            self.start(base="cheese")
        with self.assertRaisesRegex(InputError, "no base 'Slates'. Choose one of: slate, "):
            self.start(base="Slates")
