"""A piece of the gatehouse roof: slates laid in courses on battens, with a verge board on either side; about 1.3 m
wide.
"""

from __future__ import annotations

import numpy as np

from demo.modelling import Array, Model, fillet, frame, rounded_rect
from limus.surface.mesh import Mesh

MM = 0.001
PITCH = np.radians(36.0)
COURSES, COLUMNS = 6, 5
WIDE, LONG, SHOWN = 0.222, 0.300, 0.128


def _profile(points: list[tuple[float, float]], radii: list[float], steps: int = 2) -> Array:
    return fillet([(a * MM, b * MM) for a, b in points], [r * MM for r in radii], steps)


def _slate(random: np.random.Generator, wide: float, broken: bool) -> Array:
    """Outline of one slate, lower edge at -LONG / 2: split and dressed by hand, so no edge is quite straight."""
    w, l = wide / 2, LONG / 2
    corners = [(-w, -l), (w, -l), (w, l), (-w, l)]
    if broken:
        corners = [
            (-w, -l),
            (w * 0.25, -l * 0.97),
            (w * 0.55, -l * 0.80),
            (w * 0.93, -l * 0.66),
            (w, -l * 0.62),
            (w, l),
            (-w, l),
        ]
    out: list[Array] = []
    for k, here in enumerate(corners):
        a, b = np.array(here), np.array(corners[(k + 1) % len(corners)])
        pieces = max(1, round(float(np.linalg.norm(b - a)) / 0.026))
        along = (b - a) / np.linalg.norm(b - a)
        across = np.array([along[1], -along[0]])
        for s in range(pieces):
            # The lower edge shows: it was dressed more roughly.
            rough = 0.0022 if k == 0 else 0.0009
            shift = 0.0 if s == 0 else float(random.normal(0, rough))
            out.append(a + (b - a) * s / pieces + across * np.clip(shift, -2.2 * rough, 2.2 * rough))
    return np.array(out)


def build() -> Mesh:
    """The panel: metres, y up, its lower edge near y = 0 and facing +z; one map set called "roof"."""
    random = np.random.default_rng(11)
    model = Model()
    x_axis, up = (1.0, 0.0, 0.0), (0.0, float(np.cos(PITCH)), float(np.sin(PITCH)))
    slope = np.array([0.0, np.sin(PITCH), -np.cos(PITCH)])
    out = np.array(up)
    for row in range(COURSES + 2):
        at = slope * (0.10 + (row - 0.5) * SHOWN) - out * 0.016
        model.turned(
            "battens", rounded_rect(1.24, 0.048, 0.003, 2), _profile([(1, -12), (0, -11), (0, 11), (1, 12)], [0, 0.8,
                0.8, 0]),
            frame(tuple(at), x=x_axis, up=up), bottom=True,
        )  # fmt: skip
    for side in (-1, 1):
        at = np.array([side * 0.628, 0.0, 0.0]) + slope * 0.50 - out * 0.010
        model.turned(
            "verge boards", rounded_rect(0.026, 1.02, 0.003, 2), _profile([(1, -34), (0, -33), (0, 29), (1, 30)], [0,
                0.8, 0.8, 0]),
            frame(tuple(at), x=x_axis, up=up), bottom=True,
        )  # fmt: skip
    slipped = {(2, 3), (4, 1)}
    broken = {(1, 2), (3, 4)}
    for row in range(COURSES):
        half = row % 2
        for column in range(COLUMNS + half):
            wide = WIDE - 0.004
            x = (column - (COLUMNS - 1 + half) / 2) * (WIDE + 0.003)
            # Bonded courses: at the verge every second course has a half slate.
            if half and column in (0, COLUMNS):
                wide = WIDE / 2 - 0.004
                x += (WIDE / 4 + 0.001) * (1 if column == 0 else -1)
            lift = float(random.normal(0, 0.0004))
            turn = float(random.normal(0, 0.006))
            down = float(random.normal(0, 0.0015))
            if (row, column) in slipped:
                turn, down = turn + 0.06, down - 0.022
            # Each course lies on the one below: three thicknesses deep at its tail.
            lean = 0.042
            tilt = np.array([0.0, np.cos(PITCH - lean), np.sin(PITCH - lean)])
            x_turned = np.array([np.cos(turn), 0.0, 0.0]) + slope * np.sin(turn)
            x_turned -= tilt * (x_turned @ tilt)
            at = np.array([x, 0.0, 0.0]) + slope * (LONG / 2 + row * SHOWN + down) + out * (0.0095 + lift)
            thick = 5.2 + float(random.normal(0, 0.5))
            model.turned(
                "slates", _slate(random, wide, (row, column) in broken),
                _profile([(1.2, 0), (0, 0.9), (0, thick - 1.4), (1.8, thick)], [0, 0.4, 0.7, 0]),
                frame(tuple(at), x=tuple(x_turned), up=tuple(tilt)), bottom=True,
            )  # fmt: skip
    model.charts = [_lifted(chart) for chart in model.charts]
    return model.mesh("slate-panel.glb", "roof")


def _lifted(chart):  # type: ignore[no-untyped-def]
    from dataclasses import replace

    return replace(chart, points=chart.points + np.array([0.0, 0.03, 0.40]))
