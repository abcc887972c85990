"""Base materials: what they give, how they are laid, and several of them on one object."""

from __future__ import annotations

import io
import json
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import MaterialX as Mx
import numpy as np
from PIL import Image
from pydantic import ValidationError
from scipy import ndimage
from scipy.ndimage import map_coordinates
from scipy.stats import ks_2samp
from skimage import data
from skimage.color import deltaE_ciede2000, rgb2lab

from limus.bases.as_materialx import base_materialx
from limus.bases.catalogue import MATERIALS
from limus.bases.choice import BaseChoice, from_stock
from limus.bases.ground import Skin
from limus.bases.laying import finished, laid, laid_in_blocks, over
from limus.bases.placing import Placing
from limus.bases.site import Site, site_of
from limus.bases.store_room import RENAMED, STOCK, guessed, searched
from limus.common.colour import luminance, to_linear, to_srgb
from limus.common.errors import InputError
from limus.common.fields import Document
from limus.document.scene import Scene, scene_from
from limus.formats.gltf_write import glb_bytes
from limus.intake.object_file import ObjectFile
from limus.masks.recipe import Recipe, term
from limus.masks.sources.base_map import BaseMap
from limus.masks.sources.gradient import Gradient
from limus.masks.sources.mask import MaskSource
from limus.materials.albedo import plausible, without_light
from limus.materials.channels import CHANNELS, one, spread
from limus.materials.levels import Levels, levelled
from limus.materials.optics import (
    index_from_reflectance,
    reflectance_at_normal,
    reflectance_from_level,
    roughness_from_gloss,
)
from limus.materials.substance import FAMILIES
from limus.patterns.by_example import Patches, lay_flat, lay_on_sides, prepared
from limus.patterns.repetition import SEEN, repetition
from limus.patterns.tiling import tiling
from limus.playing.as_made import as_made, lies_on, owner_of_parts
from limus.review.base_review import repeats
from limus.review.sample import sample_picture
from limus.targets.kinds.gltf import gltf_maps
from tests.core import shapes
from tests.core.test_effects import bench_for, scene
from tests.core.test_formats import khronos


def wall(size_mm: float, count: int = 120) -> Site:
    """A flat wall that faces +z, ``count`` texels along each side."""
    at = (np.arange(count) + 0.5) / count * size_mm * 0.001
    x, y = np.meshgrid(at, at[::-1])
    points = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1).astype(np.float32)
    normals = np.tile(np.array([[0, 0, 1]], np.float32), (len(points), 1))
    return Site(points, normals, size_mm / count)


def colour_of(skin: Skin) -> np.ndarray:
    return spread(skin.sheet["base_color"], CHANNELS["base_color"], len(skin.relief))


class StoreRoom(TestCase):
    def test_what_was_asked_for_is_there(self) -> None:
        wanted = (
            "cast iron", "rolled steel", "galvanised steel", "brass", "copper", "aluminium", "smooth concrete",
            "rough concrete",
            "exposed aggregate", "granite", "slate", "brick in mortar", "oak", "weathered pine", "roof felt",
            "enamel", "glass", "rubber", "canvas",
            "asphalt", "moulded plastic", "painted plastic", "gold", "silver", "lead", "terracotta", "limestone",
            "weathered tarpaulin", "wax", "packed snow", "oil film on dark enamel", "plain grey",
        )  # fmt: skip
        self.assertEqual([n for n in wanted if n not in STOCK], [])
        self.assertEqual({s.kind for s in STOCK.values()} | {"map_set"}, set(MATERIALS))

    def test_each_is_a_substance_that_can_be_one(self) -> None:
        for name, stock in STOCK.items():
            choice = from_stock(name)
            skin = finished(choice, laid(choice, wall(stock.shown_mm), 3))
            self.assertTrue(np.isfinite(skin.relief).all(), name)
            for channel, value in skin.sheet.items():
                entry = CHANNELS[channel]
                self.assertTrue(
                    np.isfinite(value).all() and value.min() >= entry.low and value.max() <= entry.high,
                    f"{name} {channel}",
                )
            color = colour_of(skin)
            metal = float(np.mean(skin.sheet["metalness"]))
            self.assertEqual(plausible(color.mean(axis=0), metal), "", name)
            self.assertIn(choice.substance.family, FAMILIES)
            # Never quite even, and a relief of a size that stands in a hand's breadth.
            self.assertGreater(float(color.std(axis=0).max() + np.ptp(skin.relief)), 0.005, name)
            self.assertLess(float(np.ptp(skin.relief)), 0.08 * stock.shown_mm + 2, name)
            self.assertEqual(Scene(object=ObjectFile(file="a.glb"), bases=[choice]).bases[0], choice)

    def test_what_is_not_offered_of_its_placing_changes_nothing(self) -> None:
        other = {
            "way": "box", "size_cm": 37.0, "scale": 1.7, "turn_deg": 31.0, "across_cm": 3.0, "up_cm": 3.0,
            "scatter": "none", "grain": "x", "broken": True, "turned": False, "scaled": False,
            "stretch": 1.6, "turn_step_deg": 30.0, "scale_low": 0.5, "scale_high": 1.9, "patch": 2.0, "blend": 0.6,
        }  # fmt: skip
        self.assertEqual(set(other), set(Placing.model_fields))
        for name, stock in STOCK.items():
            offered = MATERIALS[stock.kind].placed_by()
            site = wall(stock.shown_mm, 60)
            plain = laid(from_stock(name), site, 3)
            for field in set(other) - set(offered):
                with self.subTest(name, field=field):
                    changed = laid(from_stock(name, placing={field: other[field]}), site, 3)
                    np.testing.assert_array_equal(colour_of(changed), colour_of(plain))
                    np.testing.assert_array_equal(changed.relief, plain.relief)
            self.assertIn("scale", offered)
        self.assertEqual(
            {k for k, m in MATERIALS.items() if "grain" in m.placed_by()},
            {"timber", "slate", "sheet_metal", "terracotta"},
        )
        self.assertIn("size_cm", MATERIALS["map_set"].placed_by())

    def test_finer_texels_show_more_and_not_something_else(self) -> None:
        # The mean of a base does not hang on the resolution: the same square, looked at coarsely and finely.
        for name, stock in STOCK.items():
            choice = from_stock(name)
            coarse, fine = (laid(choice, wall(stock.shown_mm, n), 3) for n in (48, 192))
            a, b = (float(luminance(colour_of(s)).mean()) for s in (coarse, fine))
            self.assertAlmostEqual(a / b, 1.0, delta=0.12, msg=name)
            rough = [float(np.mean(s.sheet["roughness"])) for s in (coarse, fine)]
            self.assertAlmostEqual(rough[0], rough[1], delta=0.04, msg=name)

    def test_the_same_bytes_again_and_others_with_another_seed(self) -> None:
        for name in ("cast iron", "brick in mortar", "oak", "canvas"):
            choice, site = from_stock(name), wall(300.0, 40)
            first, again, other = (laid(choice, site, seed) for seed in (1, 1, 2))
            np.testing.assert_array_equal(first.relief, again.relief)
            self.assertGreater(float(np.abs(first.relief - other.relief).max()), 1e-4, name)

    def test_a_few_points_are_laid_like_many(self) -> None:
        # Three are the trap: their numbers have the shape of a colour. A window, or a side of a part in it, may hold
        # any count.
        points = np.random.Generator(np.random.PCG64(1)).random((9, 3)).astype(np.float32) * np.float32(0.3)
        normals = np.tile(np.float32((0, 0, 1)), (9, 1))

        def skin(name: str, count: int) -> Skin:
            return laid(from_stock(name), Site(points[:count], normals[:count], 1.0, uv=points[:count, :2]), 3)

        for name in STOCK:
            many = skin(name, 9)
            for count in (1, 2, 3, 4):
                with self.subTest(base=name, count=count):
                    few = skin(name, count)
                    self.assertEqual(few.relief.shape, (count,))
                    for channel, value in few.sheet.items():
                        wide = (3,) if CHANNELS[channel].width > 1 else ()
                        self.assertIn(value.shape, ((count, *wide), wide), channel)
                        spread_out = spread(value, CHANNELS[channel], count)
                        wanted = spread(many.sheet[channel], CHANNELS[channel], 9)[:count]
                        np.testing.assert_allclose(spread_out, wanted, atol=0.2, err_msg=channel)

    def test_seamless_across_the_body(self) -> None:
        # Two points a hair apart look alike, wherever they lie and whichever UVs they have.
        random = np.random.default_rng(0)
        points = random.uniform(-0.5, 0.5, (4000, 3)).astype(np.float32)
        normals = random.normal(size=(4000, 3))
        normals = (normals / np.linalg.norm(normals, axis=1, keepdims=True)).astype(np.float32)
        for name in ("cast iron", "granite", "oak", "smooth concrete", "galvanised steel"):
            choice = from_stock(name)
            a = laid(choice, Site(points, normals, 1.0), 1)
            b = laid(choice, Site(points + np.float32(2e-6), normals, 1.0), 1)
            apart = np.abs(colour_of(a) - colour_of(b)).max(axis=1)
            self.assertLess(float(np.quantile(apart, 0.97)), 0.02, name)

    def test_search(self) -> None:
        self.assertEqual(searched("zinc")[0].name, "galvanised steel")
        self.assertIn("oak", [s.name for s in searched("wood beam")])
        self.assertEqual({s.family for s in searched(family="copper alloy")}, {"copper alloy"})
        self.assertEqual(searched("cheese"), [])

    def test_guessed_from_names_of_parts(self) -> None:
        for name, base in {
            "brass plate": "brass", "BrassKnob_01": "brass", "hand_wheel_cast_iron": "cast iron",
            "Window_Glass": "glass", "tyre.L": "rubber",
            "gear_housing": "cast iron", "pier cap": "smooth concrete", "road": "granite setts", "gold_leaf": "gold",
            "PlasticTop": "moulded plastic", "stone_01": "granite", "flowerpot": "terracotta", "oil_pan": "",
            "oak_door": "oak", "bricks": "brick in mortar", "verge boards": "pine boards", "Mesh.003": "", "body": "",
        }.items():  # fmt: skip
            self.assertEqual(guessed(name), base, name)

    def test_words_of_older_documents(self) -> None:
        for old, new in RENAMED.items():
            self.assertEqual(from_stock(old).material, from_stock(new).material)
        old = {
            "version": 1,
            "object": {"file": "a.glb"},
            "bases": [{"material": "slate", "parts": ["x"], "relief": 2.0}],
        }
        base = scene_from(old).bases[0]
        self.assertEqual((base.material.kind, base.parts, base.relief), ("slate", ["x"], 2.0))
        with self.assertRaisesRegex(
            InputError, r"bases\[0\].material: there is no base 'cheese'. Choose one of: cast iron"
        ):
            scene_from({**old, "bases": [{"material": "cheese"}]})
        with self.assertRaisesRegex(InputError, r"bases\[0\].placing.size_cm: 0 is below the limit 0.01"):
            scene_from({**old, "bases": [{"material": "slate", "placing": {"size_cm": 0}}]})

    def test_samples(self) -> None:
        for name in ("brass", "brick in mortar", "glass"):
            picture = sample_picture(from_stock(name), STOCK[name].shown_mm, (80, 60))
            self.assertEqual((picture.shape, picture.dtype), ((60, 80, 3), np.uint8))
            self.assertEqual(picture[0, 0].tolist(), [0x86] * 3)
            self.assertGreater(float(picture[20:45, 25:55].std()), 3.0, name)


class RealSize(TestCase):
    def period(self, row: np.ndarray, step_mm: float, low: float, high: float) -> float:
        """mm after which a row repeats best, within limits."""
        row = row - row.mean()
        lags = range(int(low / step_mm), int(high / step_mm) + 1)
        fits = [float((row[:-k] * row[k:]).mean()) for k in lags]
        return (lags.start + int(np.argmax(fits))) * step_mm

    def test_courses_of_bricks_and_yarns(self) -> None:
        choice = from_stock("brick in mortar")
        site = wall(900.0, 600)
        skin = laid(choice, site, 2)
        mortar = skin.joint
        assert mortar is not None
        column = mortar.reshape(600, 600).mean(axis=1)
        self.assertAlmostEqual(self.period(column, 1.5, 50, 110), 75.0, delta=1.6)
        # The scale of the placing is a scale of everything.
        large = from_stock("brick in mortar", placing={"scale": 2.0})
        twice = laid(large, site, 2)
        assert twice.joint is not None
        self.assertAlmostEqual(self.period(twice.joint.reshape(600, 600).mean(axis=1), 1.5, 110, 210), 150.0, delta=3.1)
        self.assertAlmostEqual(float(np.ptp(twice.relief) / np.ptp(skin.relief)), 2.0, delta=0.4)

    def test_share_of_joints(self) -> None:
        # 225 x 75 with joints of 10: the bricks are 215 x 65 of it, 0.828.
        skin = laid(from_stock("brick in mortar"), wall(2250.0, 700), 1)
        assert skin.joint is not None
        self.assertAlmostEqual(1 - float(skin.joint.mean()), 215 * 65 / (225 * 75), delta=0.04)

    def test_tiling(self) -> None:
        random = np.random.default_rng(1)
        x, y = random.uniform(-5000, 5000, (2, 60000))
        t = tiling(x, y, 200.0, 100.0, joint_mm=10.0, stagger=0.5, vary=0.6, loose=0.3, seed=4)
        # The same numbers belong to one piece, whose middle is where its points say.
        same = t.number == t.number[0]
        self.assertLess(float(np.ptp((x - t.across)[same])) + float(np.ptp((y - t.up)[same])), 1e-2)
        inside = t.edge > 0
        self.assertTrue((np.abs(t.across[inside]) <= t.half_width[inside] + 1e-3).all())
        self.assertTrue((t.half_height == 45.0).all())
        self.assertAlmostEqual(float(t.chance(3)[inside].mean()), 0.5, delta=0.05)


class ByExample(TestCase):
    """On the textures that scikit-image ships."""

    def test_breaking_repetition(self) -> None:
        for name in ("brick", "grass", "gravel"):
            image = getattr(data, name)().astype(np.float32) / 255
            plain, broken = prepared(image[:, :, None]), prepared(image[:, :, None], broken=True)
            u, v = (g.ravel() for g in np.meshgrid((np.arange(640) + 0.5) / 160, (np.arange(640) + 0.5) / 160))
            before = lay_flat(plain, u, v)[0]
            after = lay_flat(broken, u, v, break_up=True)[0]
            self.assertGreater(repetition(before.reshape(640, 640)).strength, 0.9, name)
            self.assertAlmostEqual(repetition(before.reshape(640, 640)).apart, 160, delta=2)
            self.assertLess(repetition(after.reshape(640, 640)).strength, SEEN / 2, name)
            # Over a wide surface, so that every part of the picture is met.
            far = np.random.default_rng(2).uniform(0, 500, (2, 400000))
            self.assertLess(ks_2samp(lay_flat(broken, *far, break_up=True)[0], image.ravel()).statistic, 0.03, name)

    def stripes(self, patches: Patches) -> tuple[np.ndarray, np.ndarray]:
        """Of a picture of upright stripes with its repetition broken, over 24 of its widths: (h, w) cosine of twice
        the way that the grain runs (1 across, -1 up), and (h, w) how clearly it has one, 0 to 1.
        """
        x = np.arange(128) / 128.0
        image = np.tile(0.5 + 0.5 * np.sin(2 * np.pi * 8 * x), (128, 1)).astype(np.float32)
        image += np.random.default_rng(8).normal(0, 0.02, image.shape).astype(np.float32)
        laid_ = prepared(image[:, :, None], broken=True)
        at = (np.arange(1200) + 0.5) / 50.0
        u, v = (g.ravel() for g in np.meshgrid(at, at))
        field = lay_flat(laid_, u, v, break_up=True, patches=patches, seed=3)[0].reshape(1200, 1200)
        gy, gx = np.gradient(ndimage.gaussian_filter(field, 1.0))
        xx, yy, xy = (ndimage.gaussian_filter(product, 8.0) for product in (gx * gx, gy * gy, gx * gy))
        return (xx - yy) / (xx + yy), np.hypot(xx - yy, 2 * xy) / (xx + yy)

    def test_patches_are_turned_by_whole_steps(self) -> None:
        for step, low, high in ((0.0, 0.999, 1.0), (180.0, 0.999, 1.0), (90.0, 0.35, 0.65)):
            way, clear = self.stripes(Patches(turn_deg=step, low=1.0, high=1.0))
            upright = float((way[clear > 0.95] > 0).mean())
            self.assertTrue(low <= upright <= high, f"{step}: {upright}")
            # In whole steps there is nothing between the two.
            self.assertGreater(float((np.abs(way[clear > 0.95]) > 0.9).mean()), 0.97, step)
        way, clear = self.stripes(Patches(turn_deg=45.0, low=1.0, high=1.0))
        self.assertGreater(float((np.abs(way[clear > 0.95]) < 0.1).mean()), 0.3)

    def test_patches_have_a_size_and_a_blend(self) -> None:
        def changes(patches: Patches) -> float:
            way, _ = self.stripes(patches)
            return float((np.diff(np.sign(way[::20]), axis=1) != 0).mean())

        quarter = {"turn_deg": 90.0, "low": 1.0, "high": 1.0}
        self.assertGreater(changes(Patches(wide=0.5, **quarter)), 2.2 * changes(Patches(wide=2.0, **quarter)))
        narrow, wide = (float((self.stripes(Patches(blend=b, **quarter))[1] > 0.9).mean()) for b in (0.08, 1.0))
        self.assertGreater(narrow, wide + 0.15)

    def test_patches_are_scaled_within_their_range(self) -> None:
        def widths(patches: Patches) -> np.ndarray:
            image = np.tile(np.sin(2 * np.pi * 8 * np.arange(256) / 256.0), (256, 1)).astype(np.float32)
            laid_ = prepared(image[:, :, None] * 0.4 + 0.5, broken=True)
            u = (np.arange(200000) + 0.5) / 400.0
            line = lay_flat(laid_, u, np.full(len(u), 0.3), break_up=True, patches=patches, seed=5)[0] - 0.5
            up = np.flatnonzero((line[:-1] < 0) & (line[1:] >= 0))
            # An eighth of the picture is one stripe.
            return np.asarray(np.diff(up) / 400.0 * 8.0)

        for low, high in ((1.0, 1.0), (0.5, 0.5), (2.0, 2.0), (0.7, 1.2)):
            found = widths(Patches(turn_deg=0.0, low=low, high=high, wide=3.0))
            inside = (found > 0.95 * low) & (found < 1.05 * high)
            self.assertGreater(float(inside.mean()), 0.75, (low, high))
        many = widths(Patches(turn_deg=0.0, wide=3.0))
        self.assertGreater(float(np.quantile(many, 0.9) / np.quantile(many, 0.1)), 1.4)

    def test_a_picture_is_laid_higher_than_it_is(self) -> None:
        rows = np.repeat(np.arange(64, dtype=np.float32)[:, None] / 64.0, 64, axis=1)
        laid_ = prepared(rows[:, :, None])
        points = np.zeros((3, 3), np.float32)
        points[:, 1] = (-0.1, -0.3, -0.5)
        front = np.tile(np.array([[0.0, 0.0, 1.0]], np.float32), (3, 1))
        plain, tall = (lay_on_sides(laid_, points, front, stretch=k)[0] for k in (1.0, 2.0))
        np.testing.assert_allclose(plain, (0.1, 0.3, 0.5), atol=0.01)
        np.testing.assert_allclose(tall, (0.05, 0.15, 0.25), atol=0.01)

    def test_smallest_above_largest_is_refused(self) -> None:
        with self.assertRaisesRegex(ValidationError, "above the largest scale"):
            from_stock("granite", placing={"scale_low": 2.0})

    def test_contrast_stays_where_sides_and_patches_meet(self) -> None:
        image = data.gravel().astype(np.float32) / 255
        broken = prepared(image[:, :, None], broken=True)
        random = np.random.default_rng(3)
        slanted = np.tile(np.array([[0.577, 0.577, 0.577]], np.float32), (200000, 1))
        values = lay_on_sides(broken, random.uniform(0, 300, (200000, 3)), slanted, break_up=True)[0]
        # Reading between pixels takes a little of the finest grain, plainly laid or not.
        flat = lay_flat(prepared(image[:, :, None]), *random.uniform(0, 300, (2, 200000)))[0]
        self.assertAlmostEqual(float(values.std() / flat.std()), 1.0, delta=0.03)
        # Plain blending of three sides would leave about 1 / sqrt 3 of it.
        mean = lay_on_sides(prepared(image[:, :, None]), random.uniform(0, 300, (200000, 3)), slanted)[0]
        self.assertLess(float(mean.std() / image.std()), 0.7)

    def test_colours_stay_together(self) -> None:
        astronaut = data.astronaut().astype(np.float32) / 255
        laid_ = prepared(astronaut, (0,), broken=True)
        far = np.random.default_rng(4).uniform(0, 300, (2, 200000))
        got = lay_flat(laid_, *far, break_up=True).T
        there = astronaut.reshape(-1, 3)
        np.testing.assert_allclose(np.cov(got.T), np.cov(there.T), atol=0.012)
        np.testing.assert_allclose(got.mean(axis=0), there.mean(axis=0), atol=0.015)

    def test_plain_reading_is_bilinear(self) -> None:
        image = np.random.default_rng(5).random((24, 40, 2)).astype(np.float32)
        u, v = np.random.default_rng(6).uniform(-3, 3, (2, 1000))
        got = lay_flat(prepared(image), u, v)
        for c in range(2):
            wanted = map_coordinates(image[:, :, c], [v * 24 - 0.5, u * 40 - 0.5], order=1, mode="grid-wrap")
            np.testing.assert_allclose(got[c], wanted, atol=2e-4)

    def test_noise_does_not_repeat_and_an_even_picture_neither(self) -> None:
        self.assertLess(repetition(np.random.default_rng(0).normal(size=(300, 300))).strength, 0.15)
        self.assertEqual(repetition(np.ones((64, 64))).strength, 0.0)

    def test_told_at_the_base(self) -> None:
        with tempfile.TemporaryDirectory() as held:
            Image.fromarray(data.brick()).save(Path(held) / "b.png")
            base = {
                "material": {"kind": "map_set", "maps": [{"file": "b.png", "role": "base_color", "colour": "srgb"}]},
                "placing": {"size_cm": 20.0},
            }

            def strength(**placing: Any) -> float:
                choice = BaseChoice.model_validate({**base, "placing": {"size_cm": 20.0, **placing}})
                return repeats(choice, 2000.0, 1, lambda n: Path(held) / n).strength

            self.assertGreater(strength(), 0.8)
            self.assertLess(strength(broken=True), SEEN)
            # An object that holds hardly more than one tile shows no repetition.
            self.assertEqual(strength(size_cm=180.0), 0.0)


class BrokenEdges(TestCase):
    """How far pieces are broken along their joints, on walls of all that is laid in pieces."""

    LAID = ("brickwork", "setts", "roof_slates", "boards")

    def joint(self, kind: str, **how: Any) -> np.ndarray:
        skin = laid(BaseChoice.model_validate({"material": {"kind": kind, **how}}), wall(900.0, 300), 2)
        assert skin.joint is not None
        return skin.joint

    def test_which_way_and_how_far(self) -> None:
        for kind in self.LAID:
            with self.subTest(kind):
                before = self.joint(kind)
                inward = self.joint(kind, arris_mm=12.0)
                outward = self.joint(kind, arris_mm=12.0, arris_way="outward")
                across = self.joint(kind, arris_mm=12.0, arris_way="across")
                self.assertTrue((inward >= before - 1e-6).all())
                self.assertTrue((outward <= before + 1e-6).all())
                self.assertGreater(inward.mean(), before.mean() + 0.01)
                self.assertLess(outward.mean(), before.mean() - 0.002)
                self.assertTrue((across > before + 0.5).any() and (across < before - 0.5).any())
                # Texels are 3 mm wide: nothing gapes further than 12 mm from where it gaped and a little softness (but
                # where the noise of an edge is steep, a few texels in a hundred thousand).
                far = ndimage.distance_transform_edt((before < 0.02).reshape(300, 300)).ravel() * 3.0
                self.assertLess(float(((inward > 0.5) & (far > 12.0 + 2 * 3.0)).mean()), 1e-4)

    def test_no_two_characters_are_alike_and_size_is_size(self) -> None:
        seen = [self.joint("brickwork", arris_mm=15.0, arris_as=c) for c in ("soft", "crumbled", "sharp", "scalloped")]
        for k, one_ in enumerate(seen):
            for other in seen[k + 1 :]:
                self.assertGreater(np.abs(one_ - other).mean(), 0.01)
        fine, coarse = (self.joint("brickwork", arris_mm=15.0, arris_size_mm=size) for size in (12.0, 90.0))
        steps = [float(np.abs(np.diff(j.reshape(300, 300), axis=1)).sum()) for j in (fine, coarse)]
        self.assertGreater(steps[0], 1.2 * steps[1])

    def test_what_texels_cannot_show_is_left_whole(self) -> None:
        # 30 m of wall on 300 texels of 100 mm.
        choice = {"kind": "setts", "arris_mm": 12.0}
        before, after = (
            laid(BaseChoice.model_validate({"material": m}), wall(30000.0, 300), 2).joint
            for m in ({"kind": "setts"}, choice)
        )
        np.testing.assert_array_equal(before, after)


class LevelsOfChannels(TestCase):
    def test_plain_ones_change_nothing_at_all(self) -> None:
        value = np.random.default_rng(0).random(50).astype(np.float32)
        self.assertIs(levelled(value, CHANNELS["roughness"], Levels()), value)

    def test_each_does_what_it_says(self) -> None:
        rough = CHANNELS["roughness"]
        x = np.linspace(0, 1, 11, dtype=np.float32)
        for levels, wanted in (
            (Levels(invert=True), 1 - x), (Levels(low=0.2, high=0.7), np.clip((x - 0.2) / 0.5, 0, 1)),
            (Levels(gamma=2.0), x**2),
            (Levels(exposure=-1.0), x / 2), (Levels(shift=0.25), np.clip(x + 0.25, 0, 1)), (Levels(contrast=0.0),
                np.full(11, 0.5)),
            (Levels(value=[0.3]), 0.3),
        ):  # fmt: skip
            np.testing.assert_allclose(levelled(x, rough, levels), wanted, atol=1e-6)

    def test_ranges_that_are_not_shares(self) -> None:
        ior = CHANNELS["specular_ior"]
        got = levelled(np.array([1.0, 1.5, 3.0], np.float32), ior, Levels(invert=True))
        np.testing.assert_allclose(got, [3.0, 2.5, 1.0], atol=1e-5)
        self.assertEqual(float(levelled(one(1.5), ior, Levels(value=[99.0]))), 3.0)

    def test_hue_keeps_luminance_and_a_full_turn_is_none(self) -> None:
        color = np.random.default_rng(1).uniform(0.1, 0.35, (200, 3)).astype(np.float32)
        entry = CHANNELS["base_color"]
        for degrees in (-120.0, 35.0, 120.0):
            got = levelled(color, entry, Levels(hue_deg=degrees))
            np.testing.assert_allclose(luminance(got), luminance(color), atol=1e-4)
        grey = levelled(color, entry, Levels(saturation=0.0))
        np.testing.assert_allclose(grey, luminance(color)[:, None].repeat(3, axis=1), atol=1e-5)
        # A third of a turn carries red to green.
        red = levelled(np.array([[0.5, 0.0, 0.0]], np.float32), entry, Levels(hue_deg=120.0))[0]
        self.assertGreater(red[1], 5 * max(red[0], red[2]))

    def test_optics_both_ways(self) -> None:
        # Hecht, Optics: 1.33 -> 0.0201, 1.5 -> 0.04 (from memory).
        for n in (1.0, 1.31, 1.33, 1.5, 2.4):
            self.assertAlmostEqual(index_from_reflectance(reflectance_at_normal(n)), n, places=6)
        self.assertAlmostEqual(index_from_reflectance(0.04), 1.5, places=6)
        self.assertAlmostEqual(index_from_reflectance(reflectance_from_level(0.5)), 1.5, places=6)
        self.assertAlmostEqual(roughness_from_gloss(0.9), 0.1)

    def test_albedo(self) -> None:
        # Oke, Boundary Layer Climates, table 1.1 (from memory): fresh snow 0.80-0.95, asphalt 0.05-0.20.
        self.assertEqual(plausible((0.85, 0.85, 0.86)), "")
        self.assertIn("darker than soot", plausible((0.004, 0.004, 0.004)))
        self.assertIn("lighter than fresh snow", plausible((0.97, 0.97, 0.97)))
        self.assertIn("dark for clean metal", plausible((0.05, 0.05, 0.05), 1.0))

    def test_light_taken_out_by_a_grey_card(self) -> None:
        albedo, light = np.array([0.30, 0.12, 0.07]), np.array([1.9, 1.4, 0.8])
        got = without_light(albedo * light * 0.4, np.full(3, 0.18) * light * 0.4, reflectance=0.18)
        np.testing.assert_allclose(got, albedo, atol=1e-6)
        np.testing.assert_allclose(without_light(albedo * 4, exposure=2.0), albedo, atol=1e-6)
        with self.assertRaisesRegex(InputError, "burnt out"):
            without_light(albedo, np.ones(3))
        # Read off a picture of eight bits with a card in it: CIEDE2000 below 1, as scikit-image has it.
        shot = [np.round(to_srgb((c * light * 0.4).astype(np.float32)) * 255) / 255 for c in (albedo, np.full(3, 0.18))]
        read = without_light(*(to_linear(s.astype(np.float32)) for s in shot), reflectance=0.18)
        labs = [rgb2lab(to_srgb(np.asarray(c, np.float32))[None, None]) for c in (read, albedo)]
        self.assertLess(float(deltaE_ciede2000(*labs).max()), 1.0)


#: Fields of a placing that say how patches differ, where repetition is broken.
OF_PATCHES = {"turned", "turn_step_deg", "scaled", "scale_low", "scale_high", "patch", "blend"}


class OnAnObject(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.joined(shapes.box(0.2), shapes.box(0.2, (0.5, 0, 0))), 128)
        cls.parts = [p.name for p in cls.bench.texels.mesh.parts]

    def made(self, *bases: BaseChoice) -> Any:
        return self.bench.as_made(scene(bases=list(bases)))

    def test_the_last_that_names_a_part_has_it(self) -> None:
        bases = [
            from_stock("slate"),
            from_stock("brass", parts=[self.parts[1]]),
            from_stock("oak", parts=[self.parts[1]]),
        ]
        self.assertEqual(owner_of_parts(scene(bases=bases), self.bench.texels.mesh).tolist(), [0, 2])
        pile = self.made(*bases)
        self.assertEqual([s.family for s in pile.substances], ["mineral", "timber"])
        self.assertEqual(pile.marks.order, (0, 2))

    def test_where_each_lies_in_words(self) -> None:
        mesh = self.bench.texels.mesh
        one, two = self.parts

        def said(*bases: BaseChoice) -> list[str]:
            return lies_on(scene(bases=list(bases)), mesh)

        masked = from_stock("oak", where=Recipe(terms=[term(Gradient(), low=0.0, high=1.0)]))
        self.assertEqual(said(from_stock("slate"), masked), ["everything", "by a mask"])
        self.assertEqual(said(from_stock("slate"), from_stock("brass", parts=[two])), ["all other parts", two])
        both = from_stock("brass", parts=[one, two])
        self.assertEqual(said(both, from_stock("slate")), ["everything", "nothing: others lie on its parts"])
        # The last that names a part has it.
        self.assertEqual(said(both, from_stock("oak", parts=[one])), [two, one])

    def test_two_bases_by_a_mask(self) -> None:
        # A gradient from left to right over one box: slate at one end, granite at the other, a blend between.
        where = Recipe(terms=[term(Gradient(), low=0.0, high=1.0)])
        pile = self.made(from_stock("slate"), from_stock("granite", where=where, blend_mm=0.5))
        self.assertEqual([s.family for s in pile.substances], ["mineral", "mineral"])
        share = float((pile.substance == 1).mean())
        self.assertTrue(0.1 < share < 0.9)
        mask = where.value(self.bench.scope(scene(), None))
        self.assertTrue((pile.substance[mask <= 0] == 0).all() and (pile.substance[mask >= 1] == 1).all())

    def test_the_higher_one_wins_within_the_blend_width(self) -> None:
        n = 20001
        height = np.linspace(-1, 1, n, dtype=np.float32)
        below = Skin({"base_color": one((0.1, 0.1, 0.1)), "roughness": one(0.5)}, np.zeros(n, np.float32))
        above = Skin({"base_color": one((0.9, 0.9, 0.9)), "roughness": one(0.5)}, height)
        half = np.full(n, 0.5, np.float32)
        skin, share = over(below, above, half, 0.2)
        np.testing.assert_array_equal(share[height < -0.101], 0.0)
        np.testing.assert_array_equal(share[height > 0.101], 1.0)
        self.assertTrue((np.diff(share) >= 0).all())
        np.testing.assert_allclose(skin.relief[height > 0.2], height[height > 0.2])
        # What both say alike stays one value; the ends of the mask are the ends whatever the heights.
        self.assertEqual(skin.sheet["roughness"].shape, ())
        self.assertTrue((over(below, above, np.zeros(n, np.float32), 0.2)[1] == 0).all())
        self.assertTrue((over(below, above, np.ones(n, np.float32), 0.2)[1] == 1).all())

    def test_a_mask_that_looks_at_what_happens_later_is_refused(self) -> None:
        for source in (BaseMap(), MaskSource(layer="x")):
            document = {"material": "slate", "where": Recipe(terms=[term(source)]).model_dump()}
            with self.assertRaisesRegex(ValueError, "cannot be placed by what happens later"):
                BaseChoice.model_validate(document)

    def test_parts_do_not_look_alike_unless_asked(self) -> None:
        # The second box stands half a metre beside the first: a base that repeated every half metre would show.
        texels = self.bench.texels
        first, second = (texels.part == k for k in (0, 1))
        for scatter, alike in (("part", False), ("none", False)):
            relief = self.made(from_stock("cast iron", placing={"scatter": scatter})).skin
            same = np.corrcoef(relief[first][: second.sum()], relief[second][: first.sum()])[0, 1]
            self.assertEqual(abs(same) > 0.9, alike, scatter)

    def test_levels_and_flags(self) -> None:
        choice = from_stock(
            "cast iron",
            levels={"roughness": {"value": [0.25]}, "fuzz_weight": {"value": [0.5]}},
            flags={"family": "zinc", "porosity": 0.3},
            relief=0.0,
        )
        pile = self.made(choice)
        self.assertEqual((float(pile.base["roughness"]), float(pile.base["fuzz_weight"])), (0.25, 0.5))
        self.assertEqual(
            (pile.substances[0].family, pile.substances[0].porosity, pile.substances[0].brittleness), ("zinc", 0.3, 0.7)
        )
        self.assertEqual(float(np.abs(pile.skin).max()), 0.0)

    def test_blocks_give_what_the_whole_gives(self) -> None:
        site = site_of(self.bench.texels)
        for name in ("cast iron", "brick in mortar", "canvas"):
            choice = from_stock(name, placing={"scale": 0.3})
            whole = laid(choice, site, 1)
            with patch("limus.bases.laying._BLOCK", 1000):
                blocks = laid_in_blocks(choice, site, 1, None, None, "")
            np.testing.assert_allclose(blocks.relief, whole.relief, atol=1e-5)
            np.testing.assert_allclose(colour_of(blocks), colour_of(whole), atol=1e-5)

    def test_levels_lay_nothing_again(self) -> None:
        self.made(from_stock("granite"))
        with patch("limus.bases.laid_skin.laid_in_blocks", side_effect=AssertionError("laid again")):
            pile = self.made(from_stock("granite", levels={"roughness": {"value": [0.1]}}, relief=0.5))
        self.assertAlmostEqual(float(pile.base["roughness"]), 0.1)

    def test_joints_and_pieces_can_be_asked_for(self) -> None:
        pile = self.made(from_stock("brick in mortar", placing={"scale": 0.6}))
        bench = scene(bases=[from_stock("brick in mortar", placing={"scale": 0.6})])
        scope = self.bench.scope(bench, pile)
        joint = BaseMap(what="joint").value(scope)
        self.assertTrue(0.05 < self.bench.texels.share(joint) < 0.4)
        pieces = BaseMap(what="piece").value(scope)
        self.assertGreater(len(np.unique(np.round(pieces[joint < 0.01], 4))), 6)
        # Joints lie lower than bricks.
        self.assertLess(float(pile.skin[joint > 0.6].mean()), float(pile.skin[joint < 0.1].mean()) - 0.2)
        self.assertIn(
            "has no joints", BaseMap(what="joint").finding(self.bench.scope(scene(), self.made(from_stock("slate"))))
        )

    def test_by_the_uvs(self) -> None:
        uv = self.made(from_stock("brick in mortar", placing={"way": "uv", "scale": 0.3}))
        box = self.made(from_stock("brick in mortar", placing={"way": "box", "scale": 0.3}))
        shares = [self.bench.texels.share(p.marks.joint) for p in (uv, box)]
        # Real size either way, since the boxes' UVs are even.
        self.assertAlmostEqual(shares[0], shares[1], delta=0.05)

    def test_turned_and_moved_the_same_way_however_it_is_laid(self) -> None:
        # A sheet of 40 cm, seen from the front or from above, with UVs upright on it. Turning by an angle is the
        # rotation matrix of any textbook: what was at q is at R q afterwards, counterclockwise for who looks at it.
        n = 41
        a, b = (v.ravel().astype(np.float32) for v in np.meshgrid(np.linspace(-0.2, 0.2, n), np.linspace(-0.2, 0.2, n)))
        none = np.zeros_like(a)
        turn = np.radians(33.0)
        back, forth = (
            (np.cos(t) * a + np.sin(t) * b, -np.sin(t) * a + np.cos(t) * b) for t in (turn, -turn)
        )  # fmt: skip

        def sheet(side: str, a: np.ndarray, b: np.ndarray) -> Site:
            position, normal = (
                (np.stack([a, b, none], axis=1), (0, 0, 1))
                if side == "front"
                else (np.stack([a, none, -b], axis=1), (0, 1, 0))
            )
            # Pictures are counted from their upper edge.
            return Site(
                position.astype(np.float32), np.tile(np.float32(normal), (len(a), 1)), 5.0,
                uv=np.stack([a, -b], axis=1).astype(np.float32), mm_per_uv=1000.0,
            )  # fmt: skip

        with tempfile.TemporaryDirectory() as held:
            Image.fromarray(data.gravel()).save(Path(held) / "g.png")
            maps = {"kind": "map_set", "maps": [{"file": "g.png", "role": "height"}]}
            # A body is solid and turns about the upright, which is what one sees from above.
            cases = [
                *(
                    (m, w, s)
                    for m in (maps, "brick in mortar")
                    for w in ("triplanar", "uv")
                    for s in ("front", "above")
                ),
                ("oak", "triplanar", "above"),
                ("slate", "triplanar", "above"),
            ]
            for material, way, side in cases:
                with self.subTest(material=str(material)[:20], way=way, side=side):

                    def relief(where: tuple[np.ndarray, np.ndarray], **placing: float) -> np.ndarray:
                        document = {
                            "material": material,  # noqa: B023
                            "placing": {"way": way, "scatter": "none", "grain": "x", "size_cm": 20.0, **placing},  # noqa: B023
                        }
                        chosen = BaseChoice.model_validate(document)
                        return laid(chosen, sheet(side, *where), 3, lambda name: Path(held) / name).relief  # noqa: B023

                    # The finest grain is a noise in space, which nothing turns.
                    for placing, wanted, otherwise in (
                        ({"turn_deg": 33.0}, back, forth),
                        ({"across_cm": 7.0}, (a - np.float32(0.07), b), (a + np.float32(0.07), b)),
                    ):
                        got = relief((a, b), **placing)
                        alike, other = (np.corrcoef(got, relief(at))[0, 1] for at in (wanted, otherwise))
                        self.assertGreater(alike, 0.9, placing)
                        self.assertGreater(alike - other, 0.1, placing)

    def test_no_base_is_the_usual_one(self) -> None:
        self.assertEqual(self.made().substances[0].family, "ferrous")

    def test_every_field_of_every_material_does_something(self) -> None:
        def idle(kind: str, size_mm: float) -> set[str]:
            material, site = MATERIALS[kind], wall(size_mm, 90)

            def sheet(document: Document) -> list[np.ndarray]:
                skin = laid(BaseChoice.model_validate({"material": document.model_dump()}), site, 2)
                return [*(np.asarray(v) for _, v in sorted(skin.sheet.items())), skin.relief]

            before, out = sheet(material()), set()
            for name, field in material.model_fields.items():
                hints = field.json_schema_extra
                if name == "kind" or not isinstance(hints, dict):
                    continue
                value: Any = field.default
                changed: Any
                # What is shown only where another field is not so: that other one is moved first.
                first = dict.fromkeys(hints.get("unless") or {}, 8.0)  # type: ignore[union-attr]
                start = sheet(material.model_validate(first)) if first else before
                if hints["control"] == "colour":
                    changed = tuple(min(1.0, 0.5 * x + 0.2) for x in value)
                elif hints["control"] == "choice":
                    changed = next(n for n in hints["names"] if n != value)  # type: ignore[union-attr]
                else:
                    soft = hints["soft"]
                    changed = soft[1] if value < soft[1] else soft[0]  # type: ignore[index]
                after = sheet(material.model_validate({**first, name: changed}))
                if all(a.shape == b.shape and np.allclose(a, b, atol=1e-6) for a, b in zip(start, after, strict=True)):
                    out.add(f"{kind}.{name}")
            return out

        for kind in MATERIALS:
            if kind != "map_set":
                # What is as fine as a pore and what is as wide as a roof's course are seen on walls of different sizes.
                left = idle(kind, 40.0)
                left = left and left & idle(kind, 2600.0)
                left = left and left & idle(kind, 400.0)
                self.assertEqual(left, set())

    def test_every_field_of_placing_does_something(self) -> None:
        site = self.bench
        place = site.place(scene())
        idle = []
        with tempfile.TemporaryDirectory() as held:
            Image.fromarray(data.gravel()).save(Path(held) / "g.png")
            maps = {"kind": "map_set", "maps": [{"file": "g.png", "role": "height"}]}
            # Which material shows what a field does.
            shown: dict[str, Any] = {"grain": "slate", "scale": "slate"}
            moved: dict[str, Any] = {
                "way": "uv", "size_cm": 7.0, "scale": 1.7, "turn_deg": 30.0, "across_cm": 3.0, "up_cm": 2.0,
                "scatter": "island", "grain": "y",
                "broken": True, "turned": False, "scaled": False,
                "stretch": 1.6, "turn_step_deg": 90.0, "scale_low": 0.5, "scale_high": 1.9, "patch": 2.0, "blend": 0.6,
            }  # fmt: skip
            for name, changed in moved.items():
                base = {"broken": name in OF_PATCHES, "size_cm": 10.0}
                piles = [
                    as_made(
                        place,
                        site.cache,
                        scene(bases=[BaseChoice.model_validate({"material": shown.get(name, maps), "placing": p})]),
                        lambda n: Path(held) / n,
                    )
                    for p in (base, {**base, name: changed})
                ]
                if np.allclose(piles[0].skin, piles[1].skin, atol=1e-6):
                    idle.append(name)
        self.assertEqual(idle, [])
        self.assertEqual(set(Placing.model_fields), set(moved))


class Documents(TestCase):
    def test_materialx(self) -> None:
        # The MaterialX library with its own definitions of OpenPBR Surface.
        library = Mx.createDocument()
        Mx.loadLibraries(Mx.getDefaultDataLibraryFolders(), Mx.getDefaultDataSearchPath(), library)
        every = {name: {"value": list(channel.default)} for name, channel in CHANNELS.items()}
        maps = [
            {"file": "c.png", "role": "base_color", "colour": "srgb"}, {"file": "p.png", "role": "occlusion",
                "component": "R"},
            {"file": "p.png", "role": "gloss", "component": "G"}, {"file": "p.png", "role": "metalness",
                "component": "B"},
            {"file": "n.png", "role": "normal"}, {"file": "c.png", "role": "opacity", "component": "A"},
        ]  # fmt: skip
        for base in (
            *(from_stock(name) for name in ("oak", "glass", "canvas")),
            from_stock("brass", levels=every),
            BaseChoice.model_validate(
                {"name": "1 wall", "material": {"kind": "map_set", "maps": maps, "green": "down"}}
            ),
        ):
            document = Mx.createDocument()
            Mx.readFromXmlString(document, base_materialx(base).decode())
            document.setDataLibrary(library)
            good, said = document.validate()
            self.assertTrue(good, said)
            surface = document.getNode("surface")
            self.assertEqual(surface.getCategory(), "open_pbr_surface")
            self.assertIsNotNone(surface.getNodeDef())
            known = {i.getName() for i in surface.getNodeDef().getActiveInputs()}
            self.assertLessEqual({i.getName() for i in surface.getInputs()}, known)

    def test_numbers_of_a_document(self) -> None:
        text = base_materialx(
            from_stock("brass", levels={"roughness": {"value": [0.25]}, "thin_film_thickness": {"value": [500]}})
        ).decode()
        self.assertIn('name="specular_roughness" type="float" value="0.25"', text)
        # 500 nm are 0.5 micrometres there.
        self.assertIn('name="thin_film_thickness" type="float" value="0.5"', text)

    def test_a_scene_document_keeps_its_bases(self) -> None:
        made = Scene(object=ObjectFile(file="a.glb"), bases=[from_stock(name) for name in STOCK])
        self.assertEqual(scene_from(json.loads(made.model_dump_json())), made)


class ThroughGltf(TestCase):
    """A base that speaks in every channel, written as a GLB and read back by plain means."""

    def test_every_channel_that_gltf_can_hold(self) -> None:
        random = np.random.default_rng(8)
        chosen: dict[str, list[float]] = {}
        for name, channel in CHANNELS.items():
            if channel.gltf:
                top = {"emission_luminance": 900.0, "thin_film_thickness": 1500.0, "transmission_depth": 400.0}.get(
                    name, channel.high
                )
                low = 1.2 if name.endswith("ior") else channel.low
                chosen[name] = [
                    float(x) for x in random.uniform(low + 0.15 * (top - low), low + 0.8 * (top - low), channel.width)
                ]
        chosen["opacity"] = [0.7]
        base = from_stock("enamel", levels={name: {"value": value} for name, value in chosen.items()}, relief=0.0)
        bench = bench_for(shapes.box(0.2), 64)
        surface = bench.finish(bench.as_made(scene(bases=[base])))
        data_ = glb_bytes(bench.texels.mesh, gltf_maps(bench.texels, surface))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "every.glb"
            path.write_bytes(data_)
            issues = khronos(path)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])
        length = int.from_bytes(data_[12:16], "little")
        document, binary = json.loads(data_[20 : 20 + length]), data_[28 + length :]
        (material,) = document["materials"]
        more = material["extensions"]

        def pixel(texture: dict[str, Any]) -> np.ndarray:
            view = document["bufferViews"][
                document["images"][document["textures"][texture["index"]]["source"]]["bufferView"]
            ]
            start = view.get("byteOffset", 0)
            image = np.asarray(Image.open(io.BytesIO(binary[start : start + view["byteLength"]])))
            return image[image.shape[0] // 2, image.shape[1] // 2].astype(float) / 255

        core = material["pbrMetallicRoughness"]
        coat, sheen, specular = (
            more["KHR_materials_clearcoat"],
            more["KHR_materials_sheen"],
            more["KHR_materials_specular"],
        )
        film, volume = more["KHR_materials_iridescence"], more["KHR_materials_volume"]
        # Left out, a coat lies flat whatever the relief (KHR_materials_clearcoat).
        self.assertEqual(coat["clearcoatNormalTexture"], material["normalTexture"])
        got: dict[str, Any] = {
            "base_color": to_linear(pixel(core["baseColorTexture"])[:3]),
            "opacity": pixel(core["baseColorTexture"])[3],
            "roughness": pixel(core["metallicRoughnessTexture"])[1],
            "metalness": pixel(core["metallicRoughnessTexture"])[2],
            "coat_weight": coat["clearcoatFactor"] * pixel(coat["clearcoatTexture"])[0],
            "coat_roughness": coat["clearcoatRoughnessFactor"] * pixel(coat["clearcoatRoughnessTexture"])[1],
            "fuzz_roughness": sheen["sheenRoughnessFactor"] * pixel(sheen["sheenRoughnessTexture"])[3],
            "specular_weight": pixel(specular["specularTexture"])[3],
            "specular_color": to_linear(pixel(specular["specularColorTexture"])[:3]),
            "specular_ior": more["KHR_materials_ior"]["ior"],
            "thin_film_weight": film["iridescenceFactor"] * pixel(film["iridescenceTexture"])[0],
            "thin_film_ior": film["iridescenceIor"],
            "thin_film_thickness": film["iridescenceThicknessMinimum"]
            + (film["iridescenceThicknessMaximum"] - film["iridescenceThicknessMinimum"])
            * pixel(film["iridescenceThicknessTexture"])[1],
            "transmission_weight": pixel(more["KHR_materials_transmission"]["transmissionTexture"])[0],
            "transmission_depth": volume["attenuationDistance"] * 1000,
            "transmission_color": volume["attenuationColor"],
        }
        for name, value in got.items():
            span = CHANNELS[name].high if CHANNELS[name].full != 1.0 or name == "transmission_depth" else 1.0
            np.testing.assert_allclose(
                value, np.squeeze(chosen[name]), atol=0.006 * max(span, 1.0) if span < 3000 else 1.0, err_msg=name
            )
        # Fuzz and emission are written times their weights.
        fuzz = to_linear(pixel(sheen["sheenColorTexture"])[:3]) * sheen.get("sheenColorFactor", [1, 1, 1])
        np.testing.assert_allclose(fuzz, np.array(chosen["fuzz_color"]) * chosen["fuzz_weight"][0], atol=0.01)
        glow = (
            to_linear(pixel(material["emissiveTexture"])[:3])
            * more["KHR_materials_emissive_strength"]["emissiveStrength"]
        )
        np.testing.assert_allclose(glow, np.array(chosen["emission_color"]) * chosen["emission_luminance"][0], atol=9.0)
        self.assertEqual(
            set(got) | {"fuzz_color", "fuzz_weight", "emission_color", "emission_luminance"},
            {n for n, c in CHANNELS.items() if c.gltf},
        )
