"""A picture of one component laid over the surface: repeated, and with its repetition broken."""

from __future__ import annotations

import numpy as np

from limus.common.block_mean import block_mean
from limus.patterns.by_example import USUAL, Patches, lay_flat, lay_on_sides, prepared


def reduced(image: np.ndarray, times: float) -> np.ndarray:
    """(h, w) ``image`` halved, by means of four, while one of its pixels is less than 1 / ``times`` of what reads
    it.
    """
    while times >= 2.0 and min(image.shape) > 1:
        image = block_mean(image, 2)
        times /= 2.0
    return np.ascontiguousarray(image, np.float32)


def repeated(
    image: np.ndarray, u: np.ndarray, v: np.ndarray, *, broken: bool = False, patches: Patches = USUAL, seed: int = 0
) -> np.ndarray:
    """(n,) float32: a picture (h, w) read at (n,) places, in widths of the picture, repeating; see ``by_example``."""
    return lay_flat(prepared(image[:, :, None], broken=broken), u, v, break_up=broken, patches=patches, seed=seed)[0]


def on_sides(
    image: np.ndarray,
    points: np.ndarray,
    normals: np.ndarray,
    *,
    stretch: float = 1.0,
    broken: bool = False,
    patches: Patches = USUAL,
    seed: int = 0,
) -> np.ndarray:
    """(n,) float32: a picture (h, w) laid on from three sides at (n, 3) places, in widths of the picture; see
    ``by_example``.
    """
    laid = prepared(image[:, :, None], broken=broken)
    return lay_on_sides(laid, points, normals, stretch=stretch, break_up=broken, patches=patches, seed=seed)[0]
