"""A field of the texels at any places of the surface."""

from __future__ import annotations

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.grid import nearest_facing
from limus.surface.texels import Texels


@kernel
def _look(start, end, points, facing, reach, position, normal, low, side, counts, starts, order, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = nearest_facing(
            points[i, 0], points[i, 1], points[i, 2], facing[i, 0], facing[i, 1], facing[i, 2], reach,
            position, normal, low, side, counts, starts, order,
        )  # fmt: skip


def texel_at(texels: Texels, points_m: np.ndarray, facing: np.ndarray) -> np.ndarray:
    """(m,) int64: the texel nearest to each of (m, 3) places on the surface, metres, that faces as ``facing`` (m, 3)
    does; -1 where there is none near.
    """
    grid = texels.grid
    out = np.empty(len(points_m), np.int64)
    reach = max(8.0 * texels.spacing_mm / 1000.0, grid.side)
    for_ranges(
        _look, len(out), np.ascontiguousarray(points_m, np.float64), np.ascontiguousarray(facing, np.float32), reach,
        texels.position, texels.normal, grid.low, grid.side, grid.counts, grid.starts, grid.order, out, smallest=512,
    )  # fmt: skip
    return out


def value_at(texels: Texels, field: np.ndarray, points_m: np.ndarray, facing: np.ndarray) -> np.ndarray:
    """(m,): a (n,) field at the texels nearest to (m, 3) places on the surface; 0 where there is none near."""

    def look() -> np.ndarray:
        rows = texel_at(texels, points_m, facing)
        return np.where(rows >= 0, field[np.maximum(rows, 0)], np.zeros(1, field.dtype))

    return decided("value at", look)  # type: ignore[no-any-return]
