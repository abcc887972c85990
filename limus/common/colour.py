"""Colour at the edges of the program: sRGB (IEC 61966-2-1) and luminance (ITU-R BT.709)."""

from __future__ import annotations

import numpy as np


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """Linear 0..1 to encoded 0..1; values outside are clipped."""
    x = np.clip(linear, 0.0, 1.0)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-12) ** (1 / 2.4) - 0.055).astype(np.float32)


def to_linear(encoded: np.ndarray) -> np.ndarray:
    """Encoded 0..1 to linear 0..1."""
    x = np.clip(encoded, 0.0, 1.0)
    return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4).astype(np.float32)


def luminance(linear: np.ndarray) -> np.ndarray:
    """(..., 3) linear Rec. 709 to (...,)."""
    return linear @ np.array([0.2126, 0.7152, 0.0722], linear.dtype)


#: Encoded 8-bit value for 4096 steps of the square root of linear light: even enough in the dark to be exact after
#: rounding.
SRGB_STEPS = 4096
SRGB_TABLE = np.round(to_srgb((np.arange(SRGB_STEPS + 1) / SRGB_STEPS) ** 2) * 255).astype(np.uint8)
