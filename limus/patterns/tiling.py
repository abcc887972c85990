"""Pieces laid in a plane: bricks, setts, slates, boards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.patterns.cells import salt_of
from limus.patterns.lattice import again, hashed, unit


@dataclass(frozen=True)
class Tiling:
    """Which piece each point lies in, and where in it.

    Attributes
    ----------
    number : (n,) uint32 random bits, the same all over a piece. edge : (n,) float32 mm to the piece's border, below 0
        in the joint.
    fade : 0 where pieces are too small to be told apart (all chances are then 0.5) .. 1.
    across, up : (n,) float32 mm from the middle of the piece. half_width, half_height : (n,) float32 mm of the piece
        without its joint.
    """

    number: np.ndarray
    edge: np.ndarray
    across: np.ndarray
    up: np.ndarray
    half_width: np.ndarray
    half_height: np.ndarray
    fade: float = 1.0

    def chance(self, k: int) -> np.ndarray:
        """(n,) float32 0..1: the ``k``-th random number of each piece."""
        out = np.empty(len(self.number), np.float32)
        for_ranges(_chance, len(out), self.number, np.uint32(k), np.float32(self.fade), out)
        return out


@kernel
def _chance(start, end, number, k, fade, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = np.float32(0.5) + fade * (unit(again(number[i], k)) - np.float32(0.5))


@inlined
def _at(k, r, what, salt):  # type: ignore[no-untyped-def]
    """Random bits of a place in the plane."""
    return hashed(np.int32(k), np.int32(r), np.int32(what), salt)


@kernel
def _tiles(  # type: ignore[no-untyped-def]
    start, end, x, y, width, height, joint, stagger, loose, vary, corner, salt, number, edge, across, up, halves
):
    for i in range(start, end):
        row = np.floor(y[i] / height)
        r = np.int32(row)
        shift = stagger * np.float32(r & np.int32(1)) + loose * unit(_at(r, np.int32(0), 77, salt))
        t = x[i] / width + shift
        k = np.int32(np.floor(t))
        # Upright joints lie about where they would in an even row.
        left = k + vary * (unit(_at(k, r, 5, salt)) - np.float32(0.5))
        if t < left:
            k -= np.int32(1)
            left = k + vary * (unit(_at(k, r, 5, salt)) - np.float32(0.5))
        right = k + np.int32(1) + vary * (unit(_at(np.int32(k + 1), r, 5, salt)) - np.float32(0.5))
        if t >= right:
            k += np.int32(1)
            left = right
            right = k + np.int32(1) + vary * (unit(_at(np.int32(k + 1), r, 5, salt)) - np.float32(0.5))
        number[i] = _at(k, r, 9, salt)
        hw = np.float32(0.5) * ((right - left) * width - joint)
        hh = np.float32(0.5) * (height - joint)
        a = (t - np.float32(0.5) * (left + right)) * width
        b = y[i] - (row + np.float32(0.5)) * height
        across[i], up[i] = a, b
        halves[0, i], halves[1, i] = hw, hh
        # Signed distance to a rectangle with rounded corners.
        round_ = min(corner, min(hw, hh))
        qx, qy = abs(a) - hw + round_, abs(b) - hh + round_
        ox, oy = max(qx, np.float32(0.0)), max(qy, np.float32(0.0))
        edge[i] = round_ - np.sqrt(ox * ox + oy * oy) - min(max(qx, qy), np.float32(0.0))


def tiling(
    x_mm: np.ndarray,
    y_mm: np.ndarray,
    width_mm: float,
    height_mm: float,
    *,
    joint_mm: float = 0.0,
    stagger: float = 0.5,
    loose: float = 0.0,
    vary: float = 0.0,
    corner_mm: float = 0.0,
    seed: int = 0,
    fade: float = 1.0,
) -> Tiling:
    """Rows of pieces.

    Parameters
    ----------
    x_mm, y_mm : (n,) places in the plane, y up. width_mm, height_mm : from joint to joint. stagger : how far every
        other row is moved, in widths; loose : how far each row is moved by chance. vary : 0 all of one width .. below
        1. corner_mm : rounding.
    """
    count = len(x_mm)
    number = np.empty(count, np.uint32)
    edge, across, up, halves = (np.empty(s, np.float32) for s in (count, count, count, (2, count)))
    f = np.float32
    for_ranges(
        _tiles, count, np.ascontiguousarray(x_mm, np.float32), np.ascontiguousarray(y_mm, np.float32), f(width_mm),
        f(height_mm), f(joint_mm),
        f(stagger), f(loose), f(min(vary, 0.95)), f(corner_mm), salt_of(seed), number, edge, across, up, halves,
    )  # fmt: skip
    return Tiling(number, edge, across, up, halves[0], halves[1], fade)
