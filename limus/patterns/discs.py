"""Which of many discs scattered over a surface covers each point: drops, cushions, rosettes, crumbs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.grid import grid_of


@dataclass(frozen=True)
class Covering:
    """``which`` (n,) int32 number of the disc, -1 where there is none; ``share`` (n,) float32 distance from its
    middle in radii, 1 and more outside; ``away`` (n, 3) float32 m from its middle. Where discs overlap it is the one
    whose ball stands higher, so borders are straight.
    """

    which: np.ndarray
    share: np.ndarray
    away: np.ndarray


@kernel
def _cover(  # type: ignore[no-untyped-def]
    start,
    end,
    points,
    normals,
    low,
    side,
    counts,
    starts,
    order,
    position,
    facing,
    radius,
    reach,
    rings,
    which,
    share,
    away,
):
    for i in range(start, end):
        best, found = np.float32(-1e30), -1
        c0 = int(np.floor((points[i, 0] - low[0]) / side))
        c1 = int(np.floor((points[i, 1] - low[1]) / side))
        c2 = int(np.floor((points[i, 2] - low[2]) / side))
        for a in range(max(c0 - rings, 0), min(c0 + rings, counts[0] - 1) + 1):
            for b in range(max(c1 - rings, 0), min(c1 + rings, counts[1] - 1) + 1):
                for c in range(max(c2 - rings, 0), min(c2 + rings, counts[2] - 1) + 1):
                    cube = (a * counts[1] + b) * counts[2] + c
                    for at in range(starts[cube], starts[cube + 1]):
                        j = order[at]
                        d, turned = np.float32(0.0), np.float32(0.0)
                        for k in range(3):
                            d += (points[i, k] - position[j, k]) ** 2
                            turned += normals[i, k] * facing[j, k]
                        r = radius[j] * reach
                        # A disc on the back of a thin sheet is another one's.
                        if d < r * r and turned > np.float32(-0.2):
                            power = radius[j] * radius[j] - d
                            if power > best:
                                best, found = power, j
        which[i] = found
        if found < 0:
            share[i] = reach
            for k in range(3):
                away[i, k] = np.float32(0.0)
        else:
            d = np.float32(0.0)
            for k in range(3):
                away[i, k] = points[i, k] - position[found, k]
                d += away[i, k] ** 2
            share[i] = np.sqrt(d) / max(radius[found], np.float32(1e-12))


def covering(
    points_m: np.ndarray,
    normals: np.ndarray,
    position: np.ndarray,
    facing: np.ndarray,
    radius_m: np.ndarray,
    reach: float = 1.0,
) -> Covering:
    """The disc over each point.

    Parameters
    ----------
    points_m, normals : (n, 3) float32. position, facing : (m, 3) of the discs, radius_m : (m,). reach : how far
        outside of a disc it still
    counts, in its radii: for outlines that bulge.
    """
    count = len(points_m)
    which, share = np.full(count, -1, np.int32), np.full(count, reach, np.float32)
    away = np.zeros((count, 3), np.float32)
    if len(position):
        most = float(radius_m.max()) * reach
        grid = grid_of(np.asarray(position), 160, side_m=most)
        for_ranges(
            _cover, count, points_m, normals, grid.low, grid.side, grid.counts, grid.starts, grid.order,
            np.ascontiguousarray(position, np.float32), np.ascontiguousarray(facing, np.float32),
            np.ascontiguousarray(radius_m, np.float32),
            np.float32(reach), int(most / grid.side) + 1, which, share, away, smallest=2048,
        )  # fmt: skip
    return Covering(which, share, away)


def bits(number: np.ndarray, k: int) -> np.ndarray:
    """(m,) float32 0..1: the ``k``-th chance of each of (m,) uint32 random numbers."""
    with np.errstate(over="ignore"):
        h = number + np.uint32(k + 1) * np.uint32(0x9E3779B9)
        h = (h ^ (h >> np.uint32(16))) * np.uint32(0x7FEB352D)
        h = (h ^ (h >> np.uint32(15))) * np.uint32(0x846CA68B)
        h = h ^ (h >> np.uint32(16))
    return (h >> np.uint32(8)).astype(np.float32) * (1.0 / (1 << 24))
