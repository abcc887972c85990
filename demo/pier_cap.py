"""The cap of a pier at Kestrel Weir: a cast concrete block with chamfers, a drain slot across its worn top, and an
iron ring; 1.1 m wide.
"""

from __future__ import annotations

import numpy as np

from demo.modelling import Array, Model, fillet, frame, inset, rounded_rect, spread
from limus.surface.mesh import Mesh

MM = 0.001
WIDE, DEEP, SLOT, FLOOR, TOP = 1.10, 0.72, 0.055, 0.205, 0.262


def _profile(points: list[tuple[float, float]], radii: list[float], steps: int = 3) -> Array:
    return fillet([(a * MM, b * MM) for a, b in points], [r * MM for r in radii], steps)


def _worn_top(model: Model, x: float, rim: Array) -> None:
    """The top of one half within its (m, 2) rim, which feet and weather have dished, so that water stands in its
    middle.
    """
    # Four sides from corner to corner: the grid between them shares every vertex of the rim, or relief would tear it
    # off the sides.
    corners = [int(np.argmax(rim @ way)) for way in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    count = len(rim)
    front, right, back, left = (
        rim[np.arange(a, a + (b - a) % count + 1) % count]
        for a, b in zip(corners, [*corners[1:], corners[0]], strict=True)
    )
    back, left = back[::-1], left[::-1]
    u = np.linspace(0, 1, len(front))[None, :, None]
    v = np.linspace(0, 1, len(right))[:, None, None]
    # S. Coons, "Surfaces for computer-aided design of space forms", 1967: a patch between four curves.
    ruled = front[None] * (1 - v) + back[None] * v + left[:, None] * (1 - u) + right[:, None] * u
    flat = ruled - front[0] * (1 - u) * (1 - v) - front[-1] * u * (1 - v) - back[0] * (1 - u) * v - back[-1] * u * v
    across, along = (2 * flat[..., k] / np.ptp(rim[:, k]) for k in (0, 1))
    inside = np.clip((1 - across**2) * (1 - along**2), 0, 1)
    dish = 0.0075 * inside**0.8 * (1 + 0.35 * np.sin(2.1 * across - 1.3 * along + x))
    dish[[0, -1]] = dish[:, [0, -1]] = 0
    points = np.stack([x + flat[..., 0], TOP - dish, -flat[..., 1]], axis=2)
    model.grid("cap", points, uv=flat - flat.reshape(-1, 2).min(axis=0))


def build() -> Mesh:
    """The cap: metres, y up, standing on y = 0; one map set called "pier"."""
    model = Model(longest=0.6)
    ground = frame((0, 0, 0))
    # A foot that the pier carries, with a drip under its edge.
    model.turned(
        "cap", rounded_rect(WIDE, DEEP, 0.032, 6),
        _profile([(28, 0), (26, 2), (26, 34), (4, 46), (0, 52), (0, FLOOR / MM), (3, FLOOR / MM)], [0, 1, 4, 4, 3, 0,
            0]), ground, bottom=True,
    )  # fmt: skip
    half = (WIDE - SLOT) / 2
    for side in (-1, 1):
        x = side * (SLOT + half) / 2
        outline = spread(rounded_rect(half, DEEP, 0.032, 6), 0.022)
        model.turned(
            "cap", outline,
            _profile([(9, FLOOR / MM - 14), (9, FLOOR / MM + 1), (0, FLOOR / MM + 9), (0, TOP / MM - 24), (3,
                TOP / MM - 21), (21, TOP / MM - 3), (24, TOP / MM)], [0, 1, 3, 3, 3, 3, 0]),
            frame((x, 0, 0)), top=False,
        )  # fmt: skip
        _worn_top(model, x, inset(outline, 0.024))
    # A ring to moor by, in an eye on a plate that is bolted to the front.
    z = DEEP / 2
    model.turned(
        "plate", rounded_rect(0.13, 0.11, 0.012, 4), _profile([(0, -2), (0, 8), (2, 10)], [0, 2, 0]), frame((0.0,
            0.150, z), x=(1, 0, 0), up=(0, 0, 1)), bottom=False
    )  # fmt: skip
    for bx in (-0.045, 0.045):
        for by in (-0.034, 0.034):
            model.bolt("bolts", frame((bx, 0.150 + by, z + 0.010), x=(1, 0, 0), up=(0, 0, 1)), 0.018)
    turn = np.linspace(0, np.pi, 19)
    eye = np.stack([np.zeros_like(turn), 0.150 + 0.022 * np.cos(turn), z + 0.006 + 0.040 * np.sin(turn)], axis=1)
    model.tube("ring", eye, (0.009, 0.009), 14, side=(1, 0, 0))
    angle = np.linspace(0, 2 * np.pi, 49)[:-1]
    lean = 0.16
    ring = np.stack(
        [
            0.068 * np.sin(angle),
            0.150 - 0.055 + 0.068 * np.cos(angle),
            z + 0.034 + lean * 0.068 * (1 - np.cos(angle)) * 0.5 - 0.004,
        ],
        axis=1,
    )
    model.tube("ring", ring, (0.0095, 0.0095), 16, closed=True, side=(0, 0, 1))
    return model.mesh("pier-cap.glb", "pier")
