"""What the pictures of the guide are made on: a box, and a turned figure."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy

from limus.surface.mesh import Mesh, Part

#: Height of both, m.
TALL = 0.42
#: (share of the height, radius as a share of it) of the figure from its foot to its head, and how finely it is turned.
_PROFILE = [
    (0.0, 0.30), (0.05, 0.30), (0.06, 0.26), (0.10, 0.25), (0.13, 0.17), (0.20, 0.15), (0.32, 0.24), (0.42, 0.27),
    (0.52, 0.24), (0.64, 0.14), (0.70, 0.12), (0.73, 0.17), (0.76, 0.17), (0.79, 0.12), (0.84, 0.17), (0.90, 0.19),
    (0.96, 0.15), (0.99, 0.07), (1.0, 0.0),
]  # fmt: skip
_AROUND, _ALONG = 96, 128


def _box() -> Mesh:
    """A box with a flat face and an island for each side; a face of the picture has room around it."""
    half = np.array([0.33, 0.5, 0.25]) * TALL
    points, normals, uv, triangles = [], [], [], []
    for k, (axis, sign) in enumerate((a, s) for a in range(3) for s in (1.0, -1.0)):
        a, b = (axis + 1) % 3, (axis + 2) % 3
        ring = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)]
        corners = np.zeros((4, 3))
        corners[:, axis] = sign
        corners[:, [a, b]] = ring if sign > 0 else ring[::-1]
        points.append(corners * half + [0.0, half[1], 0.0])
        normals.append(np.tile(np.eye(3)[axis] * sign, (4, 1)))
        # All sides at one scale: the longest takes its whole cell.
        wide, tall = half[a] / half.max() * 0.46, half[b] / half.max() * 0.46
        middle = np.array([(k % 3 + 0.5) / 3.0, (k // 3 + 0.5) / 2.0])
        uv.append(middle + np.array([(-wide, tall), (wide, tall), (wide, -tall), (-wide, -tall)]) * [1 / 3, 1 / 3])
        triangles += [[4 * k, 4 * k + 1, 4 * k + 2], [4 * k, 4 * k + 2, 4 * k + 3]]
    return Mesh(
        np.concatenate(points).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        np.array(triangles, np.int32),
        np.concatenate(uv).astype(np.float32),
        parts=(Part("box", 0, len(triangles), 0),),
        source="guide box",
    )


def _figure() -> Mesh:
    """A turned figure: a foot, a belly, a neck with a collar, a head. Smooth, in one island."""
    along = np.linspace(0.0, 1.0, _ALONG)
    heights, radii = np.array(_PROFILE).T
    # By the length of the outline, so that rows are even.
    length = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(heights), np.diff(radii)))])
    t = along * length[-1]
    y, r = (scipy.interpolate.PchipInterpolator(length, values)(t) * TALL for values in (heights, radii))
    angle = np.linspace(0.0, 2.0 * np.pi, _AROUND + 1)
    points = np.stack(np.broadcast_arrays(np.sin(angle) * r[:, None], y[:, None], np.cos(angle) * r[:, None]), axis=2)
    slope_y, slope_r = np.gradient(y), np.gradient(r)
    out = np.stack(
        np.broadcast_arrays(np.sin(angle) * slope_y[:, None], -slope_r[:, None], np.cos(angle) * slope_y[:, None]),
        axis=2,
    )
    normals = out / np.maximum(np.linalg.norm(out, axis=2, keepdims=True), 1e-12)
    u, v = np.meshgrid(np.linspace(0.01, 0.99, _AROUND + 1), np.linspace(0.99, 0.01, _ALONG))
    number = np.arange(_ALONG * (_AROUND + 1)).reshape(_ALONG, _AROUND + 1)
    a, b, c, d = (n.ravel() for n in (number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]))
    # At the tip one side of each quad has no length.
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    p = points.reshape(-1, 3)
    area = np.linalg.norm(
        np.cross(p[triangles[:, 1]] - p[triangles[:, 0]], p[triangles[:, 2]] - p[triangles[:, 0]]), axis=1
    )
    triangles = triangles[area > 1e-12]
    return Mesh(
        p.astype(np.float32),
        normals.reshape(-1, 3).astype(np.float32),
        triangles.astype(np.int32),
        np.stack([u, v], axis=2).reshape(-1, 2).astype(np.float32),
        parts=(Part("figure", 0, len(triangles), 0),),
        source="guide figure",
    )


@lru_cache(maxsize=2)
def body(name: str) -> Mesh:
    """ "box" or "figure", standing on the ground, ``TALL`` high."""
    return _box() if name == "box" else _figure()
