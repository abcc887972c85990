"""From relief in millimetres to normals, by the real size of a texel."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.texels import Texels


@kernel
def steps_of(near, i, k):  # type: ignore[no-untyped-def]
    """What half a difference of two neighbours is to be multiplied by: at the border of an open sheet one of them is
    the texel itself.
    """
    return np.float32(2.0) if near[i, k] == i or near[i, k + 1] == i else np.float32(1.0)


@kernel
def _tilt(start, end, near, triangle, along_u, along_v, normal, tangent, relief, texel_uv, base, out):  # type: ignore[no-untyped-def]
    half = np.float32(0.5 / texel_uv)
    for i in range(start, end):
        t = triangle[i]
        # Relief is in mm, positions in m.
        hu = (relief[near[i, 1]] - relief[near[i, 0]]) * half * steps_of(near, i, 0) * np.float32(0.001)
        hv = (relief[near[i, 3]] - relief[near[i, 2]]) * half * steps_of(near, i, 2) * np.float32(0.001)
        guu, guv, gvv = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for k in range(3):
            guu += along_u[t, k] * along_u[t, k]
            guv += along_u[t, k] * along_v[t, k]
            gvv += along_v[t, k] * along_v[t, k]
        det = guu * gvv - guv * guv
        x, y, z = np.float32(0.0), np.float32(0.0), np.float32(1.0)
        if det > 0.0:
            cu = (gvv * hu - guv * hv) / det
            cv = (guu * hv - guv * hu) / det
            bx = normal[i, 1] * tangent[i, 2] - normal[i, 2] * tangent[i, 1]
            by = normal[i, 2] * tangent[i, 0] - normal[i, 0] * tangent[i, 2]
            bz = normal[i, 0] * tangent[i, 1] - normal[i, 1] * tangent[i, 0]
            gx = cu * along_u[t, 0] + cv * along_v[t, 0]
            gy = cu * along_u[t, 1] + cv * along_v[t, 1]
            gz = cu * along_u[t, 2] + cv * along_v[t, 2]
            x = -(gx * tangent[i, 0] + gy * tangent[i, 1] + gz * tangent[i, 2])
            y = -(gx * bx + gy * by + gz * bz) * tangent[i, 3]
            length = np.float32(1.0) / np.sqrt(x * x + y * y + np.float32(1.0))
            x, y, z = x * length, y * length, length
        # Reoriented normal mapping: the detail (x, y, z) turned into the frame of the base normal.
        j = i if len(base) > 1 else 0
        tx, ty, tz = base[j, 0], base[j, 1], base[j, 2] + np.float32(1.0)
        dx, dy, dz = -x, -y, z
        scale = (tx * dx + ty * dy + tz * dz) / max(tz, np.float32(1e-4))
        rx, ry, rz = tx * scale - dx, ty * scale - dy, tz * scale - dz
        length = np.float32(1.0) / max(np.sqrt(rx * rx + ry * ry + rz * rz), np.float32(1e-9))
        out[i, 0], out[i, 1], out[i, 2] = rx * length, ry * length, rz * length


def normal_from_relief(texels: Texels, relief_mm: np.ndarray, base: np.ndarray | None = None) -> np.ndarray:
    """Tangent-space normal of a relief, combined with the base material's own normal.

    Parameters
    ----------
    relief_mm : (n,) float32, mm, positive outward. base : (n, 3) float32 tangent-space unit normals, or None for flat.

    Returns
    -------
    (n, 3) float32 unit vectors; x along the tangent, y along the bitangent (up in the image), z outward.

    Notes
    -----
    The gradient is taken in the metric of the UV mapping, so skewed and stretched islands give the same slope.
    Combination is reoriented normal mapping, Barre-Brisebois and Hill, "Blending in Detail", 2012.
    """
    if base is None:
        base = np.array([[0.0, 0.0, 1.0]], np.float32)
    out = np.empty((len(texels), 3), np.float32)
    extended = texels.extend(np.ascontiguousarray(relief_mm, np.float32))
    for_ranges(
        _tilt, len(texels), texels.stencil, texels.triangle, texels.along_u, texels.along_v,
        texels.normal, texels.tangent, extended, np.float32(1.0 / texels.size), base, out,
    )  # fmt: skip
    return out
