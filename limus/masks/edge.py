"""The edge of a mask: hardened, or pulled about by a pattern."""

from __future__ import annotations

import numpy as np

from limus.masks.shape import smoothstep
from limus.patterns.noise import fractal
from limus.surface.blur import blur
from limus.surface.texels import Texels
from limus.surface.walk import read_off, surface_gradient


def sharpened(values: np.ndarray, share: float) -> np.ndarray:
    """(n,) values 0..1 with the slope about 0.5 steepened: ``share`` 0 a gentle S .. 1 a hard step."""
    half = max(0.5 * (1.0 - share), 1e-3)
    return smoothstep(values, 0.5 - half, 0.5 + half)


def broken_up(texels: Texels, values: np.ndarray, by_mm: float, size_mm: float, way: str, seed: int) -> np.ndarray:
    """A (n,) field whose edges a noise of wavelength ``size_mm`` pulls about by up to about ``by_mm``.

    ``way`` "across": in and out, along the gradient; "along": to and fro beside it. Where the field is even nothing
    changes. Each texel reads the field a little way off along the surface, so seams do not show.
    """
    wide = blur(texels, values, max(by_mm, 1.5 * texels.texel_mm))
    slope = surface_gradient(texels, wide)
    length = np.linalg.norm(slope, axis=1, keepdims=True)
    direction = slope / np.maximum(length, np.float32(1e-6))
    if way == "along":
        direction = np.cross(texels.normal, direction)
    pull = fractal(texels.position, size_mm, octaves=3, seed=seed, texel_mm=texels.texel_mm)
    # A deviation of half the distance: hardly anything goes beyond it.
    offset = direction * (np.clip(pull * np.float32(0.5), -1.2, 1.2) * np.float32(by_mm / 1000.0))[:, None]
    return read_off(texels, values, offset)
