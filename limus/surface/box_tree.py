"""A tree of boxes over triangles, for distances and for rays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel

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


@dataclass(frozen=True)
class BoxTree:
    """Attributes
    ----------
    positions : (V, 3) float64, metres.
    triangles : (T, 3) int64; one whose last two corners are one vertex is a line.
    order : (T,) int64; triangles by leaf.
    box : (N, 6) float64 lowest and highest corner of each node. first, count, right : (N,) int64; ``right`` is below 0
        in a leaf, which holds ``order[first : first + count]``; the left child is the next node.
    """

    positions: np.ndarray
    triangles: np.ndarray
    order: np.ndarray
    box: np.ndarray
    first: np.ndarray
    count: np.ndarray
    right: np.ndarray


def box_tree(positions: np.ndarray, triangles: np.ndarray) -> BoxTree:
    """The tree of (V, 3) positions, metres, and (T, 3) integer triangles, T > 0."""
    p = np.ascontiguousarray(positions, np.float64)
    corners = p[triangles]
    boxes = np.concatenate([corners.min(axis=1), corners.max(axis=1)], axis=1)
    total = len(triangles)
    order = np.arange(total, dtype=np.int64)
    nodes = 2 * total + 1
    box = np.empty((nodes, 6))
    first, count, right = np.zeros(nodes, np.int64), np.zeros(nodes, np.int64), np.full(nodes, -1, np.int64)
    _build(boxes, corners.mean(axis=1), order, box, first, count, right)
    return BoxTree(p, np.ascontiguousarray(triangles, np.int64), order, box, first, count, right)
