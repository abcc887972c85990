"""Cross products of triangle edges: twice the area along the face normal."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges


@kernel
def _crosses(start, end, p, tri, out):  # type: ignore[no-untyped-def]
    for t in range(start, end):
        a, b, c = tri[t, 0], tri[t, 1], tri[t, 2]
        ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
        vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
        out[t, 0] = uy * vz - uz * vy
        out[t, 1] = uz * vx - ux * vz
        out[t, 2] = ux * vy - uy * vx


def edge_crosses(positions: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """(T, 3) float64 cross products of (V, 3) float64 positions and (T, 3) integer triangles."""
    out = np.empty((len(triangles), 3))
    for_ranges(_crosses, len(triangles), np.ascontiguousarray(positions, np.float64), triangles, out)
    return out


@kernel
def _lengths(start, end, vectors, out):  # type: ignore[no-untyped-def]
    for t in range(start, end):
        out[t] = (vectors[t, 0] ** 2 + vectors[t, 1] ** 2 + vectors[t, 2] ** 2) ** 0.5


def lengths(vectors: np.ndarray) -> np.ndarray:
    """(n,) float64 lengths of (n, 3) float64 vectors."""
    out = np.empty(len(vectors))
    for_ranges(_lengths, len(vectors), vectors, out)
    return out
