"""A picture made smaller, against numpy's own mean over blocks."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase

from limus.common.block_mean import block_mean


class Means(SimpleTestCase):
    """Flat pictures, pictures of colours, and sides that do not divide them."""

    def test_against_numpy(self) -> None:
        image = np.random.default_rng(4).random((31, 44, 3), np.float32)
        wanted = image[:28].astype(float).reshape(7, 4, 11, 4, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(block_mean(image, 4), wanted, atol=1e-6)
        np.testing.assert_array_equal(block_mean(image, 1), image)

    def test_what_is_left_over_is_passed_over(self) -> None:
        grid = np.arange(35, dtype=np.float32).reshape(7, 5)
        self.assertEqual(block_mean(grid, 2).tolist(), [[3.0, 5.0], [13.0, 15.0], [23.0, 25.0]])
