"""What the pixels of a texture file say."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.formats.picture_read import ReadPicture
from limus.map_sets.picture_level import level_of, reduction

#: Width to which pictures are reduced to be looked at.
LOOKED_AT = 256


@dataclass(frozen=True)
class Content:
    """``small`` (h, w, c) float32 of the numbers as they stand; ``grey``: no colour in it; ``directions`` 0..1: share
    of pixels that are unit vectors pointing outwards; ``extremes``: share that is nearly black or white; ``mean``;
    ``alpha``: its alpha varies.
    """

    width: int
    height: int
    bits: int
    components: int
    small: np.ndarray
    grey: bool
    directions: float
    extremes: float
    mean: float
    spread: float
    apart: bool
    alpha: bool


def content_of(picture: ReadPicture) -> Content:
    """Look at the pixels of a picture."""
    h, w, count = picture.pixels.shape
    small = level_of(picture, reduction(min(h, w), LOOKED_AT))
    if picture.full == 1.0:
        small = np.clip(small, 0.0, 1.0)
    colour = small[:, :, :3] if count >= 3 else np.repeat(small[:, :, :1], 3, axis=2)
    chroma = float(np.abs(colour - colour.mean(axis=2, keepdims=True)).mean())
    n = colour * 2 - 1
    length = np.sqrt((n**2).sum(axis=2))
    # Means of pixels are a little short.
    unit = (np.abs(length - 1) < 0.14) & (n[:, :, 2] > 0.2)
    directions = float(unit.mean()) if count >= 3 else 0.0
    flat = np.abs(n[:, :, :2].mean(axis=(0, 1))).max() < 0.3
    mean = float(colour.mean())
    apart = False
    if count >= 3:
        planes = colour.reshape(-1, 3)
        deviation = planes.std(axis=0)
        some = [k for k in range(3) if deviation[k] > 0.004]
        links = [abs(float(np.corrcoef(planes[:, a], planes[:, b])[0, 1])) for a in some for b in some if a < b]
        # Colours of one picture rise and fall together; packed masks do not, or stand at one value.
        apart = (bool(links) and min(links) < 0.35) or (len(some) < 3 and chroma > 0.12)
    return Content(
        w, h, picture.pixels.dtype.itemsize * 8, count, small, chroma < 0.004, directions if flat else 0.0,
        float(((colour < 0.04) | (colour > 0.96)).mean()), mean, float(colour.mean(axis=2).std()), apart,
        count in (2, 4) and float(small[:, :, -1].min()) < 0.99,
    )  # fmt: skip
