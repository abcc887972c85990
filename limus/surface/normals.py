"""Vertex normals for meshes that bring none."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.adjacency import adjacency
from limus.surface.mesh import Mesh

#: Edges that bend more than this stay sharp, degrees (common practice, no source).
CREASE = 40.0


@kernel
def _root(group, k):  # type: ignore[no-untyped-def]
    while group[k] != k:
        group[k] = group[group[k]]
        k = group[k]
    return k


@kernel
def _join(tri, face, welded, twin, twin_edge, limit, group):  # type: ignore[no-untyped-def]
    """Union of the corners that meet over smooth edges; afterwards ``group`` holds the root of each corner."""
    for t in range(tri.shape[0]):
        for e in range(3):
            other = twin[t, e]
            if other <= t:
                continue
            if face[t, 0] * face[other, 0] + face[t, 1] * face[other, 1] + face[t, 2] * face[other, 2] <= limit:
                continue
            f = twin_edge[t, e]
            for end in range(2):
                corner = (e + end) % 3
                # Seen from the other side the edge runs the other way, unless one of the two triangles is wound
                # wrongly.
                there = f if welded[tri[other, f]] == welded[tri[t, corner]] else (f + 1) % 3
                a, b = _root(group, t * 3 + corner), _root(group, other * 3 + there)
                if a < b:
                    group[b] = a
                elif b < a:
                    group[a] = b
    for k in range(len(group)):
        group[k] = _root(group, k)


@kernel
def add_by_angle(p, tri, face, group, total):  # type: ignore[no-untyped-def]
    """Add to the (g, 3) ``total`` of each corner's group the normal of its face, weighted by the angle there."""
    for t in range(tri.shape[0]):
        for c in range(3):
            i, j, k = tri[t, c], tri[t, (c + 1) % 3], tri[t, (c + 2) % 3]
            dot, a, b = 0.0, 0.0, 0.0
            for x in range(3):
                u, v = p[j, x] - p[i, x], p[k, x] - p[i, x]
                dot += u * v
                a += u * u
                b += v * v
            length = (a * b) ** 0.5
            angle = np.arccos(min(max(dot / length, -1.0), 1.0)) if length > 0.0 else 0.0
            for x in range(3):
                total[group[t * 3 + c], x] += angle * face[t, x]


@kernel
def _share(start, end, face, group, total, out):  # type: ignore[no-untyped-def]
    for t in range(start, end):
        for c in range(3):
            g = group[t * 3 + c]
            length = (total[g, 0] ** 2 + total[g, 1] ** 2 + total[g, 2] ** 2) ** 0.5
            for x in range(3):
                out[t, c, x] = total[g, x] / length if length > 1e-12 else face[t, x]


def creased_normals(mesh: Mesh, crease: float = CREASE) -> np.ndarray:
    """Normals at every triangle corner, smooth over edges that bend less than ``crease`` degrees.

    Returns
    -------
    (T, 3, 3) float32 unit normals: the angle-weighted mean of the faces around a corner that are joined to it over
    smooth edges (Thürmer and Wüthrich, "Computing vertex normals from polygonal facets", 1998).
    """
    near = adjacency(mesh)
    group = np.arange(mesh.triangles.size, dtype=np.int32)
    _join(mesh.triangles, mesh.face_normals, mesh.welded, near.twin, near.twin_edge, np.cos(np.radians(crease)), group)
    total = np.zeros((mesh.triangles.size, 3))
    add_by_angle(mesh.positions.astype(np.float64), mesh.triangles, mesh.face_normals, group, total)
    out = np.empty((len(mesh.triangles), 3, 3), np.float32)
    for_ranges(_share, len(mesh.triangles), mesh.face_normals, group, total, out)
    return out
