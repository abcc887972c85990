"""Noise."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from limus.patterns.noise import evened, fractal, perlin


class Perlin(TestCase):
    def test_reference_value(self) -> None:
        # K. Perlin, "Improving Noise", 2002: the reference implementation's noise(3.14, 42, 7) (from memory).
        self.assertAlmostEqual(float(perlin(np.array([[3.14, 42.0, 7.0]]))[0]), 0.136919958784, places=6)

    def test_zero_on_the_lattice_and_bounded(self) -> None:
        rng = np.random.default_rng(0)
        self.assertEqual(float(np.abs(perlin(rng.integers(-50, 50, (500, 3)).astype(float))).max()), 0.0)
        self.assertLess(float(np.abs(perlin(rng.uniform(-50, 50, (100000, 3)))).max()), 1.05)

    def test_seeds_differ_and_repeat(self) -> None:
        points = np.random.default_rng(1).uniform(0, 9, (2000, 3))
        self.assertEqual(perlin(points, 5).tobytes(), perlin(points, 5).tobytes())
        self.assertLess(abs(float(np.corrcoef(perlin(points, 5), perlin(points, 6))[0, 1])), 0.1)


class Fractal(TestCase):
    def test_mean_and_deviation(self) -> None:
        points = np.random.default_rng(2).uniform(0, 3, (200000, 3)).astype(np.float32)
        for octaves, gain in ((1, 0.5), (4, 0.5), (6, 0.7)):
            values = fractal(points, 20.0, octaves=octaves, gain=gain, seed=3)
            self.assertAlmostEqual(float(values.mean()), 0.0, delta=0.03)
            self.assertAlmostEqual(float(values.std()), 1.0, delta=0.05)

    def test_evened_hides_about_the_share_of_its_level(self) -> None:
        points = np.random.default_rng(4).uniform(0, 3, (200000, 3)).astype(np.float32)
        values = evened(fractal(points, 20.0, octaves=4))
        for level in (0.2, 0.5, 0.8):
            self.assertAlmostEqual(float((values < level).mean()), level, delta=0.05)

    def test_size_is_in_millimetres(self) -> None:
        # Correlation length scales with the size: the same points ten times as far apart look alike at ten times the size.
        points = np.random.default_rng(5).uniform(0, 1, (5000, 3)).astype(np.float32)
        np.testing.assert_allclose(fractal(points, 20.0, octaves=3), fractal(points * np.float32(10), 200.0, octaves=3), atol=2e-3)
