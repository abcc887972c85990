"""Distance from points to the nearest point of a mesh."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.box_tree import BoxTree, box_tree


@kernel
def _to_triangle(px, py, pz, p, a, b, c):  # type: ignore[no-untyped-def]
    """Squared distance to a triangle (Ericson, Real-Time Collision Detection, 2005, 5.1.5); to a line where b and c
    are one.
    """
    if b == c:
        along, length = 0.0, 0.0
        for k in range(3):
            q = px if k == 0 else (py if k == 1 else pz)
            along += (q - p[a, k]) * (p[b, k] - p[a, k])
            length += (p[b, k] - p[a, k]) ** 2
        share = min(max(along / length, 0.0), 1.0) if length > 0.0 else 0.0
        x, y, z = (
            px - p[a, 0] - share * (p[b, 0] - p[a, 0]),
            py - p[a, 1] - share * (p[b, 1] - p[a, 1]),
            pz - p[a, 2] - share * (p[b, 2] - p[a, 2]),
        )
        return x * x + y * y + z * z
    abx, aby, abz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
    acx, acy, acz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
    apx, apy, apz = px - p[a, 0], py - p[a, 1], pz - p[a, 2]
    d1, d2 = abx * apx + aby * apy + abz * apz, acx * apx + acy * apy + acz * apz
    if d1 <= 0.0 and d2 <= 0.0:
        return apx * apx + apy * apy + apz * apz
    bpx, bpy, bpz = px - p[b, 0], py - p[b, 1], pz - p[b, 2]
    d3, d4 = abx * bpx + aby * bpy + abz * bpz, acx * bpx + acy * bpy + acz * bpz
    if d3 >= 0.0 and d4 <= d3:
        return bpx * bpx + bpy * bpy + bpz * bpz
    vc = d1 * d4 - d3 * d2
    v, w = 0.0, 0.0
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v = d1 / (d1 - d3)
    else:
        cpx, cpy, cpz = px - p[c, 0], py - p[c, 1], pz - p[c, 2]
        d5, d6 = abx * cpx + aby * cpy + abz * cpz, acx * cpx + acy * cpy + acz * cpz
        if d6 >= 0.0 and d5 <= d6:
            return cpx * cpx + cpy * cpy + cpz * cpz
        vb = d5 * d2 - d1 * d6
        va = d3 * d6 - d5 * d4
        if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            w = d2 / (d2 - d6)
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            v = 1.0 - w
        else:
            total = va + vb + vc
            if total <= 0.0:
                return min(apx * apx + apy * apy + apz * apz, bpx * bpx + bpy * bpy + bpz * bpz)
            v, w = vb / total, vc / total
    x, y, z = apx - v * abx - w * acx, apy - v * aby - w * acy, apz - v * abz - w * acz
    return x * x + y * y + z * z


@kernel
def _box_gap(px, py, pz, box):  # type: ignore[no-untyped-def]
    x = max(box[0] - px, 0.0, px - box[3])
    y = max(box[1] - py, 0.0, py - box[4])
    z = max(box[2] - pz, 0.0, pz - box[5])
    return x * x + y * y + z * z


@kernel
def _search(  # type: ignore[no-untyped-def]
    start, end, points, facing, p, triangles, order, node_box, node_first, node_count, node_right, reach, out, which
):
    stack = np.empty(128, np.int64)
    last = 0
    in_plane = len(facing) > 0
    for i in range(start, end):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        best = reach * reach
        # The triangle nearest to the point before is a good first guess.
        if in_plane:
            guess = _to_cut(px, py, pz, facing[i], p, triangles[last, 0], triangles[last, 1], triangles[last, 2])
        else:
            guess = _to_triangle(px, py, pz, p, triangles[last, 0], triangles[last, 1], triangles[last, 2])
        best = min(best, guess)
        stack[0] = 0
        depth = 1
        while depth > 0:
            depth -= 1
            node = stack[depth]
            if _box_gap(px, py, pz, node_box[node]) >= best:
                continue
            if node_right[node] < 0:
                for k in range(node_first[node], node_first[node] + node_count[node]):
                    t = order[k]
                    if in_plane:
                        d = _to_cut(px, py, pz, facing[i], p, triangles[t, 0], triangles[t, 1], triangles[t, 2])
                    else:
                        d = _to_triangle(px, py, pz, p, triangles[t, 0], triangles[t, 1], triangles[t, 2])
                    if d < best:
                        best, last = d, t
                continue
            left, right = node + 1, node_right[node]
            if _box_gap(px, py, pz, node_box[left]) <= _box_gap(px, py, pz, node_box[right]):
                stack[depth], stack[depth + 1] = right, left
            else:
                stack[depth], stack[depth + 1] = left, right
            depth += 2
        out[i] = best**0.5
        which[i] = last


@kernel
def _to_cut(px, py, pz, facing, p, a, b, c):  # type: ignore[no-untyped-def]
    """Squared distance from a point, within the plane through it at right angles to ``facing``, to where that plane
    cuts a triangle; infinite where it does not.
    """
    ha = (p[a, 0] - px) * facing[0] + (p[a, 1] - py) * facing[1] + (p[a, 2] - pz) * facing[2]
    hb = (p[b, 0] - px) * facing[0] + (p[b, 1] - py) * facing[1] + (p[b, 2] - pz) * facing[2]
    hc = (p[c, 0] - px) * facing[0] + (p[c, 1] - py) * facing[1] + (p[c, 2] - pz) * facing[2]
    if (ha > 0.0 and hb > 0.0 and hc > 0.0) or (ha < 0.0 and hb < 0.0 and hc < 0.0):
        return np.inf
    found = 0
    x0, y0, z0, x1, y1, z1 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(3):
        u, v, hu, hv = a, b, ha, hb
        if k == 1:
            u, v, hu, hv = b, c, hb, hc
        elif k == 2:
            u, v, hu, hv = c, a, hc, ha
        # An edge that lies in the plane is found by its ends, which belong to the other two.
        if (hu > 0.0) == (hv > 0.0) or hu == hv:
            continue
        share = hu / (hu - hv)
        x = p[u, 0] + share * (p[v, 0] - p[u, 0]) - px
        y = p[u, 1] + share * (p[v, 1] - p[u, 1]) - py
        z = p[u, 2] + share * (p[v, 2] - p[u, 2]) - pz
        if found == 0:
            x0, y0, z0 = x, y, z
        x1, y1, z1 = x, y, z
        found += 1
    if found == 0:
        return np.inf
    dx, dy, dz = x1 - x0, y1 - y0, z1 - z0
    length = dx * dx + dy * dy + dz * dz
    share = min(max(-(x0 * dx + y0 * dy + z0 * dz) / length, 0.0), 1.0) if length > 0.0 else 0.0
    x, y, z = x0 + share * dx, y0 + share * dy, z0 + share * dz
    return x * x + y * y + z * z


_NONE = np.zeros((0, 3))


def distance_to(points: np.ndarray, positions: np.ndarray, triangles: np.ndarray, reach: float) -> np.ndarray:
    """Distance from each point to the nearest of the triangles.

    Parameters
    ----------
    points : (n, 3) and positions (V, 3), metres; triangles (T, 3) integer, T > 0; one whose last two corners are one
        vertex is a line. reach : distances are cut off here.

    Returns
    -------
    (n,) float32 metres, 0 .. reach.
    """
    return nearest_in(box_tree(positions, triangles), points, reach)[0]


def nearest_in(tree: BoxTree, points: np.ndarray, reach: float) -> tuple[np.ndarray, np.ndarray]:
    """(n,) float32 distance, metres, 0 .. reach, of each point to the nearest triangle of ``tree``, and (n,) int64
    which that is; without a meaning where none lies within reach.
    """
    return _searched(tree, points, _NONE, reach)


def distance_in_plane(tree: BoxTree, points: np.ndarray, facing: np.ndarray, reach: float) -> np.ndarray:
    """How far it is from each point, within the plane that it lies in, to where that plane cuts the triangles.

    Parameters
    ----------
    points, facing : (n, 3) metres, and unit normals of their planes.

    Returns
    -------
    (n,) float32 metres, 0 .. reach.
    """
    return _searched(tree, points, facing, reach)[0]


def _searched(tree: BoxTree, points: np.ndarray, facing: np.ndarray, reach: float) -> tuple[np.ndarray, np.ndarray]:
    out, which = np.empty(len(points), np.float32), np.empty(len(points), np.int64)
    for_ranges(
        _search, len(points), np.ascontiguousarray(points, np.float64), np.ascontiguousarray(facing, np.float64),
        tree.positions, tree.triangles, tree.order, tree.box, tree.first, tree.count, tree.right, float(reach), out,
        which,
    )  # fmt: skip
    return out, which
