"""Scratches: thin discs scattered in space; where one cuts the surface there is a straight line of its length.

So scratches need no UVs, cross seams and turn around edges as a blade would.
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.patterns.cells import salt_of
from limus.patterns.lattice import again, hashed, unit


@kernel
def _cuts(start, end, points, normals, rate, per_cube, half, least, along, spread, salt, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x, y, z = np.float32(points[i, 0] * rate), np.float32(points[i, 1] * rate), np.float32(points[i, 2] * rate)
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        bx, by, bz = np.floor(x - np.float32(0.5)), np.floor(y - np.float32(0.5)), np.floor(z - np.float32(0.5))
        best = np.float32(0.0)
        # A disc reaches half a cube from its middle: two cubes along each axis hold all that matter.
        for cube in range(8):
            dx, dy, dz = cube & 1, (cube >> 1) & 1, cube >> 2
            h0 = hashed(np.int32(bx + dx), np.int32(by + dy), np.int32(bz + dz), salt)
            count = int(per_cube) + (1 if unit(again(h0, 9)) < per_cube - np.floor(per_cube) else 0)
            for k in range(count):
                h = again(h0, 100 + k)
                qx = x - (bx + dx + unit(again(h, 1)))
                qy = y - (by + dy + unit(again(h, 2)))
                qz = z - (bz + dz + unit(again(h, 3)))
                far = qx * qx + qy * qy + qz * qz
                radius = np.float32(0.5) - np.float32(0.3) * unit(again(h, 4))
                if far >= radius * radius:
                    continue
                # The disc's normal: anywhere on the sphere, or across the direction, with a spread.
                mz = np.float32(2.0) * unit(again(h, 5)) - np.float32(1.0)
                turn = np.float32(6.2831853) * unit(again(h, 6))
                flat = np.sqrt(max(np.float32(1.0) - mz * mz, np.float32(0.0)))
                mx, my = flat * np.cos(turn), flat * np.sin(turn)
                if spread < np.float32(1.0):
                    dot = (mx * along[0] + my * along[1] + mz * along[2]) * (np.float32(1.0) - spread)
                    mx, my, mz = mx - dot * along[0], my - dot * along[1], mz - dot * along[2]
                    length = np.sqrt(mx * mx + my * my + mz * mz)
                    if length < np.float32(1e-4):
                        continue
                    mx, my, mz = mx / length, my / length, mz / length
                facing = mx * nx + my * ny + mz * nz
                across = np.float32(1.0) - facing * facing
                # A disc that lies nearly in the surface would cut out a wide patch, which is no scratch.
                if across < np.float32(0.3):
                    continue
                off = abs(qx * mx + qy * my + qz * mz) / np.sqrt(across)
                if off > half + least:
                    continue
                taper = np.sqrt(max(np.float32(1.0) - far / (radius * radius), np.float32(0.0)))
                wide = half * taper
                # Never thinner than a texel: thinner ones are fainter instead.
                shown = max(wide, least)
                depth = (np.float32(0.45) + np.float32(0.55) * unit(again(h, 7))) * wide / shown
                best = max(
                    best,
                    depth
                    * min(
                        max((shown - off) / max(np.float32(0.5) * shown, np.float32(1e-9)), np.float32(0.0)),
                        np.float32(1.0),
                    ),
                )
        out[i] = best


def scratches(
    points_m: np.ndarray,
    normals: np.ndarray,
    length_mm: float,
    width_mm: float,
    *,
    per_cube: float = 1.0,
    along: np.ndarray | None = None,
    spread: float = 1.0,
    seed: int = 0,
    texel_mm: float = 0.0,
) -> np.ndarray:
    """Straight scratches over the surface.

    Parameters
    ----------
    points_m, normals : (n, 3). length_mm : of the longest. width_mm : in its middle. per_cube : how many in a cube of
        that length.
    along : (3,) direction they run in; spread : 0 all along it .. 1 every way. texel_mm : width below which they get
        fainter.

    Returns
    -------
    (n,) float32 0..1.
    """
    out = np.empty(len(points_m), np.float32)
    direction = np.array([0.0, 1.0, 0.0] if along is None else along, np.float32)
    for_ranges(
        _cuts, len(points_m), points_m, normals, 1000.0 / length_mm, np.float32(per_cube),
        np.float32(0.5 * width_mm / length_mm),
        np.float32(0.6 * texel_mm / length_mm), direction, np.float32(1.0 if along is None else spread),
        salt_of(seed), out, smallest=2048,
    )  # fmt: skip
    return out
