"""Points sorted into boxes, to find what lies near a place without looking at all of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel


@dataclass(frozen=True)
class Grid:
    """Attributes
    ----------
    low : (3,) float64 lowest corner, m. side : of a box, m. counts : (3,) int64 boxes along each axis.
    starts : (boxes + 1,) int64 and order : (n,) int32: the points of box b are ``order[starts[b]:starts[b + 1]]``.
    """

    low: np.ndarray
    side: float
    counts: np.ndarray
    starts: np.ndarray
    order: np.ndarray


def grid_of(points: np.ndarray, along: int = 100, *, side_m: float = 0.0) -> Grid:
    """Sort (n, 3) ``points`` into cubes, ``along`` of them on the longest side; or of ``side_m`` where that gives no
    more than that.
    """
    low, high = points.min(axis=0).astype(np.float64), points.max(axis=0).astype(np.float64)
    side = max(float((high - low).max()) / along, side_m, 1e-9)
    counts = np.maximum(np.ceil((high - low) / side).astype(np.int64), 1)
    cell = np.clip(((points - low) / side).astype(np.int64), 0, counts - 1)
    number = (cell[:, 0] * counts[1] + cell[:, 1]) * counts[2] + cell[:, 2]
    order = np.argsort(number, kind="stable").astype(np.int32)
    starts = np.concatenate([[0], np.cumsum(np.bincount(number, minlength=int(counts.prod())))]).astype(np.int64)
    return Grid(low, side, counts, starts, order)


@kernel
def nearest_facing(x, y, z, nx, ny, nz, reach, points, normals, low, side, counts, starts, order):  # type: ignore[no-untyped-def]
    """The point nearest to a place, within ``reach``, among those whose normal does not face away; -1 where there is
    none.
    """
    best, found = reach * reach, -1
    rings = int(reach / side) + 1
    cx, cy, cz = int((x - low[0]) / side), int((y - low[1]) / side), int((z - low[2]) / side)
    for ring in range(rings + 1):
        # Boxes of this ring are at least ring - 1 sides away.
        if ring > 1 and ((ring - 1) * side) ** 2 > best:
            break
        for i in range(max(cx - ring, 0), min(cx + ring, counts[0] - 1) + 1):
            for j in range(max(cy - ring, 0), min(cy + ring, counts[1] - 1) + 1):
                for k in range(max(cz - ring, 0), min(cz + ring, counts[2] - 1) + 1):
                    if max(abs(i - cx), abs(j - cy), abs(k - cz)) != ring:
                        continue
                    box = (i * counts[1] + j) * counts[2] + k
                    for at in range(starts[box], starts[box + 1]):
                        p = order[at]
                        if normals[p, 0] * nx + normals[p, 1] * ny + normals[p, 2] * nz < -0.2:
                            continue
                        d = (points[p, 0] - x) ** 2 + (points[p, 1] - y) ** 2 + (points[p, 2] - z) ** 2
                        if d < best:
                            best, found = d, p
    return found
