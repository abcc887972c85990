"""Which triangle lies across each edge, and whether that edge is a UV seam."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
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
    crowded : edges on which more than two faces meet.
    """

    twin: np.ndarray
    twin_edge: np.ndarray
    kind: np.ndarray
    island: np.ndarray
    crowded: int = 0


@kernel
def match_edges(tri, welded, places, twin, twin_edge):  # type: ignore[no-untyped-def]
    """Pair the edges that run between the same two places: each waits in the list of its lower place."""
    count = tri.shape[0] * 3
    starts = np.zeros(places + 1, np.int32)
    for k in range(count):
        a, b = welded[tri[k // 3, k % 3]], welded[tri[k // 3, (k % 3 + 1) % 3]]
        if a != b:
            starts[min(a, b) + 1] += 1
    for k in range(places):
        starts[k + 1] += starts[k]
    fill = starts[:-1].copy()
    edge = np.empty(starts[places], np.int32)
    high = np.empty(starts[places], np.int32)
    for k in range(count):
        a, b = welded[tri[k // 3, k % 3]], welded[tri[k // 3, (k % 3 + 1) % 3]]
        if a != b:
            low = min(a, b)
            edge[fill[low]] = k
            high[fill[low]] = max(a, b)
            fill[low] += 1
    crowded = 0
    for low in range(places):
        length = starts[low + 1] - starts[low]
        ordered = length > 24
        if ordered:
            # Where thousands of edges meet in one place, equal ones are brought side by side; the search below then
            # stops early.
            order = np.argsort(high[starts[low] : starts[low + 1]], kind="mergesort")
            high[starts[low] : starts[low + 1]] = high[starts[low] : starts[low + 1]][order]
            edge[starts[low] : starts[low + 1]] = edge[starts[low] : starts[low + 1]][order]
        for i in range(starts[low], starts[low + 1]):
            if high[i] < 0:
                continue
            found = -1
            others = 0
            for j in range(i + 1, starts[low + 1]):
                if ordered and high[j] > high[i]:
                    break
                if high[j] == high[i]:
                    others += 1
                    if others == 1:
                        found = j
                    else:
                        # A third face on one edge (non-manifold) stays open.
                        high[j] = -1
            if found >= 0:
                k, m = edge[i], edge[found]
                twin[k // 3, k % 3], twin_edge[k // 3, k % 3] = m // 3, m % 3
                twin[m // 3, m % 3], twin_edge[m // 3, m % 3] = k // 3, k % 3
                high[found] = -1
            if others > 1:
                crowded += 1
            high[i] = -1
    return crowded


@kernel
def _same(uv, a, b):  # type: ignore[no-untyped-def]
    return abs(uv[a, 0] - uv[b, 0]) < 1e-5 and abs(uv[a, 1] - uv[b, 1]) < 1e-5


@kernel
def _root(group, k):  # type: ignore[no-untyped-def]
    while group[k] != k:
        group[k] = group[group[k]]
        k = group[k]
    return k


@kernel
def _seams(tri, welded, uv, sets, twin, twin_edge, kind, island):  # type: ignore[no-untyped-def]
    """Kinds of edges, and islands numbered in the order of their first triangle."""
    for t in range(tri.shape[0]):
        island[t] = t
    for t in range(tri.shape[0]):
        for e in range(3):
            other = twin[t, e]
            if other < 0:
                continue
            f = twin_edge[t, e]
            a, b = tri[t, e], tri[t, (e + 1) % 3]
            c, d = tri[other, f], tri[other, (f + 1) % 3]
            # The twin runs the other way, unless one of the two is wound wrongly.
            if welded[a] == welded[d]:
                c, d = d, c
            joined = sets[t] == sets[other] and _same(uv, a, c) and _same(uv, b, d)
            kind[t, e] = 1 if joined else 2
            if joined and other > t:
                x, y = _root(island, t), _root(island, other)
                if x < y:
                    island[y] = x
                elif y < x:
                    island[x] = y
    count = 0
    number = np.full(tri.shape[0], -1, np.int32)
    for t in range(tri.shape[0]):
        root = _root(island, t)
        if number[root] < 0:
            number[root] = count
            count += 1
    for t in range(tri.shape[0]):
        island[t] = _root(island, t)
    for t in range(tri.shape[0]):
        island[t] = number[island[t]]


def adjacency(mesh: Mesh) -> Adjacency:
    """Match edges by welded position, and tell seams from plain edges by comparing UVs at both ends."""
    tri = mesh.triangles
    uv = mesh.uv if mesh.uv is not None else np.zeros((len(mesh.positions), 2), np.float32)
    twin, twin_edge = np.full((len(tri), 3), -1, np.int32), np.full((len(tri), 3), -1, np.int32)
    crowded = match_edges(tri, mesh.welded, int(mesh.welded.max(initial=0)) + 1, twin, twin_edge)
    kind, island = np.zeros((len(tri), 3), np.int8), np.empty(len(tri), np.int32)
    _seams(tri, mesh.welded, uv, mesh.triangle_map_set, twin, twin_edge, kind, island)
    return Adjacency(twin, twin_edge, kind, island, int(crowded))
