"""Which triangles belong to a place that was picked."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.surface.adjacency import Adjacency
from limus.surface.mesh import Mesh

#: Two faces lie in one polygon when they bend less than this.
FLAT_DEG = 1.0


def triangle_at(mesh: Mesh, at: np.ndarray, facing: np.ndarray) -> int:
    """The triangle nearest to a point (metres), among those that do not face away from ``facing``; -1 where all do."""
    fits = np.flatnonzero(mesh.face_normals @ facing > 0.0)
    if not len(fits):
        return -1
    return int(fits[_nearest(at.astype(np.float64), mesh.positions.astype(np.float64), mesh.triangles, fits)])


@kernel
def _nearest(at, p, triangles, rows):  # type: ignore[no-untyped-def]
    best, found = np.inf, 0
    for i in range(len(rows)):
        t = rows[i]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        # Distance to the triangle, by its three edges and its inside.
        d = np.inf
        for e in range(3):
            s, g = (a, b) if e == 0 else ((b, c) if e == 1 else (c, a))
            along, length = 0.0, 0.0
            for k in range(3):
                along += (at[k] - p[s, k]) * (p[g, k] - p[s, k])
                length += (p[g, k] - p[s, k]) ** 2
            share = min(max(along / max(length, 1e-30), 0.0), 1.0)
            gap = 0.0
            for k in range(3):
                gap += (at[k] - p[s, k] - share * (p[g, k] - p[s, k])) ** 2
            d = min(d, gap)
        ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
        vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
        wx, wy, wz = at[0] - p[a, 0], at[1] - p[a, 1], at[2] - p[a, 2]
        uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
        wu, wv = wx * ux + wy * uy + wz * uz, wx * vx + wy * vy + wz * vz
        det = uu * vv - uv * uv
        if det > 1e-30:
            s1, t1 = (vv * wu - uv * wv) / det, (uu * wv - uv * wu) / det
            if s1 >= 0.0 and t1 >= 0.0 and s1 + t1 <= 1.0:
                gx, gy, gz = wx - s1 * ux - t1 * vx, wy - s1 * uy - t1 * vy, wz - s1 * uz - t1 * vz
                d = min(d, gx * gx + gy * gy + gz * gz)
        if d < best:
            best, found = d, i
    return found


@kernel
def _spread(first, twin, kind, normals, cos_limit, inside_only, out):  # type: ignore[no-untyped-def]
    """Faces reached over edges that bend less than the limit (and, with ``inside_only``, are no seams)."""
    stack = np.empty(len(twin), np.int64)
    stack[0] = first
    out[first] = True
    depth = 1
    while depth > 0:
        depth -= 1
        t = stack[depth]
        for e in range(3):
            other = twin[t, e]
            if other < 0 or out[other] or (inside_only and kind[t, e] != 1):
                continue
            dot = 0.0
            for k in range(3):
                dot += normals[t, k] * normals[other, k]
            if dot >= cos_limit:
                out[other] = True
                stack[depth] = other
                depth += 1


def picked_triangles(
    mesh: Mesh, near: Adjacency, what: str, at: np.ndarray, facing: np.ndarray, up_to_deg: float
) -> np.ndarray:
    """Rows of the triangles that a pick fills.

    Parameters
    ----------
    what : "part"; "island" of the UVs; "polygon": the flat face; "connected": faces reached over edges that bend at
        most ``up_to_deg``.
    at : (3,) metres, on or near the surface. facing : (3,) the side it was picked from.

    Returns
    -------
    (m,) int64; empty where nothing faces that way.
    """
    first = triangle_at(mesh, at, facing)
    if first < 0:
        return np.zeros(0, np.int64)
    if what == "part":
        return np.flatnonzero(mesh.triangle_part == mesh.triangle_part[first])
    if what == "island":
        return np.flatnonzero(near.island == near.island[first])
    reached = np.zeros(len(mesh.triangles), bool)
    limit = FLAT_DEG if what == "polygon" else up_to_deg
    _spread(first, near.twin, near.kind, mesh.face_normals, np.cos(np.radians(limit)) - 1e-6, False, reached)
    return np.flatnonzero(reached)
