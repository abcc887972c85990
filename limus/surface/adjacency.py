"""Which triangle lies across each edge, and whether that edge is a UV seam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from limus.surface.mesh import Mesh

OPEN, INSIDE, SEAM = 0, 1, 2


@dataclass(frozen=True)
class Adjacency:
    """Edge ``e`` of a triangle runs from its corner ``e`` to corner ``(e + 1) % 3``.

    Attributes
    ----------
    twin : (T, 3) int32 triangle across the edge, -1 where the mesh is open.
    twin_edge : (T, 3) int32 the same edge's number in that triangle.
    kind : (T, 3) int8: OPEN, INSIDE (UVs continue) or SEAM (UVs jump).
    island : (T,) int32 UV island number.
    """

    twin: np.ndarray
    twin_edge: np.ndarray
    kind: np.ndarray
    island: np.ndarray


def adjacency(mesh: Mesh) -> Adjacency:
    """Match edges by welded position, and tell seams from plain edges by comparing UVs at both ends."""
    tri = mesh.triangles
    count = len(tri)
    uv = mesh.need_uv()
    start = tri.ravel()
    end = np.roll(tri, -1, axis=1).ravel()
    a, b = mesh.welded[start].astype(np.int64), mesh.welded[end].astype(np.int64)
    low, high = np.minimum(a, b), np.maximum(a, b)
    order = np.lexsort((high, low))
    same = (low[order][1:] == low[order][:-1]) & (high[order][1:] == high[order][:-1]) & (low[order][1:] != high[order][1:])
    # Pair neighbours in the sorted list, first with second; a third face on one edge (non-manifold) stays open.
    pair_first = same.copy()
    pair_first[1:] &= ~same[:-1]
    i = order[:-1][pair_first]
    j = order[1:][pair_first]

    twin = np.full(count * 3, -1, np.int32)
    twin_edge = np.full(count * 3, -1, np.int32)
    kind = np.zeros(count * 3, np.int8)
    twin[i], twin[j] = j // 3, i // 3
    twin_edge[i], twin_edge[j] = j % 3, i % 3

    opposite = a[i] == b[j]
    i_start, i_end = uv[start[i]], uv[end[i]]
    j_start = np.where(opposite[:, None], uv[end[j]], uv[start[j]])
    j_end = np.where(opposite[:, None], uv[start[j]], uv[end[j]])
    joined = (np.abs(i_start - j_start).max(axis=1) < 1e-5) & (np.abs(i_end - j_end).max(axis=1) < 1e-5)
    joined &= mesh.triangle_map_set[i // 3] == mesh.triangle_map_set[j // 3]
    kind[i] = kind[j] = np.where(joined, INSIDE, SEAM)

    links = coo_array((np.ones(int(joined.sum()), np.int8), ((i // 3)[joined], (j // 3)[joined])), shape=(count, count))
    _, island = connected_components(links, directed=False)
    return Adjacency(twin.reshape(-1, 3), twin_edge.reshape(-1, 3), kind.reshape(-1, 3), island.astype(np.int32))
