"""Where texels lie on the surface, and how it stands there."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.surface.mesh import Mesh


@inlined
def _shares(pixel, size, u0, v0, u1, v1, u2, v2):  # type: ignore[no-untyped-def]
    """Barycentric shares of the second and the third corner at the middle of a pixel, kept within the triangle."""
    qx = (pixel % size + 0.5) / size - u0
    qy = ((pixel % (size * size)) // size + 0.5) / size - v0
    d1x, d1y, d2x, d2y = u1 - u0, v1 - v0, u2 - u0, v2 - v0
    det = d1x * d2y - d2x * d1y
    b1 = min(max((qx * d2y - d2x * qy) / det, 0.0), 1.0)
    return b1, min(max((d1x * qy - qx * d1y) / det, 0.0), 1.0 - b1)


@kernel
def _frames(  # type: ignore[no-untyped-def]
    start, end, pixel, triangle, size, uv, triangles, positions, normals, faces, out_p, out_n
):
    for i in range(start, end):
        t = triangle[i]
        i0, i1, i2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        b1, b2 = _shares(pixel[i], size, uv[i0, 0], uv[i0, 1], uv[i1, 0], uv[i1, 1], uv[i2, 0], uv[i2, 1])
        b0 = 1.0 - b1 - b2
        length = 0.0
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


@kernel
def _tangents(start, end, pixel, triangle, size, uv, normal, tangents, hand, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        t = triangle[i]
        b1, b2 = _shares(pixel[i], size, uv[t, 0, 0], uv[t, 0, 1], uv[t, 1, 0], uv[t, 1, 1], uv[t, 2, 0], uv[t, 2, 1])
        b0 = 1.0 - b1 - b2
        dot = 0.0
        for k in range(3):
            out[i, k] = b0 * tangents[t, 0, k] + b1 * tangents[t, 1, k] + b2 * tangents[t, 2, k]
            dot += out[i, k] * normal[i, k]
        length = 0.0
        for k in range(3):
            out[i, k] -= dot * normal[i, k]
            length += out[i, k] * out[i, k]
        length = max(length, 1e-20) ** 0.5
        for k in range(3):
            out[i, k] /= length
        out[i, 3] = hand[t]


def texel_frames(
    mesh: Mesh,
    size: int,
    pixel: np.ndarray,
    triangle: np.ndarray,
    uv: np.ndarray,
    corners: np.ndarray,
    positions: np.ndarray,
    normals: np.ndarray,
) -> tuple[np.ndarray, np.ndarray]:
    """Position (n, 3) float32 m and normal (n, 3) float32 unit of the texels whose places in the pictures are
    ``pixel`` (n,) and whose triangles are ``triangle`` (n,).

    ``corners`` (T, 3) are rows of ``uv`` (V, 2) float64 in 0..1, ``positions`` and ``normals`` (V, 3).
    """
    count = len(pixel)
    p, n = np.empty((count, 3), np.float32), np.empty((count, 3), np.float32)
    for_ranges(_frames, count, pixel, triangle, size, uv, corners, positions, normals, mesh.face_normals, p, n)
    return p, n


def texel_tangents(
    size: int,
    pixel: np.ndarray,
    triangle: np.ndarray,
    uv: np.ndarray,
    normal: np.ndarray,
    tangents: np.ndarray,
    hand: np.ndarray,
) -> np.ndarray:
    """(n, 4) float32: the tangents of the texels, at right angles to ``normal`` (n, 3), with their handedness; ``uv``
    (T, 3, 2) float64, ``tangents`` (T, 3, 3) and ``hand`` (T,) those of the corners of each triangle.
    """
    out = np.empty((len(pixel), 4), np.float32)
    for_ranges(_tangents, len(pixel), pixel, triangle, size, uv, normal, tangents, hand, out)
    return out
