"""The plainest UVs there are: a chart for each triangle, in its true shape, packed on shelves."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel


@kernel
def _shelves(order, wide, tall, gap, width, place):  # type: ignore[no-untyped-def]
    """Lower left corners of boxes laid side by side, row upon row; the height of all."""
    x, y, row = gap, gap, 0.0
    for k in order:
        if x + wide[k] + gap > width and x > gap:
            x, y, row = gap, y + row + gap, 0.0
        place[k, 0], place[k, 1] = x, y
        x += wide[k] + gap
        row = max(row, tall[k])
    return y + row + gap


def face_charts(positions: np.ndarray, triangles: np.ndarray, packed_for: int = 1024, gap: int = 4) -> np.ndarray:
    """(T, 3, 2) float64 UVs 0..1 of the corners of (T, 3) triangles over (V, 3) positions, v upwards; texels are
    square and of one size.

    ``gap`` texels lie between charts at ``packed_for``, less where there are so many that they would leave no room.
    """
    p = positions.astype(np.float64)[triangles]
    edges = np.roll(p, -1, axis=1) - p
    length = np.linalg.norm(edges, axis=2)
    # The longest edge lies along u.
    longest = length.argmax(axis=1)
    turned = (longest[:, None] + np.arange(3)) % 3
    rows = np.arange(len(p))[:, None]
    q = p[rows, turned]
    base = q[:, 1] - q[:, 0]
    wide = np.linalg.norm(base, axis=1)
    along = base / np.maximum(wide, 1e-300)[:, None]
    to_tip = q[:, 2] - q[:, 0]
    foot = np.einsum("ij,ij->i", to_tip, along)
    tall = np.sqrt(np.maximum(np.einsum("ij,ij->i", to_tip, to_tip) - foot**2, 0.0))
    area = float((wide * tall).sum())
    side = np.sqrt(max(area, 1e-300)) * 1.05
    room = min(gap / packed_for, 0.25 / np.sqrt(len(p))) * side
    width = max(side + room * np.sqrt(len(p)), float(wide.max(initial=0.0)) + 2 * room)
    place = np.zeros((len(p), 2))
    height = _shelves(np.argsort(-tall, kind="stable"), wide, tall, room, width, place)
    corners = np.zeros((len(p), 3, 2))
    corners[:, 1, 0], corners[:, 2, 0], corners[:, 2, 1] = wide, foot, tall
    corners += place[:, None, :]
    out = np.empty_like(corners)
    out[rows, turned] = corners
    return np.clip(out / max(width, height), 0.0, 1.0)
