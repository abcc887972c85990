"""Colour, optics, and the maps that leave the program."""

from __future__ import annotations

import io
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.common.colour import SRGB_STEPS, SRGB_TABLE, luminance, to_linear, to_srgb
from limus.formats.png import png_bytes, quantise
from limus.materials.channels import one
from limus.materials.encode import encode_surface
from limus.materials.optics import WAVES_NM, film_reflectance, reflectance_at_normal
from limus.materials.substance import PAINT, covered
from limus.surface.texels import Texels
from tests.core import shapes


class Colour(TestCase):
    def test_srgb(self) -> None:
        # IEC 61966-2-1 (values from memory).
        self.assertAlmostEqual(float(to_linear(np.array(0.5))), 0.21404, places=5)
        self.assertAlmostEqual(float(to_srgb(np.array(0.18))), 0.4614, places=4)
        self.assertAlmostEqual(float(to_linear(np.array(0.04045))), 0.0031308, places=6)
        x = np.linspace(0, 1, 999)
        np.testing.assert_allclose(to_linear(to_srgb(x)), x, atol=1e-6)

    def test_table_is_exact_after_rounding(self) -> None:
        x = np.random.default_rng(0).uniform(0, 1, 200000).astype(np.float32) ** 2
        quick = SRGB_TABLE[(np.sqrt(x) * SRGB_STEPS + 0.5).astype(int)].astype(int)
        exact = np.round(to_srgb(x) * 255).astype(int)
        self.assertLessEqual(int(np.abs(quick - exact).max()), 1)
        self.assertGreater(float((quick == exact).mean()), 0.97)

    def test_luminance(self) -> None:
        # ITU-R BT.709 weights.
        self.assertAlmostEqual(float(luminance(np.array([0.0, 1.0, 0.0]))), 0.7152, places=6)
        self.assertAlmostEqual(float(luminance(np.ones(3))), 1.0, places=6)


class Optics(TestCase):
    def test_fresnel_at_normal_incidence(self) -> None:
        # Hecht, Optics; CRC Handbook n and k of iron near 589 nm (from memory).
        for n, wanted in ((1.33, 0.0201), (1.5, 0.04), (1.31, 0.0180)):
            self.assertAlmostEqual(reflectance_at_normal(n), wanted, delta=6e-5)
        self.assertAlmostEqual(reflectance_at_normal(2.87, 3.35), 0.562, delta=2e-3)

    def test_covering(self) -> None:
        # v = 1 - exp(-t / t_hide)
        got = covered(np.array([0.0, PAINT.hide_um, 10 * PAINT.hide_um], np.float32), PAINT)
        np.testing.assert_allclose(got, [0.0, 1 - np.exp(-1), 1 - np.exp(-10)], atol=1e-6)


class Maps(TestCase):
    def test_png_reads_back_in_pillow(self) -> None:
        rng = np.random.default_rng(0)
        for channels in (1, 3, 4):
            image = rng.integers(0, 256, (37, 53, channels), dtype=np.uint8)
            back = np.asarray(Image.open(io.BytesIO(png_bytes(image))))
            np.testing.assert_array_equal(back.reshape(image.shape), image)
        deep = rng.integers(0, 65536, (21, 18), dtype=np.uint16)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png_bytes(deep)))).astype(np.uint16), deep)

    def test_quantise_rounds(self) -> None:
        self.assertEqual(quantise(np.array([0.0, 0.5, 1.0, 2.0], np.float32)).tolist(), [0, 128, 255, 255])
        self.assertEqual(quantise(np.array([0.5], np.float32), 16).tolist(), [32768])

    def test_encoded_channels(self) -> None:
        texels = Texels.of(shapes.plane(), 16)
        rows = {
            "base_color": np.tile(one((0.21404, 0.0, 1.0)), (len(texels), 1)),
            "metalness": one(0.25),
            "roughness": one(0.75),
        }
        normal = np.tile(np.array([0, 0, 1], np.float32), (len(texels), 1))
        maps = encode_surface(texels, rows, normal, np.full(len(texels), 0.2, np.float32))
        self.assertEqual(maps["base_color"][0, 8, 8].tolist(), [128, 0, 255, 255])
        self.assertEqual(maps["orm"][0, 8, 8].tolist(), [204, 191, 64, 255])
        self.assertEqual(maps["normal"][0, 8, 8].tolist(), [128, 128, 255, 255])
        # Off the surface the nearest texel goes on, so that no filter pulls in black.
        self.assertEqual(maps["base_color"][0, 0, 0].tolist(), [128, 0, 255, 255])


class ThinFilms(TestCase):
    """Against what follows from the theory of one layer (Born and Wolf, Principles of Optics, from memory)."""

    def of(self, base_ior: float, film_ior: float, thickness_nm: float, cosine: float = 1.0) -> np.ndarray:
        below = np.full(1, reflectance_at_normal(base_ior))
        return film_reflectance(below, np.full(1, film_ior), np.full(1, thickness_nm), np.full(1, cosine))[0]

    def test_none_at_all_is_the_surface_below(self) -> None:
        np.testing.assert_allclose(self.of(1.9, 1.4, 0.0), reflectance_at_normal(1.9), atol=1e-6)
        # So is half a wave of it, at that wave.
        np.testing.assert_allclose(self.of(1.9, 1.4, 550.0 / 2 / 1.4)[1], reflectance_at_normal(1.9), atol=1e-6)

    def test_a_quarter_wave_of_the_mean_index_reflects_nothing(self) -> None:
        film = float(np.sqrt(1.9))
        self.assertLess(float(self.of(1.9, film, 550.0 / 4 / film)[1]), 1e-6)
        self.assertGreater(float(self.of(1.9, film, 550.0 / 4 / film)[2]), 1e-4)

    def test_at_a_slant_the_way_inside_is_shorter(self) -> None:
        # The colours of a thicker film seen at a slant are those of a thinner one seen straight.
        inside = float(np.sqrt(1 - (1 - 0.25) / 1.4**2))
        np.testing.assert_allclose(self.of(1.9, 1.4, 400.0, 0.5), self.of(1.9, 1.4, 400.0 * inside), rtol=1e-5)
        self.assertEqual(len(WAVES_NM), 3)
