"""Combining, shaping, coverage, recipes."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import numpy as np
from PIL import Image, ImageChops
from scipy.stats import norm

from limus.common.store import Store
from limus.masks.combine import combine
from limus.masks.coverage import histogram, level_for
from limus.masks.recipe import SOURCES, Cut, Recipe, Term, term
from limus.masks.shape import shape, smoothstep
from limus.masks.source import Scope
from limus.masks.sources.edges import Edges
from limus.masks.sources.even import Even
from limus.masks.sources.exposed import Exposed
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.slope import SlopeSource
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.blur import blur
from limus.surface.texels import Texels
from tests.core import shapes


def scope_of(texels: Texels, cache: Store | None = None) -> Scope:
    plan = RayPlan((4.0, 40.0), (40.0,), 40.0, 16)
    measured = Measured(texels, plan, measure_rays(texels, plan))
    with TemporaryDirectory() as folder:
        exposure = measure_exposure(texels, Setting(), rays=4, folder=Path(folder))
    return Scope(Place(texels, measured, Setting(), exposure), cache or Store(), 1)


class Blending(TestCase):
    def test_against_pillow(self) -> None:
        # W3C Compositing and Blending Level 1 formulas, as Pillow's ImageChops has them for 8 bit.
        grid = np.arange(256, dtype=np.uint8)
        b, s = (x.ravel() for x in np.meshgrid(grid, grid))
        below, above = Image.fromarray(b.reshape(256, 256)), Image.fromarray(s.reshape(256, 256))
        pairs = {
            "multiply": ImageChops.multiply, "screen": ImageChops.screen, "darken": ImageChops.darker,
            "lighten": ImageChops.lighter,
            "difference": ImageChops.difference, "overlay": ImageChops.overlay, "add": ImageChops.add,
            "subtract": ImageChops.subtract,
        }  # fmt: skip
        for mode, other in pairs.items():
            ours = combine((b / 255).astype(np.float32), (s / 255).astype(np.float32), mode) * 255
            theirs = np.asarray(other(below, above)).ravel().astype(float)
            # Pillow rounds inside (overlay in two steps): two levels of 255 at most.
            self.assertLessEqual(float(np.abs(ours - theirs).max()), 2.1, mode)

    def test_soft_light_formula(self) -> None:
        # W3C, section 10.2: soft-light at chosen points, worked out by hand.
        got = combine(np.array([0.5, 0.2, 0.64], np.float32), np.array([0.25, 0.75, 1.0], np.float32), "soft-light")
        # Cb > 0.25: D = sqrt(Cb); at 0.2: D = ((16 Cb - 12) Cb + 4) Cb = 0.448.
        np.testing.assert_allclose(got, [0.5 - 0.5 * 0.5 * 0.5, 0.2 + 0.5 * (0.448 - 0.2), 0.8], atol=1e-5)

    def test_amount_fades_the_operation(self) -> None:
        b, s = np.array([0.8], np.float32), np.array([0.5], np.float32)
        np.testing.assert_allclose(combine(b, s, "multiply", 0.0), [0.8])
        np.testing.assert_allclose(combine(b, s, "multiply", 0.5), [0.6], atol=1e-6)


class Shaping(TestCase):
    def test_range_gamma_invert(self) -> None:
        x = np.array([-1, 0.2, 0.5, 0.8, 2], np.float32)
        np.testing.assert_allclose(shape(x, 0.2, 0.8), [0, 0, 0.5, 1, 1], atol=1e-6)
        np.testing.assert_allclose(shape(x, 0.2, 0.8, gamma=2.0), [0, 0, 0.25, 1, 1], atol=1e-6)
        np.testing.assert_allclose(shape(x, 0.2, 0.8, invert=True), [1, 1, 0.5, 0, 0], atol=1e-6)
        np.testing.assert_allclose(shape(x, 0.8, 0.2), [1, 1, 0.5, 0, 0], atol=1e-6)
        np.testing.assert_allclose(shape(x, 0.2, 0.8, out_low=0.2, out_high=0.6), [0.2, 0.2, 0.4, 0.6, 0.6], atol=1e-6)
        np.testing.assert_allclose(smoothstep(x, 0.2, 0.8), [0, 0, 0.5, 1, 1], atol=1e-6)


class Coverage(TestCase):
    def test_level_against_a_sort(self) -> None:
        rng = np.random.default_rng(3)
        for values in (rng.normal(size=50000), rng.exponential(size=50000), np.repeat(rng.uniform(size=500), 100)):
            values = values.astype(np.float32)
            weight = rng.uniform(0.1, 3.0, len(values)).astype(np.float32)
            for wanted in (0.001, 0.05, 0.5, 0.97):
                level = level_for(values, weight, wanted)
                got = float(weight[values > level].sum() / weight.sum())
                # As near as the values allow: ties move by the weight of the tie.
                ties = float(weight[np.abs(values - level) < 1e-5].sum() / weight.sum())
                self.assertAlmostEqual(got, wanted, delta=0.001 + ties + 0.004 * (len(np.unique(values)) < 1000))

    def test_ends(self) -> None:
        values, weight = np.array([0.1, 0.5, 0.9], np.float32), np.ones(3, np.float32)
        self.assertGreater(level_for(values, weight, 0.0), 0.9)
        self.assertLess(level_for(values, weight, 1.0), 0.1)
        self.assertEqual(level_for(values, np.zeros(3, np.float32), 0.5), float("inf"))

    def test_histogram_sums_to_one_and_weights_by_area(self) -> None:
        bars = histogram(np.array([0.0, 0.5, 1.0], np.float32), np.array([1, 1, 2], np.float32), 4)
        self.assertEqual(bars, [0.25, 0.0, 0.25, 0.5])

    def test_five_percent_on_two_uv_layouts(self) -> None:
        # The same solid, once with even islands and once with one island blown up: coverage is of the surface, not of
        # the texture.
        even = shapes.box(0.3)
        cells = [shapes.cell(k, 0, 5, 4) for k in range(5)]
        uneven = shapes.box(0.3, uv_of=[*cells, np.array([[0.05, 0.98], [0.95, 0.98], [0.95, 0.28], [0.05, 0.28]])])
        recipe = Recipe(
            terms=[term(Noise(size_mm=60.0, octaves=3))], cut=Cut(by="coverage", coverage=0.05, width=0.002)
        )
        for mesh in (even, uneven):
            for size in (256, 512):
                texels = Texels.of(mesh, size)
                self.assertAlmostEqual(texels.share(recipe.value(scope_of(texels))), 0.05, delta=0.005)


class Recipes(TestCase):
    def setUp(self) -> None:
        self.texels = Texels.of(shapes.box(0.3), 128)
        self.scope = scope_of(self.texels)

    def test_no_terms_is_everywhere(self) -> None:
        self.assertEqual(float(Recipe().value(self.scope).min()), 1.0)

    def test_read_from_top_to_bottom(self) -> None:
        recipe = Recipe(
            terms=[
                Term(source=Even(level=0.8)),
                Term(source=Even(level=0.5)),
                Term(source=Even(level=0.3), combine="add"),
                Term(source=Even(level=0.1), combine="subtract"),
            ]
        )
        np.testing.assert_allclose(recipe.value(self.scope), 0.6, atol=1e-6)

    def test_muted_and_inverted_lines(self) -> None:
        recipe = Recipe(
            terms=[
                Term(source=Even(level=0.8)),
                Term(source=Even(level=0.5), muted=True),
                Term(source=Even(level=0.25), invert=True),
            ]
        )
        np.testing.assert_allclose(recipe.value(self.scope), 0.6, atol=1e-6)

    def test_slope_faces_the_way_it_says(self) -> None:
        up = SlopeSource(towards="up").value(self.scope)
        self.assertTrue((up[self.texels.normal[:, 1] > 0.9] > 0.99).all())
        self.assertTrue((up[np.abs(self.texels.normal[:, 1]) < 0.1] < 0.01).all())
        side = SlopeSource(towards="sideways").value(self.scope)
        self.assertTrue((side[np.abs(self.texels.normal[:, 1]) < 0.1] > 0.99).all())

    def test_parts(self) -> None:
        two = Texels.of(shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.5, 0, 0))), 128)
        mask = Parts(names=["box 2"]).value(scope_of(two))
        self.assertTrue((mask == (two.position[:, 0] > 0.3)).all())

    def test_softening_is_in_millimetres(self) -> None:
        # Beside a hard border of a mask the value is that of the normal distribution function (scipy.stats).
        texels = Texels.of(shapes.plane(0.3), 256)
        scope = scope_of(texels)
        hard = (texels.position[:, 0] > 0).astype(np.float32)
        soft = blur(texels, hard, 6.0)
        here = (np.abs(texels.position[:, 0]) < 0.02) & (np.abs(texels.position[:, 2]) < 0.1)
        np.testing.assert_allclose(soft[here], norm.cdf(texels.position[here, 0] / 0.006), atol=0.015)
        self.assertEqual(len(Term(source=Noise(), soften_mm=3.0).value(scope)), len(texels))

    def test_terms_are_kept_when_another_changes(self) -> None:
        cache = Store()
        scope = scope_of(self.texels, cache)
        terms = [term(Noise(size_mm=10.0 + k, seed=k), combine="screen", amount=0.3) for k in range(6)]
        Recipe(terms=terms).value(scope)
        before = cache.misses
        terms[2] = terms[2].model_copy(update={"low": 0.4})
        Recipe(terms=terms).value(scope)
        self.assertEqual(cache.misses - before, 1)  # the recipe itself; no noise was made again

    def test_every_source_gives_plain_numbers(self) -> None:
        for kind, source in SOURCES.items():
            made = source() if kind != "exposed" else Exposed(what="base")
            value = made.cached(self.scope)
            self.assertEqual((value.dtype, value.shape), (np.dtype(np.float32), (len(self.texels),)), kind)
            self.assertTrue(np.isfinite(value).all(), kind)
            # Weather is relative to open ground, and a slope that faces it gets more than that.
            self.assertLessEqual(float(value.max()), {"sun": 4.0, "rain": 4.0, "runoff": 8.0}.get(kind, 1.0001), kind)

    def test_only_who_asks_for_the_weather_depends_on_it(self) -> None:
        dry = Scope(replace(self.scope.place, exposure=None), self.scope.keep, self.scope.seed)
        for source, asks in (
            (SOURCES["rain"](), True),
            (SOURCES["runoff"](), True),
            (SOURCES["sun"](), True),
            (Noise(), False),
        ):
            recipe = Recipe(terms=[Term(source=source)])
            self.assertEqual(recipe.weather, asks)
            self.assertEqual(recipe.key(self.scope) != recipe.key(dry), asks, source.kind)
            self.assertEqual(source.key(self.scope) != source.key(dry), asks, source.kind)

    def test_edges_are_found_on_a_box_of_eight_corners(self) -> None:
        edges = Term(source=Edges(radius_mm=40.0), low=0.03, high=0.35).value(self.scope)
        inner = (np.abs(self.texels.position) < 0.09).sum(axis=1) == 2
        rim = np.sort(np.abs(self.texels.position), axis=1)[:, 1] > 0.145
        self.assertEqual(float(edges[inner].max()), 0.0)
        self.assertGreater(float(edges[rim].mean()), 0.9)
