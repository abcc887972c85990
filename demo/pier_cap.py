"""The cap of a pier at Kestrel Weir: a cast concrete block with chamfers, a drain slot across its worn top, and an iron ring; 1.1 m wide."""

from __future__ import annotations

import numpy as np

from demo.modelling import Array, Model, fillet, frame, rounded_rect
from limus.surface.mesh import Mesh

MM = 0.001
WIDE, DEEP, SLOT, FLOOR, TOP = 1.10, 0.72, 0.055, 0.205, 0.262


def _profile(points: list[tuple[float, float]], radii: list[float], steps: int = 3) -> Array:
    return fillet([(a * MM, b * MM) for a, b in points], [r * MM for r in radii], steps)


def _worn_top(model: Model, x: float, wide: float) -> None:
    """The top of one half: a grid that feet and weather have dished, so that water stands in its middle."""
    columns, rows = 25, 33
    u, v = np.meshgrid(np.linspace(-1, 1, columns), np.linspace(-1, 1, rows))
    inside = (1 - u**2) * (1 - v**2)
    dish = 0.0075 * inside**0.8 * (1 + 0.35 * np.sin(2.1 * u + 1.3 * v + x))
    points = np.stack([x + u * (wide / 2 - 0.024), np.full_like(u, TOP) - dish, v * (DEEP / 2 - 0.024)], axis=2)
    model.grid("cap", points, flip=True)


def build() -> Mesh:
    """The cap: metres, y up, standing on y = 0; one map set called "pier"."""
    model = Model(longest=0.6)
    ground = frame((0, 0, 0))
    # A foot that the pier carries, with a drip under its edge.
    model.turned(
        "cap", rounded_rect(WIDE, DEEP, 0.032, 6),
        _profile([(28, 0), (26, 2), (26, 34), (4, 46), (0, 52), (0, FLOOR / MM), (3, FLOOR / MM)], [0, 1, 4, 4, 3, 0, 0]), ground, bottom=True,
    )  # fmt: skip
    half = (WIDE - SLOT) / 2
    for side in (-1, 1):
        x = side * (SLOT + half) / 2
        model.turned(
            "cap", rounded_rect(half, DEEP, 0.032, 6),
            _profile([(9, FLOOR / MM - 14), (9, FLOOR / MM + 1), (0, FLOOR / MM + 9), (0, TOP / MM - 24), (3, TOP / MM - 21), (21, TOP / MM - 3), (24, TOP / MM)], [0, 1, 3, 3, 3, 3, 0]),
            frame((x, 0, 0)), top=False,
        )  # fmt: skip
        _worn_top(model, x, half)
    # A ring to moor by, in an eye on a plate that is bolted to the front.
    z = DEEP / 2
    model.turned(
        "plate", rounded_rect(0.13, 0.11, 0.012, 4), _profile([(0, -2), (0, 8), (2, 10)], [0, 2, 0]), frame((0.0, 0.150, z), x=(1, 0, 0), up=(0, 0, 1)), bottom=False
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
