"""Look-through colours and small pictures."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from limus.common.colour import to_srgb
from limus.common.store import Store
from limus.review.close_view import NEAREST, View, close_view, outstanding
from limus.review.look import RAMPS, coloured, legend, ramp, rgba
from limus.review.moment import moment_picture
from limus.review.picture import SURROUND, Picture
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.test_effects import STORY, bench_for, scene


class Ramps(TestCase):
    def setUp(self) -> None:
        self.texels = Texels.of(shapes.plane(), 16)

    def shown(self, value: float, low: float, high: float, colours: str) -> list[int]:
        picture = coloured(self.texels, np.full(len(self.texels), value, np.float32), low, high, colours)
        return picture[0, 8, 8, :3].tolist()

    def test_grey_is_plain_black_to_white(self) -> None:
        self.assertEqual(self.shown(0.0, 0, 1, "grey"), [0, 0, 0])
        self.assertEqual(self.shown(1.0, 0, 1, "grey"), [255, 255, 255])
        self.assertEqual(self.shown(0.5, 0, 1, "grey"), [128, 128, 128])
        self.assertEqual(self.shown(50.0, 0, 200, "grey"), [64, 64, 64])
        # Beyond the ends the ends stay.
        self.assertEqual(self.shown(-3.0, 0, 1, "grey"), [0, 0, 0])
        self.assertEqual(self.shown(9.0, 0, 1, "grey"), [255, 255, 255])

    def test_signed_is_neutral_in_the_middle(self) -> None:
        flat = self.shown(0.0, -1, 1, "signed")
        self.assertLessEqual(max(flat) - min(flat), 2)
        hollow, edge = self.shown(-1.0, -1, 1, "signed"), self.shown(1.0, -1, 1, "signed")
        self.assertGreater(hollow[2], hollow[0])  # indigo
        self.assertGreater(edge[0], edge[2])  # ochre

    def test_exposure_rises_in_lightness(self) -> None:
        light = [sum(self.shown(v, 0, 1, "exposure")) for v in np.linspace(0, 1, 9)]
        self.assertEqual(light, sorted(light))

    def test_legend_names_the_stops(self) -> None:
        for colours, stops in RAMPS.items():
            found = legend(colours, -1.0, 2.0, "mm", ("hollow", "edge"))
            self.assertEqual(len(found.stops), len(stops))
            self.assertEqual((found.stops[0][0], found.stops[-1][0]), (0.0, 1.0))
            self.assertRegex(found.stops[0][1], r"^#[0-9a-f]{6}$")
            self.assertEqual((found.low, found.high, found.unit, found.low_word), (-1.0, 2.0, "mm", "hollow"))

    def test_small_pictures_use_the_same_colours(self) -> None:
        values = np.array([0.0, 0.25, 1.0], np.float32)
        np.testing.assert_allclose(ramp(values, 0, 1, "grey")[:, 0], [0.0, 64 / 255, 1.0], atol=0.003)

    def test_colours_as_they_are(self) -> None:
        picture = rgba(self.texels, np.tile(np.array([0.25, 0.5, 1.5], np.float32), (len(self.texels), 1)))
        self.assertEqual(picture[0, 8, 8].tolist(), [64, 128, 255, 255])


class Pictures(TestCase):
    def setUp(self) -> None:
        self.texels = Texels.of(shapes.box(0.2), 128)

    def test_the_object_stands_in_the_middle(self) -> None:
        picture = Picture.of(self.texels, 40, 40, azimuth=0, elevation=0)
        shown = picture.show(np.ones(len(self.texels), np.float32))
        self.assertEqual(shown.shape, (40, 40, 3))
        self.assertEqual(shown[20, 20].tolist(), [255, 255, 255])
        self.assertEqual(shown[0, 0].tolist(), [SURROUND] * 3)
        filled = (shown[:, :, 0] > 200).mean()
        self.assertAlmostEqual(float(filled), 1 / 1.04**2, delta=0.06)

    def test_it_shows_the_side_it_looks_at(self) -> None:
        for azimuth, axis, sign in ((0, 2, 1), (90, 0, 1), (180, 2, -1)):
            picture = Picture.of(self.texels, 20, 20, azimuth=azimuth, elevation=0)
            seen = picture.texel[picture.texel >= 0]
            self.assertGreater(float((self.texels.normal[seen, axis] * sign).mean()), 0.95)
        above = Picture.of(self.texels, 20, 20, elevation=89.9)
        self.assertGreater(float(self.texels.normal[above.texel[above.texel >= 0], 1].mean()), 0.95)

    def test_zoom_fills_the_picture(self) -> None:
        near = Picture.of(self.texels, 20, 20, azimuth=0, elevation=0, zoom=3.0)
        self.assertTrue((near.texel >= 0).all())

    def test_light_gives_it_shape(self) -> None:
        picture = Picture.of(self.texels, 40, 40)
        flat = picture.show(np.full(len(self.texels), 0.5, np.float32))
        lit = picture.show(np.full(len(self.texels), 0.5, np.float32), shade=1.0)
        inside = flat[:, :, 0] == 128
        self.assertEqual(int(flat[inside].std()), 0)
        self.assertGreater(float(lit[inside].std()), 5.0)


class Moments(TestCase):
    def test_what_is_not_seen_is_left_out_and_nothing_is_lost(self) -> None:
        """The same picture from every texel, composited whole."""
        bench = bench_for(shapes.box(0.2), 128, pairs=4)
        texels, pile = bench.texels, bench.play(scene(*STORY))[-1].pile
        occlusion = np.linspace(0, 1, len(texels), dtype=np.float32)
        picture = Picture.of(texels, 40, 30)
        seen, which = picture.seen
        self.assertLess(len(seen), len(texels))
        hit = picture.texel >= 0
        np.testing.assert_array_equal(seen[which[hit]], picture.texel[hit])

        sheet = pile.visible()
        gloss = 1 - 0.25 * sheet["metalness"] * sheet["roughness"]
        colour = sheet["base_color"] * gloss[:, None] * (0.45 + 0.55 * (1 - occlusion))[:, None]
        whole = picture.show(to_srgb(colour.astype(np.float32)), shade=0.85)
        found = moment_picture(pile, picture, occlusion)
        self.assertLessEqual(int(np.abs(found.astype(int) - whole).max()), 1)
        self.assertGreater(float(found.std()), 5.0)

    def test_one_number_is_shown_as_grey(self) -> None:
        texels = Texels.of(shapes.box(0.2), 64)
        picture = Picture.of(texels, 30, 30)
        field = np.linspace(0, 1, len(texels), dtype=np.float32)
        for shade in (0.0, 0.4):
            three = picture.show(np.repeat(field[:, None], 3, axis=1), shade=shade)
            np.testing.assert_array_equal(picture.show(field, shade=shade), three)


class CloseViews(TestCase):
    """Where a small picture looks: at the side and place where most was done."""

    def setUp(self) -> None:
        self.texels = Texels.of(shapes.box(1.0), 128)
        self.store = Store(1 << 28)

    def view(self, where: np.ndarray) -> View:
        return close_view(self.texels, where.astype(np.float32), 120, 60, self.store)

    def test_it_comes_near_a_spot_on_whatever_side(self) -> None:
        for axis, sign in ((0, 1), (0, -1), (2, 1), (2, -1)):
            with self.subTest(axis=axis, sign=sign):
                place = np.zeros(3)
                place[axis] = 0.5 * sign
                place[1] = 0.2
                spot = np.linalg.norm(self.texels.position - self.texels.position.mean(axis=0) - place, axis=1) < 0.06
                self.assertGreater(spot.sum(), 4)
                view = self.view(spot)
                self.assertEqual(view.zoom, NEAREST)
                picture = view.picture(self.texels, 120, 60, self.store).show(spot.astype(np.float32))
                self.assertGreater(float((picture == 255).mean()), 0.01)

    def test_where_nothing_was_done_the_whole_is_shown(self) -> None:
        view = self.view(np.zeros(len(self.texels)))
        self.assertEqual((view.zoom, view.at), (1.0, (0.0, 0.0)))

    def test_what_lies_everywhere_is_seen_from_the_usual_side(self) -> None:
        self.assertEqual(self.view(np.ones(len(self.texels))).azimuth, 35.0)

    def test_what_did_not_change_steps_back(self) -> None:
        picture = np.full((2, 2, 3), (200, 40, 40), np.uint8)
        change = np.zeros((2, 2, 3), np.uint8)
        change[0] = 255
        found = outstanding(picture, change)
        self.assertEqual(found[0, 0].tolist(), [200, 40, 40])
        self.assertLess(np.ptp(found[1, 0]), 0.3 * np.ptp(picture[1, 0]))
        self.assertGreater(np.ptp(found[1, 0]), 20, "it keeps some of its colour")
