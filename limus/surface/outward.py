"""The way out of the surface at each vertex, for a view that moves the surface by its relief."""

from __future__ import annotations

import numpy as np
import scipy

from limus.common.kernel import kernel
from limus.surface.adjacency import adjacency
from limus.surface.mesh import Mesh
from limus.surface.normals import add_by_angle

#: How near borders of two patches lie that are taken as one, in shares of the diagonal: patches that were cut each by
#: itself differ by their chords.
NEAR = 3e-4
#: Faces that look away from each other more than this (cosine) are two sides of something thin, and move apart.
AGAINST = -0.98
#: Vertices that are looked at one by one in a place, places beside one edge, and pairs of both, at most.
MOST_IN_PLACE, MOST_BESIDE, MOST_PAIRS = 64, 4096, 4_000_000


def outward(mesh: Mesh) -> np.ndarray:
    """(V, 3) float32 unit vectors: one for all vertices in a place, so that neither hard edges nor the borders of
    patches tear open.

    The angle-weighted mean of the faces around a place (Thürmer and Wüthrich, 1998), of whatever part or body; where a
    border of another patch runs by without a vertex there, as where two patches were cut into triangles each by itself,
    the mean with that. What faces the other way, as the back of a sheet does, moves the other way.
    """
    tri, place = mesh.triangles, mesh.welded
    p = mesh.positions.astype(np.float64)
    corner = np.zeros((tri.size, 3))
    add_by_angle(p, tri, mesh.face_normals, np.arange(tri.size), corner)
    places = int(place.max(initial=0)) + 1
    at = place[tri].reshape(-1)
    total = np.stack([np.bincount(at, corner[:, k], places) for k in range(3)], axis=1)
    order = np.argsort(at, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(at, minlength=places))])
    face = np.repeat(mesh.face_normals, 3, axis=0)
    own = _unit(mesh.normals.astype(np.float64))
    unit = np.empty_like(own)
    _gathered(place, own, np.bincount(place, minlength=places), order, starts, corner, face, total, unit)
    unit = _unit(unit, own)
    near = adjacency(mesh)
    t, e = np.nonzero(near.twin < 0)
    if len(t):
        unit = _unit(unit + _beside(p, unit, own, place, tri[t, e], tri[t, (e + 1) % 3], NEAR * mesh.diagonal), own)
    return unit.astype(np.float32)


@kernel
def _gathered(place, own, sharing, order, starts, corner, face, total, out):  # type: ignore[no-untyped-def]
    """For each vertex the sum over the corners of its place whose face does not look the other way."""
    for v in range(len(place)):
        q = place[v]
        if sharing[q] > MOST_IN_PLACE:
            for x in range(3):
                out[v, x] = total[q, x]
            continue
        for x in range(3):
            out[v, x] = 0.0
        for k in range(starts[q], starts[q + 1]):
            c = order[k]
            if own[v, 0] * face[c, 0] + own[v, 1] * face[c, 1] + own[v, 2] * face[c, 2] > AGAINST:
                for x in range(3):
                    out[v, x] += corner[c, x]


def _unit(v: np.ndarray, otherwise: np.ndarray | None = None) -> np.ndarray:
    """(n, 3) unit vectors; ``otherwise``, by default upwards, where there is no direction."""
    long = np.linalg.norm(v, axis=1, keepdims=True)
    instead = np.array([[0.0, 1.0, 0.0]]) if otherwise is None else otherwise
    return np.asarray(np.where(long > 1e-6, v / np.maximum(long, 1e-6), instead))


def _beside(
    p: np.ndarray, unit: np.ndarray, own: np.ndarray, place: np.ndarray, low: np.ndarray, high: np.ndarray, reach: float
) -> np.ndarray:
    """(V, 3): at border vertices that lie on a border edge ``low .. high`` without being an end of it, the normal of
    that patch; else 0.
    """
    at_rim = np.zeros(int(place.max(initial=0)) + 1, np.bool_)
    at_rim[place[low]] = at_rim[place[high]] = True
    rim = np.flatnonzero(at_rim[place])
    along = p[high] - p[low]
    length = np.linalg.norm(along, axis=1)
    tree = scipy.spatial.cKDTree(p[rim])
    middle, radius = p[low] + 0.5 * along, 0.5 * length + reach
    count = tree.query_ball_point(middle, radius, return_length=True)
    # The shortest lists first: a border that thousands of places lie round is the one to leave.
    rows = np.argsort(count, kind="stable")
    rows = rows[(count[rows] <= MOST_BESIDE) & (np.cumsum(count[rows]) <= MOST_PAIRS)]
    lists = tree.query_ball_point(middle[rows], radius[rows])
    edge = np.repeat(rows, [len(one) for one in lists])
    vertex = rim[np.concatenate([np.empty(0, np.int64), *(np.asarray(one, np.int64) for one in lists)])]
    apart = (place[vertex] != place[low[edge]]) & (place[vertex] != place[high[edge]])
    edge, vertex = edge[apart], vertex[apart]
    share = np.einsum("ij,ij->i", p[vertex] - p[low[edge]], along[edge]) / np.maximum(length[edge] ** 2, 1e-300)
    share = np.clip(share, 0.0, 1.0)[:, None]
    gap = np.linalg.norm(p[vertex] - p[low[edge]] - share * along[edge], axis=1)
    way = _unit(own[low[edge]] * (1 - share) + own[high[edge]] * share)
    on = (gap <= reach) & (np.einsum("ij,ij->i", unit[vertex], way) > AGAINST)
    out = np.zeros_like(unit)
    np.add.at(out, vertex[on], way[on])
    return np.asarray(_unit(out, np.zeros_like(out)))
