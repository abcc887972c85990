"""The channels of a material, in one row per texel.

Names follow OpenPBR. A *sheet* is an (m, 7) float32 array with the columns below; m is the number of texels, or 1 where the
material is the same everywhere.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

RED, GREEN, BLUE, METALNESS, ROUGHNESS, CLEAR_COAT, CLEAR_COAT_ROUGHNESS = range(7)
COLUMNS = 7
#: channel -> its columns
COLUMNS_OF: dict[str, slice] = {
    "base_color": slice(0, 3),
    "metalness": slice(3, 4),
    "roughness": slice(4, 5),
    "clear_coat": slice(5, 7),
}
Channel = Literal["base_color", "metalness", "roughness", "clear_coat", "relief"]
CHANNEL_TITLES: dict[str, str] = {
    "base_color": "Base color",
    "metalness": "Metalness",
    "roughness": "Roughness",
    "clear_coat": "Clear coat",
    "relief": "Relief",
}


def sheet(
    base_color: tuple[float, float, float],
    metalness: float = 0.0,
    roughness: float = 0.5,
    clear_coat: float = 0.0,
    clear_coat_roughness: float = 0.1,
) -> np.ndarray:
    """A (1, 7) sheet; base color linear Rec. 709."""
    return np.array([[*base_color, metalness, roughness, clear_coat, clear_coat_roughness]], np.float32)


def full(one: np.ndarray, count: int) -> np.ndarray:
    """A writable (count, 7) copy of a sheet."""
    out = np.empty((count, COLUMNS), np.float32)
    out[:] = one
    return out
