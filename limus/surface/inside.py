"""Which points lie inside a closed mesh."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.box_tree import BoxTree

#: Three directions that run along no edge of anything that was drawn along axes; most of them decide, so that a ray
#: through an edge, which may count once too often, does not.
_WAYS = np.array([[0.5773, 0.6131, 0.5394], [-0.7071, 0.2897, 0.6451], [0.1763, -0.8203, 0.5441]])


@kernel
def _crossings(  # type: ignore[no-untyped-def]
    start, end, points, way, p, triangles, order, node_box, node_first, node_count, node_right, signed, crossed
):
    stack = np.empty(128, np.int64)
    for i in range(start, end):
        total, count = 0, 0
        stack[0] = 0
        depth = 1
        while depth > 0:
            depth -= 1
            node = stack[depth]
            near, far = 0.0, np.inf
            for k in range(3):
                a = (node_box[node, k] - points[i, k]) / way[k]
                b = (node_box[node, 3 + k] - points[i, k]) / way[k]
                near, far = max(near, min(a, b)), min(far, max(a, b))
            # A breath wider, so that flat boxes are not missed by rounding.
            if near > far * (1.0 + 1e-12) + 1e-12:
                continue
            if node_right[node] >= 0:
                stack[depth], stack[depth + 1] = node + 1, node_right[node]
                depth += 2
                continue
            for k in range(node_first[node], node_first[node] + node_count[node]):
                t = order[k]
                way_of = _through(points[i], way, p, triangles[t, 0], triangles[t, 1], triangles[t, 2])
                total += way_of
                count += way_of * way_of
        signed[i], crossed[i] = total, count


@kernel
def _through(origin, way, p, a, b, c):  # type: ignore[no-untyped-def]
    """1 where the ray leaves through the front of a triangle, -1 where it enters, 0 where it misses it (Moller and
    Trumbore, Fast, Minimum Storage Ray-Triangle Intersection, 1997).
    """
    ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    hx, hy, hz = way[1] * vz - way[2] * vy, way[2] * vx - way[0] * vz, way[0] * vy - way[1] * vx
    det = ux * hx + uy * hy + uz * hz
    if det == 0.0:
        return 0
    sx, sy, sz = origin[0] - p[a, 0], origin[1] - p[a, 1], origin[2] - p[a, 2]
    u = (sx * hx + sy * hy + sz * hz) / det
    if u < 0.0 or u > 1.0:
        return 0
    qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
    v = (way[0] * qx + way[1] * qy + way[2] * qz) / det
    if v < 0.0 or u + v > 1.0:
        return 0
    if (vx * qx + vy * qy + vz * qz) / det <= 0.0:
        return 0
    # The determinant is positive where the ray meets the front of the triangle, from outside.
    return -1 if det > 0.0 else 1


def inside(tree: BoxTree, points: np.ndarray, *, turned_alike: bool = True) -> np.ndarray:
    """Which points lie inside.

    Parameters
    ----------
    tree : of closed meshes. ``turned_alike``: their triangles look outwards throughout, so that a point counts as
        inside where a ray leaves and enters unequally often (winding number other than 0; sound where pieces overlap
        or a piece crosses itself). Otherwise an odd number of crossings tells.
    points : (n, 3) metres.

    Returns
    -------
    (n,) bool.
    """
    low, high = tree.box[0, :3], tree.box[0, 3:]
    flat = np.ascontiguousarray(points, np.float64)
    out = np.zeros(len(flat), bool)
    within = np.flatnonzero(np.logical_and(flat >= low, flat <= high).all(axis=1))
    if not len(within):
        return out
    asked = np.ascontiguousarray(flat[within])
    votes = np.zeros(len(within), np.int64)
    for way in _WAYS:
        signed, crossed = np.empty(len(within), np.int64), np.empty(len(within), np.int64)
        for_ranges(
            _crossings, len(within), asked, way, tree.positions, tree.triangles, tree.order, tree.box, tree.first,
            tree.count, tree.right, signed, crossed,
        )  # fmt: skip
        votes += (signed != 0) if turned_alike else crossed % 2 == 1
    out[within] = votes >= 2
    return out
