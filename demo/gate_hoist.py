"""The gate hoist of Kestrel Weir: a hand-worked lifting gear on a cast pedestal, about a metre tall.

Pedestal with ribs and foundation bolts, a gear drum with a bolted cover, a hand wheel on a cross shaft, the riser pipe
that hides the lifting screw, and a brass number plate.
"""

from __future__ import annotations

import numpy as np

from demo.modelling import Model, fillet, frame, rounded_rect, spread
from demo.strokes import GLYPHS
from limus.surface.mesh import Mesh

MM = 0.001


def _mm(points: list[tuple[float, float]], radii: list[float], steps: int = 4) -> np.ndarray:
    return fillet([(a * MM, b * MM) for a, b in points], [r * MM for r in radii], steps)


def _pedestal(model: Model) -> None:
    part = "pedestal"
    ground = frame((0, 0, 0))
    model.turned(
        part,
        rounded_rect(0.36, 0.30, 0.045),
        _mm([(3, 0), (0, 3), (0, 24), (14, 26.5), (56, 26.5)], [0, 2, 5, 3, 0]),
        ground,
        top=False,
    )
    # The column: flares into the foot plate, tapers, flares into its head flange.
    heights = np.concatenate(
        [np.linspace(0, 1, 9) ** 1.6 * 60, np.linspace(75, 420, 12), 460 - np.linspace(1, 0, 7)[1:] ** 1.6 * 30]
    )
    rings = []
    for h in heights:
        t = h / 460
        foot, head = 24 * max(0.0, 1 - h / 60) ** 2.2, 16 * max(0.0, 1 - (460 - h) / 30) ** 2.2
        w, d = 202 - 60 * t + 2 * (foot + head), 166 - 44 * t + 2 * (foot + head)
        outline = rounded_rect(w * MM, d * MM, (36 - 8 * t) * MM)
        rings.append((outline, (26 + h) * MM))
    count = min(len(o) for o, _ in rings)
    loops = []
    for outline, y in rings:
        closed = np.concatenate([outline, outline[:1]])
        arc = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
        s = np.linspace(0, arc[-1], count * 2 + 1)[:-1]
        xy = np.stack([np.interp(s, arc, closed[:, k]) for k in range(2)], axis=1)
        loops.append(np.stack([xy[:, 0], np.full(len(xy), y), -xy[:, 1]], axis=1))
    model.loft(part, loops, ground)
    model.turned(
        part,
        rounded_rect(0.205, 0.176, 0.032),
        _mm([(22, 482), (0, 484), (0, 501), (1.5, 501.5)], [0, 4, 2, 0], 3),
        ground,
        top=False,
    )
    # Ribs stand on the foot plate and run up the column.
    web = fillet([(0, 0), (0.066, 0), (0.066, 0.020), (0.018, 0.235), (0, 0.246)], [0, 0.004, 0.010, 0.012, 0.0], 4)
    web = spread(web, 0.025)
    thick = _mm([(5, 0), (0, 0.0), (0, 16), (5, 16)], [0, 4.5, 4.5, 0], 3)
    for x, z in ((1, 0), (-1, 0), (0, 1), (0, -1)):
        start = 0.092 if x else 0.074
        out = np.array([x, 0.0, z])
        side = np.cross(out, [0.0, 1.0, 0.0])
        origin = out * start + np.array([0, 0.025, 0]) - side * 0.008
        place = np.eye(4)
        place[:3, 0], place[:3, 1], place[:3, 2], place[:3, 3] = out, side, np.cross(out, side), origin
        # turned() lays outlines in (x, -z'): z' = cross(out, side) points down, so the web stands up.
        model.turned(part, web, thick, place, top=True, bottom=True)


def _foundation_bolts(model: Model) -> None:
    for x in (-0.148, 0.148):
        for z in (-0.118, 0.118):
            model.bolt("foundation bolts", frame((x, 0.0265, z), x=(1, 0, 0.3 * np.sign(x) + z)), 0.030, stud=True)


def _gear_case(model: Model) -> None:
    part = "gear case"
    ground = frame((0, 0, 0))
    model.turned(
        part,
        rounded_rect(0.205, 0.176, 0.032),
        _mm([(2, 503), (0, 504), (0, 518), (6, 521), (30, 523), (34, 560)], [0, 1, 4, 3, 14, 0]),
        ground,
        top=False,
    )
    centre = 0.625
    drum = frame((0, centre, -0.072), x=(1, 0, 0), up=(0, 0, 1))
    profile = _mm(
        [(58, 0), (96, 0), (108, 8), (108, 58), (114, 60), (114, 72), (108, 74), (108, 128), (100, 140), (86, 140)],
        [0, 8, 7, 1.5, 2, 2, 1.5, 5, 4, 0],
        3,
    )
    model.lathe(part, profile, drum, 96)
    # Back face with a shallow dish.
    model.lathe(part, _mm([(40, 6), (52, 6), (58, 0)], [0, 5, 0], 3), drum, 64, bottom=True)
    # Front cover: a bolted disc with a raised rim and a boss.
    cover = frame((0, centre, 0.066), x=(1, 0, 0), up=(0, 0, 1))
    model.lathe(
        "cover",
        _mm([(92, 0), (92, 8), (70, 8), (64, 3), (38, 3), (30, 18), (14, 20), (0.3, 20)], [0, 3, 3, 4, 5, 5, 3, 0], 4),
        cover,
        72,
    )
    for k in range(8):
        a = np.pi / 8 + k * np.pi / 4
        model.bolt(
            "cover bolts",
            frame(
                (0.081 * np.cos(a), centre + 0.081 * np.sin(a), 0.0735),
                x=(np.cos(a + k), np.sin(a + k), 0),
                up=(0, 0, 1),
            ),
            0.0125,
            washer=False,
        )
    for x in (-0.086, 0.086):
        for z in (-0.066, 0.066):
            model.bolt("case bolts", frame((x, 0.5205, z), x=(1, 0, x * 9)), 0.018)
    # Cross shaft boss on the right, blanked off on the left.
    right = frame((0.09, centre - 0.02, 0), x=(0, 0, 1), up=(1, 0, 0))
    model.lathe(
        part,
        _mm(
            [(52, 0), (46, 14), (40, 22), (40, 52), (44, 54), (44, 66), (40, 68), (19, 68)], [0, 8, 6, 2, 3, 3, 2, 0], 3
        ),
        right,
        48,
    )
    left = frame((-0.09, centre - 0.02, 0), x=(0, 0, -1), up=(-1, 0, 0))
    model.lathe(
        part, _mm([(46, 0), (42, 14), (36, 20), (36, 30), (22, 34), (0.3, 34)], [0, 6, 5, 4, 3, 0], 3), left, 40
    )
    # Grease nipple.
    model.lathe(
        "grease nipple",
        _mm([(5, 0), (5, 6), (3.2, 7), (3.2, 12), (4.2, 14), (2.6, 17), (0.3, 17.5)], [0, 1, 0.6, 1, 1, 1, 0], 2),
        frame((0.132, centre + 0.018, 0), up=(0.15, 1, 0), x=(1, -0.15, 0)),
        16,
    )


def _hand_wheel(model: Model) -> None:
    part = "hand wheel"
    y = 0.605
    hub_x = 0.205
    axis = frame((0, y, 0), x=(0, 0, 1), up=(1, 0, 0))
    model.lathe("shaft", _mm([(17, 155), (17, 238), (15, 241), (0.3, 241)], [0, 1, 1, 0], 2), axis, 32)
    model.lathe(
        part,
        _mm([(18, 182), (30, 184), (33, 190), (33, 214), (30, 220), (24, 226), (18, 226)], [0, 4, 4, 5, 4, 3, 0], 3),
        axis,
        40,
    )
    ring = np.arange(128) * 2 * np.pi / 128
    reach = 0.195
    rim = np.stack([np.full(128, hub_x + 0.016), y + reach * np.cos(ring), reach * np.sin(ring)], axis=1)
    model.tube(part, rim, (0.0135, 0.0125), 20, closed=True, side=(1, 0, 0))
    # Five curved spokes, wider at the hub.
    for k in range(5):
        turn = k * 2 * np.pi / 5 + 0.35
        s = np.linspace(0, 1, 15)
        bend = turn + 0.55 * s * (1 - 0.35 * s)
        r = 0.026 + (reach - 0.030) * s
        path = np.stack([hub_x - 0.004 + 0.020 * s**1.4, y + r * np.cos(bend), r * np.sin(bend)], axis=1)
        wide = 0.0075 + 0.0065 * (1 - s) ** 2 + 0.004 * s**6
        model.tube(part, path, np.stack([0.0068 + 0.003 * (1 - s) ** 2, wide], axis=1), 14, side=(1, 0, 0))
    # The turning handle on the rim.
    a = 0.9
    grip = frame((hub_x + 0.016, y + reach * np.cos(a), reach * np.sin(a)), x=(0, 0, 1), up=(1, 0, 0))
    model.lathe(
        "handle",
        _mm(
            [(7, 8), (7, 22), (11, 24), (13, 30), (15, 62), (14.5, 84), (10, 96), (0.3, 98)],
            [0, 1, 2, 4, 20, 10, 6, 0],
            4,
        ),
        grip,
        24,
    )


def _riser(model: Model) -> None:
    part = "riser pipe"
    up = frame((0, 0.725, 0))
    model.lathe(
        "riser flange",
        _mm([(62, -8), (62, 12), (56, 14), (38, 16), (33, 30), (30.5, 34)], [0, 3, 3, 5, 6, 0], 4),
        up,
        56,
    )
    for k in range(4):
        a = np.pi / 4 + k * np.pi / 2
        model.bolt(
            "riser bolts",
            frame((0.049 * np.cos(a), 0.7385, 0.049 * np.sin(a)), x=(np.cos(a + k), 0, np.sin(a + k))),
            0.0135,
            washer=False,
        )
    model.lathe(part, np.stack([np.full(9, 0.0275), np.linspace(0.030, 0.262, 9)], axis=1), up, 40)
    model.lathe(
        "riser cap",
        _mm(
            [(28, 250), (34, 251), (35, 254), (35, 278), (30, 287), (16, 294), (9, 295), (8, 304), (0.3, 306)],
            [0, 1.5, 2, 6, 8, 4, 2, 4, 0],
            4,
        ),
        up,
        40,
    )
    # A sight band half way up, with a clamp screw.
    model.lathe("riser band", _mm([(27, 120), (31.5, 121), (31.5, 143), (27, 144)], [0, 2, 2, 0], 3), up, 40)
    model.bolt("riser bolts", frame((0, 0.857, 0.031), x=(1, 0.2, 0), up=(0, 0, 1)), 0.011, washer=False)


_SEGMENTS = {
    "3": [
        [(0, 1), (0.55, 1), (1, 0.86), (1, 0.66), (0.6, 0.53), (0.35, 0.52)],
        [(0.6, 0.53), (1, 0.38), (1, 0.14), (0.55, 0), (0, 0.02)],
    ]
}


def _number_plate(model: Model) -> None:
    part = "number plate"
    lean = np.arctan2(22, 460)
    up = np.array([0, np.sin(lean), np.cos(lean)])
    place = frame((0, 0.365, 0.0695), x=(1, 0, 0), up=tuple(up))
    rim = rounded_rect(0.100, 0.068, 0.009, 5)
    model.turned(
        part, rim, _mm([(0, -3), (0, 3.2), (4.2, 3.2), (5.2, 2.2), (9, 2.2)], [0, 1, 0.8, 0.5, 0], 3), place, top=True
    )
    for x in (-0.0435, 0.0435):
        for z in (-0.0275, 0.0275):
            spot = place.copy()
            spot[:3, 3] = place[:3, 3] + place[:3, 0] * x + place[:3, 2] * z + up * 0.0030
            model.lathe(
                "plate screws", _mm([(3.4, -0.4), (3.3, 0.8), (2.0, 1.8), (0.3, 2.1)], [0, 0.5, 0.9, 0], 2), spot, 16
            )
    for stroke in _SEGMENTS["3"]:
        bend = fillet(
            [(p[0] * 0.018 - 0.009, p[1] * 0.036 - 0.018) for p in stroke], [0] + [0.006] * (len(stroke) - 2) + [0], 4
        )
        flat = np.stack([bend[:, 0], np.full(len(bend), 0.0021), -bend[:, 1]], axis=1)
        path = flat @ place[:3, :3].T + place[:3, 3]
        model.tube(part, path, (0.0022, 0.0032), 10, side=tuple(up))


def _lettering(model: Model) -> None:
    """What only the high-poly twin has: raised letters around the cover and the seams that casting left."""
    centre, radius, high = np.array([0.0, 0.625, 0.0690]), 0.0435, 0.0135
    for text, start, way in (("KESTREL", 2.62, -1.0), ("WEIR", 3.94, 1.0)):
        for k, sign in enumerate(text):
            angle = start + way * k * 0.27
            across = np.array([np.sin(angle), -np.cos(angle), 0.0]) * (1.0 if way < 0 else -1.0)
            out = np.array([np.cos(angle), np.sin(angle), 0.0])
            up = out if way < 0 else -out
            foot = centre + out * (radius if way < 0 else radius + high)
            for line in GLYPHS[sign]:
                bend = fillet(
                    [(x * high - 0.3 * high, y * high) for x, y in line], [0] + [0.0012] * (len(line) - 2) + [0], 3
                )
                path = foot + bend[:, :1] * across + bend[:, 1:] * up
                model.tube("cover", path, (0.0017, 0.0012), 12, side=(0, 0, 1))
    ring = np.arange(160) * 2 * np.pi / 160
    for depth in (-0.034, 0.026):
        seam = np.stack([0.1082 * np.cos(ring), 0.625 + 0.1082 * np.sin(ring), np.full(160, depth)], axis=1)
        model.tube("gear case", seam, (0.0009, 0.0013), 10, closed=True, side=(0, 0, 1))


def build(*, twin: bool = False) -> Mesh:
    """The hoist as a Mesh: metres, y up, standing on y = 0, one map set called "hoist". ``twin``: its high-poly
    twin.
    """
    model = Model()
    _pedestal(model)
    _foundation_bolts(model)
    _gear_case(model)
    _hand_wheel(model)
    _riser(model)
    _number_plate(model)
    if twin:
        _lettering(model)
    return model.mesh("gate-hoist-high.glb" if twin else "gate-hoist.glb", "hoist")
