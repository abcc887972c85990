"""The material maps that an object file brought along."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from limus.common.hashing import key_of
from limus.surface.picture import Texture


@dataclass(frozen=True)
class BaseMaps:
    """Metallic-roughness material of one UV domain, as glTF 2.0 defines it.

    Attributes
    ----------
    color : of (h, w, 4) uint8 sRGB, or None. orm : of (h, w, 3) uint8 linear, green roughness, blue metalness, or None.
    color_factor : linear RGBA. roughness, metalness : factors 0..1.
    """

    color: Texture | None = None
    orm: Texture | None = None
    color_factor: tuple[float, float, float, float] = (1.0, 1.0, 1.0, 1.0)
    roughness: float = 1.0
    metalness: float = 1.0

    @cached_property
    def key(self) -> str:
        """Hash of pixels and factors."""
        return key_of(
            self.color.key if self.color is not None else "",
            self.orm.key if self.orm is not None else "",
            self.color_factor,
            self.roughness,
            self.metalness,
        )


def sample(image: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """Bilinear reading of (h, w, c) uint8 at (n,) u and v, repeating outside 0..1: (n, c) float32, 0..1."""
    height, width = image.shape[:2]
    at = np.stack([(v % 1.0) * height - 0.5, (u % 1.0) * width - 0.5])
    out = np.empty((len(u), image.shape[2]), np.float32)
    for c in range(image.shape[2]):
        out[:, c] = (
            scipy.ndimage.map_coordinates(image[:, :, c].astype(np.float32), at, order=1, mode="grid-wrap") / 255.0
        )
    return out
