"""Distance from points to the nearest point of a mesh."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges

#: Triangles in a leaf of the tree.
_LEAF = 4


@kernel
def _build(boxes, centres, order, node_box, node_first, node_count, node_right):  # type: ignore[no-untyped-def]
    """A tree of boxes, halved at the median of the longest side; returns the number of nodes. Children: next node,
    and ``node_right``.
    """
    stack = np.empty((64, 3), np.int64)
    stack[0, 0], stack[0, 1], stack[0, 2] = 0, len(order), -1
    depth, used = 1, 0
    while depth > 0:
        depth -= 1
        first, count, parent = stack[depth, 0], stack[depth, 1], stack[depth, 2]
        node = used
        used += 1
        if parent >= 0:
            node_right[parent] = node
        for k in range(3):
            node_box[node, k], node_box[node, 3 + k] = np.inf, -np.inf
        for i in range(first, first + count):
            for k in range(3):
                node_box[node, k] = min(node_box[node, k], boxes[order[i], k])
                node_box[node, 3 + k] = max(node_box[node, 3 + k], boxes[order[i], 3 + k])
        node_first[node], node_count[node], node_right[node] = first, count, -1
        if count <= _LEAF or depth > 60:
            continue
        axis, longest = 0, -1.0
        for k in range(3):
            side = node_box[node, 3 + k] - node_box[node, k]
            if side > longest:
                axis, longest = k, side
        half = count // 2
        part = np.empty(count)
        for i in range(count):
            part[i] = centres[order[first + i], axis]
        sorted_rows = np.argsort(part)
        copy = order[first : first + count].copy()
        for i in range(count):
            order[first + i] = copy[sorted_rows[i]]
        node_count[node] = 0
        # The right half waits; the left one is the next node.
        stack[depth, 0], stack[depth, 1], stack[depth, 2] = first + half, count - half, node
        depth += 1
        stack[depth, 0], stack[depth, 1], stack[depth, 2] = first, half, -1
        depth += 1
    return used


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
def _search(start, end, points, p, triangles, order, node_box, node_first, node_count, node_right, reach, out):  # type: ignore[no-untyped-def]
    stack = np.empty(128, np.int64)
    last = 0
    for i in range(start, end):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        best = reach * reach
        # The triangle nearest to the point before is a good first guess.
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
    p = np.ascontiguousarray(positions, np.float64)
    corners = p[triangles]
    boxes = np.concatenate([corners.min(axis=1), corners.max(axis=1)], axis=1)
    count = len(triangles)
    order = np.arange(count, dtype=np.int64)
    nodes = 2 * count + 1
    node_box = np.empty((nodes, 6))
    node_first, node_count, node_right = (
        np.zeros(nodes, np.int64),
        np.zeros(nodes, np.int64),
        np.full(nodes, -1, np.int64),
    )
    _build(boxes, corners.mean(axis=1), order, node_box, node_first, node_count, node_right)
    out = np.empty(len(points), np.float32)
    for_ranges(
        _search, len(points), np.ascontiguousarray(points, np.float64), p, np.ascontiguousarray(triangles, np.int64),
        order,
        node_box, node_first, node_count, node_right, float(reach), out,
    )  # fmt: skip
    return out
