"""The gauge board of Kestrel Weir: an enamelled steel board with raised marks and figures, on a steel post, about 1.6
m tall.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from demo.modelling import Array, Model, fillet, frame, rounded_rect
from demo.strokes import GLYPHS
from limus.surface.mesh import Mesh

MM = 0.001


def _profile(points: list[tuple[float, float]], radii: list[float], steps: int = 3) -> Array:
    return fillet([(a * MM, b * MM) for a, b in points], [r * MM for r in radii], steps)


def _facing(x: float, y: float, z: float) -> Array:
    """Outlines stand upright and face +z."""
    return frame((x, y, z), x=(1, 0, 0), up=(0, 0, 1))


def _figure(model: Model, text: str, x: float, y: float, high: float, z: float) -> None:
    for k, sign in enumerate(text):
        for line in GLYPHS[sign]:
            bend = [(0.0, 0.0)] * 0 + [(p[0] * high, p[1] * high) for p in line]
            flat = fillet(bend, [0] + [high * 0.14] * (len(bend) - 2) + [0], 3)
            path = np.stack([x + k * high * 0.72 + flat[:, 0], y + flat[:, 1], np.full(len(flat), z)], axis=1)
            model.tube("figures", path, (0.0012, high * 0.075), 10, side=(0, 0, 1))


def build(*, newer: bool = False) -> Mesh:
    """The board: metres, y up, standing on y = 0. Vertex colours: red rises below the flood mark, green is the side
    away from the sun.

    ``newer``: a later version of the same model, with finer rounding, other UVs, and the post under another name.
    """
    model = Model()
    fine = 5 if newer else 3
    post = "steel post" if newer else "post"
    ground = frame((0, 0, 0))
    model.turned(
        "foot",
        rounded_rect(0.22, 0.20, 0.02),
        _profile([(2, 0), (0, 2), (0, 14), (2, 16)], [0, 1, 1, 0], fine),
        ground,
        bottom=True,
    )
    for x in (-0.08, 0.08):
        for z in (-0.07, 0.07):
            model.bolt("foot bolts", frame((x, 0.016, z), x=(1, 0, x * 5)), 0.024, stud=True)
    heights = [(0.0, 15.0), *((0.0, float(h)) for h in np.linspace(80, 1560, 12)), (0.0, 1594.0), (4.0, 1598.0)]
    model.turned(
        post,
        rounded_rect(0.062, 0.062, 0.008, 4),
        _profile(heights, [0] + [0] * 12 + [3, 0], fine),
        frame((0, 0, -0.020)),
    )
    for y in (0.45, 1.30):
        model.turned(
            "bearers", rounded_rect(0.24, 0.05, 0.004, 3), _profile([(1, -10), (0, -9), (0, 9), (1, 10)], [0, 0.8,
                0.8, 0], fine),
            _facing(0, y, 0.020), bottom=True,
        )  # fmt: skip
    board = _profile([(6, -2), (1.5, -2), (0, 0), (0, 9), (2.5, 12), (9, 12.6)], [0, 1, 2, 3, 3, 0], fine)
    model.turned("board", rounded_rect(0.28, 1.20, 0.022, 8), board, _facing(0, 0.90, 0.032), top=True, bottom=True)
    face = 0.0446
    for k in range(23):
        y = 0.36 + k * 0.05
        long = k % 2 == 0
        model.turned(
            "marks", rounded_rect(0.085 if long else 0.048, 0.012, 0.002, 2), _profile([(0, -0.6), (0, 0.7), (0.6,
                1.1)], [0, 0.4, 0], 2),
            _facing(-0.085 + (0.0 if long else -0.0185), y, face),
        )  # fmt: skip
        if long:
            _figure(model, str(k // 2), -0.022 if k // 2 < 10 else -0.03, y - 0.026, 0.062, face)
    for x in (-0.115, 0.115):
        for y in (0.45, 1.30):
            model.bolt("board bolts", _facing(x, y, 0.0440), 0.016)
    mesh = model.mesh(
        "gauge-board-newer.glb" if newer else "gauge-board.glb", "board", gutter=0.006 if newer else 0.004
    )
    p = mesh.positions.astype(np.float64)
    flood = 0.62 + 0.035 * np.sin(p[:, 0] * 17.0) + 0.02 * np.sin(p[:, 0] * 41.0 + 1.0)
    mud = np.clip((flood - p[:, 1]) / 0.12, 0.0, 1.0)
    shade = np.clip(-mesh.normals[:, 2], 0.0, 1.0)
    colours = np.stack([mud, shade, np.zeros_like(mud), np.ones_like(mud)], axis=1).astype(np.float32)
    return replace(mesh, colours=colours)
