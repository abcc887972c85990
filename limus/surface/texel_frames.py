"""Where texels lie on the surface, and how it stands there."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.mesh import Mesh
from limus.surface.tangents import corner_tangents


@kernel
def _frames(  # type: ignore[no-untyped-def]
    start, end, pixel, triangle, size, uv, triangles, positions, normals, faces, tangents, hand, out_p, out_n, out_t
):
    page_size = size * size
    for i in range(start, end):
        t = triangle[i]
        i0, i1, i2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        qx = (pixel[i] % size + 0.5) / size - uv[i0, 0]
        qy = ((pixel[i] % page_size) // size + 0.5) / size - uv[i0, 1]
        d1x, d1y = uv[i1, 0] - uv[i0, 0], uv[i1, 1] - uv[i0, 1]
        d2x, d2y = uv[i2, 0] - uv[i0, 0], uv[i2, 1] - uv[i0, 1]
        det = d1x * d2y - d2x * d1y
        b1 = min(max((qx * d2y - d2x * qy) / det, 0.0), 1.0)
        b2 = min(max((d1x * qy - qx * d1y) / det, 0.0), 1.0 - b1)
        b0 = 1.0 - b1 - b2
        length = 0.0
        dot = 0.0
        for k in range(3):
            out_p[i, k] = b0 * positions[i0, k] + b1 * positions[i1, k] + b2 * positions[i2, k]
            n = b0 * normals[i0, k] + b1 * normals[i1, k] + b2 * normals[i2, k]
            out_n[i, k] = n
            length += n * n
        if length < 1e-12:
            for k in range(3):
                out_n[i, k] = faces[t, k]
            length = 1.0
        length = length**0.5
        for k in range(3):
            out_n[i, k] /= length
            out_t[i, k] = b0 * tangents[t, 0, k] + b1 * tangents[t, 1, k] + b2 * tangents[t, 2, k]
            dot += out_t[i, k] * out_n[i, k]
        length = 0.0
        for k in range(3):
            out_t[i, k] -= dot * out_n[i, k]
            length += out_t[i, k] * out_t[i, k]
        length = max(length, 1e-20) ** 0.5
        for k in range(3):
            out_t[i, k] /= length
        out_t[i, 3] = hand[t]


def texel_frames(
    mesh: Mesh,
    size: int,
    pixel: np.ndarray,
    triangle: np.ndarray,
    uv: np.ndarray,
    corners: np.ndarray,
    positions: np.ndarray,
    normals: np.ndarray,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Position (n, 3) float32 m, normal (n, 3) float32 unit and tangent (n, 4) float32 with its handedness, of the
    texels whose places in the pictures are ``pixel`` (n,) and whose triangles are ``triangle`` (n,).

    ``corners`` (T, 3) are rows of ``uv`` (V, 2) float64 in 0..1, ``positions`` and ``normals`` (V, 3).
    """
    count = len(pixel)
    p, n, t = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32), np.empty((count, 4), np.float32)
    tangents, hand = corner_tangents(mesh)
    for_ranges(
        _frames, count, pixel, triangle, size, uv, corners, positions, normals, mesh.face_normals, tangents, hand,
        p, n, t,
    )  # fmt: skip
    return p, n, t
