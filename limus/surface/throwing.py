"""Throwing a picture on a surface through a box: where in it each texel lies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.texels import Texels

#: Bins along each side of the box, for lengths along a bent surface.
_BINS = 512


@dataclass(frozen=True)
class ThrowBox:
    """A box in space: ``middle`` (3,) m, ``right``, ``up``, ``back`` (3,) unit vectors (back points out of the surface,
    against the throw), ``depth_m`` before and behind the middle together.
    """

    middle: np.ndarray
    right: np.ndarray
    up: np.ndarray
    back: np.ndarray
    depth_m: float


def throw_box(middle: np.ndarray, facing: np.ndarray, turn_deg: float, depth_m: float) -> ThrowBox:
    """A box whose picture stands upright (up is +y), turned clockwise as seen by ``turn_deg``."""
    back = np.asarray(facing, np.float64) / max(float(np.linalg.norm(facing)), 1e-12)
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.97 else np.array([0.0, 0.0, -1.0 if back[1] > 0 else 1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    up = np.cross(back, right)
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    return ThrowBox(np.asarray(middle, np.float64), c * right - s * up, c * up + s * right, back, depth_m)


@dataclass(frozen=True)
class Landed:
    """``rows`` (m,) texels inside the box that face it; ``x``, ``y`` (m,) float32 mm from the middle, to the right
    and up; ``facing`` (m,) float32 cosine between surface and throw.
    """

    rows: np.ndarray
    x: np.ndarray
    y: np.ndarray
    facing: np.ndarray


def landed(texels: Texels, box: ThrowBox, wide_mm: float, tall_mm: float, facing_deg: float, *, around: bool) -> Landed:
    """The texels that a picture of this size meets.

    Parameters
    ----------
    facing_deg : surfaces turned away from the throw by more are left out. around : lengths are measured along the
        surface, as a paper label lies, instead of straight through the box; right for surfaces bent one way or the
        other, near enough where both.
    """
    at = texels.position.astype(np.float64) - box.middle
    x, y, z = (np.asarray(at @ way * 1000.0, np.float32) for way in (box.right, box.up, box.back))
    n = texels.normal
    facing = n @ box.back.astype(np.float32)
    seen = (np.abs(z) <= (box.depth_m * 500.0)) & (facing > np.float32(np.cos(np.radians(min(facing_deg, 89.9)))))
    if around:
        rows = np.flatnonzero(seen & (np.abs(x) <= wide_mm) & (np.abs(y) <= tall_mm))
        across, along = n[rows] @ box.right.astype(np.float32), n[rows] @ box.up.astype(np.float32)
        lx = _along(x[rows], across, facing[rows], wide_mm)
        ly = _along(y[rows], along, facing[rows], tall_mm)
    else:
        rows = np.flatnonzero(seen)
        lx, ly = x[rows], y[rows]
    inside = (np.abs(lx) <= wide_mm / 2) & (np.abs(ly) <= tall_mm / 2)
    return Landed(rows[inside], lx[inside], ly[inside], facing[rows][inside])


def _along(x: np.ndarray, tilt: np.ndarray, facing: np.ndarray, reach: float) -> np.ndarray:
    """(m,) mm along the surface from the middle: the integral of 1 / cos over the way through the box, by the mean
    slope at each place.
    """
    if len(x) == 0:
        return x
    stretch = np.sqrt(tilt**2 + facing**2) / np.maximum(facing, 0.05)
    place = np.clip(((x / reach) * 0.5 + 0.5) * _BINS, 0, _BINS - 1).astype(np.int64)
    count = np.bincount(place, minlength=_BINS)
    mean = np.bincount(place, stretch, _BINS) / np.maximum(count, 1)
    known = np.flatnonzero(count)
    mean = np.interp(np.arange(_BINS), known, mean[known])
    step = 2.0 * reach / _BINS
    edges = np.concatenate([[0.0], np.cumsum(mean * step)])
    edges -= np.interp(_BINS / 2, np.arange(_BINS + 1), edges)
    return np.interp((x / reach * 0.5 + 0.5) * _BINS, np.arange(_BINS + 1), edges).astype(np.float32)


@kernel
def _read(start, end, image, u, v, out):  # type: ignore[no-untyped-def]
    """Bilinear, nothing beyond the picture."""
    h, w, count = image.shape
    for i in range(start, end):
        x, y = u[i] * w - np.float32(0.5), v[i] * h - np.float32(0.5)
        x0, y0 = int(np.floor(x)), int(np.floor(y))
        fx, fy = np.float32(x - x0), np.float32(y - y0)
        for c in range(count):
            total = np.float32(0.0)
            for k in range(4):
                # A pixel goes on to the border of the picture, where the box ends.
                px, py = min(max(x0 + (k & 1), 0), w - 1), min(max(y0 + (k >> 1), 0), h - 1)
                weight = (fx if k & 1 else np.float32(1.0) - fx) * (fy if k >> 1 else np.float32(1.0) - fy)
                total += weight * image[py, px, c]
            out[i, c] = total


def read_at(image: np.ndarray, u: np.ndarray, v: np.ndarray) -> np.ndarray:
    """(m, c) float32: a picture (h, w, c) read bilinearly at u to the right and v down, both 0..1 from border to
    border.
    """
    out = np.empty((len(u), image.shape[2]), np.float32)
    for_ranges(_read, len(u), np.ascontiguousarray(image, np.float32), u.astype(np.float32), v.astype(np.float32), out)
    return out
