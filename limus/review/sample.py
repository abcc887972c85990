"""A sample of a base: a rounded block of it in simple light."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np

from limus.bases.choice import BaseChoice
from limus.bases.laying import finished, laid
from limus.bases.site import Site
from limus.common.block_mean import block_mean
from limus.review.lit import lit

#: Exponent of the block: 2 would be a ball, much more a box.
_POWER = 7.0


@lru_cache(maxsize=4)
def _block(width: int, height: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """(h * w,) bool seen, (m, 3) places on a block of half width 1, their normals, and the view (3,)."""
    back = np.array([0.52, 0.46, 0.72])
    back /= np.linalg.norm(back)
    right = np.cross([0.0, 1.0, 0.0], back)
    right /= np.linalg.norm(right)
    up = np.cross(back, right)
    reach = 1.50
    aspect = width / height
    x = (np.arange(width) + 0.5) / width * 2 - 1
    y = 1 - (np.arange(height) + 0.5) / height * 2
    gx, gy = np.meshgrid(x * reach * max(aspect, 1.0), y * reach / min(aspect, 1.0))
    origin = gx[..., None] * right + gy[..., None] * up + back * 4.0
    p = origin.reshape(-1, 3)

    def inside(q: np.ndarray) -> np.ndarray:
        return np.asarray((np.abs(q) ** _POWER).sum(axis=1) ** (1 / _POWER) - 1)

    near, far = np.full(len(p), 4.0), np.full(len(p), 4.0)
    found = np.zeros(len(p), bool)
    for t in np.linspace(2.0, 6.0, 130):
        hit = ~found & (inside(p - back * t) < 0)
        far[hit], near[hit] = t, t - 4.0 / 129
        found |= hit
    for _ in range(22):
        middle = (near + far) / 2
        deep = inside(p - back * middle[:, None]) < 0
        far, near = np.where(deep, middle, far), np.where(deep, near, middle)
    q = (p - back * far[:, None])[found]
    n = np.sign(q) * np.abs(q) ** (_POWER - 1)
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    return found, q.astype(np.float32), n.astype(np.float32), back.astype(np.float32)


def sample_picture(
    choice: BaseChoice,
    width_mm: float,
    size: tuple[int, int] = (160, 120),
    *,
    seed: int = 1,
    supersample: int = 2,
    files: Callable[[str], Path] | None = None,
) -> np.ndarray:
    """(h, w, 3) uint8: a block of the base, ``width_mm`` wide, from the front, with its relief."""
    w, h = size[0] * supersample, size[1] * supersample
    seen, places, normals, view = _block(w, h)
    half_m = np.float32(width_mm / 2000.0)
    texel_mm = width_mm * 1.50 / (min(w, h) / 2.0) / 2.0
    site = Site(
        places * half_m,
        normals,
        texel_mm,
        part=np.zeros(len(places), np.int32),
        long_axis=np.zeros(1, np.int64),
        extent_mm=width_mm * 1.7,
    )
    skin = finished(choice, laid(choice, site, seed, files))
    # What stands out moves the surface; its slopes follow from neighbouring pixels.
    moved = np.full((h * w, 3), np.nan, np.float32)
    moved[seen] = site.position + normals * (skin.relief * 0.001)[:, None]
    grid = moved.reshape(h, w, 3)
    across, down = np.empty_like(grid), np.empty_like(grid)
    across[:, 1:-1], down[1:-1] = grid[:, 2:] - grid[:, :-2], grid[2:] - grid[:-2]
    across[:, [0, -1]], down[[0, -1]] = np.nan, np.nan
    tilted = np.cross(down, across).reshape(-1, 3)[seen]
    length = np.linalg.norm(tilted, axis=1, keepdims=True)
    wrong = ~np.isfinite(length[:, 0]) | (length[:, 0] < 1e-20)
    tilted = np.where(wrong[:, None], normals, tilted / np.where(wrong[:, None], 1, length))
    tilted = np.where(((tilted * normals).sum(axis=1) < 0.05)[:, None], normals, tilted).astype(np.float32)
    # What lies deeper than its surroundings is a little shaded.
    flat = np.zeros(h * w, np.float32)
    flat[seen] = skin.relief
    deep = _shade(flat.reshape(h, w), texel_mm).reshape(-1)[seen]
    colour = lit(skin.sheet, tilted, np.broadcast_to(view, tilted.shape), deep)
    out = np.full((h * w, 3), 0x86 / 255, np.float32)
    out[seen] = colour
    return (np.clip(block_mean(out.reshape(h, w, 3), supersample), 0, 1) * 255 + 0.5).astype(np.uint8)


def _shade(relief: np.ndarray, texel_mm: float) -> np.ndarray:
    """(h, w) 0..1: open to the room, from how far a place lies below the mean of its surroundings."""
    from scipy import ndimage

    low = ndimage.gaussian_filter(relief, 5) - relief
    return np.clip(1 - np.clip(low, 0, None) / (5 * texel_mm) * 1.1, 0.25, 1).astype(np.float32)
