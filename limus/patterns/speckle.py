"""Speckle: scattered dots, as balls in space that the surface cuts.

By Delesse's principle (A. Delesse, 1847; basis of stereology) the share of a cut that lies in the balls is their share
of the volume, so the amount means the same on every surface.
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.patterns.cells import salt_of
from limus.patterns.lattice import again, hashed, unit


@kernel
def _dots(start, end, points, rate, chance, vary, soft, salt, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x, y, z = np.float32(points[i, 0] * rate), np.float32(points[i, 1] * rate), np.float32(points[i, 2] * rate)
        bx, by, bz = np.floor(x - np.float32(0.5)), np.floor(y - np.float32(0.5)), np.floor(z - np.float32(0.5))
        best = np.float32(0.0)
        # A ball reaches half a cube at most beyond its middle: two cubes along each axis hold all that matter.
        for dx in range(2):
            for dy in range(2):
                for dz in range(2):
                    h = hashed(np.int32(bx + dx), np.int32(by + dy), np.int32(bz + dz), salt)
                    if unit(h) >= chance:
                        continue
                    qx = bx + dx + unit(again(h, 1)) - x
                    qy = by + dy + unit(again(h, 2)) - y
                    qz = bz + dz + unit(again(h, 3)) - z
                    r = np.float32(0.5) * (np.float32(1.0) - vary * unit(again(h, 4)))
                    d = np.sqrt(qx * qx + qy * qy + qz * qz)
                    inside = min(
                        max((r - d) / max(soft * r, np.float32(1e-6)) + np.float32(0.5), np.float32(0.0)),
                        np.float32(1.0),
                    )
                    best = max(best, inside)
        out[i] = best


def speckle(
    points_m: np.ndarray, size_mm: float, *, amount: float = 0.2, vary: float = 0.5, soft: float = 0.2, seed: int = 0
) -> np.ndarray:
    """Dots over the surface.

    Parameters
    ----------
    points_m : (n, 3) metres. size_mm : diameter of the largest ball. amount : chance that a cube of that side holds
        one, 0..1.
    vary : 0 all alike .. 1 down to nothing. soft : width of the rim as a share of the radius.

    Returns
    -------
    (n,) float32 0..1.
    """
    out = np.empty(len(points_m), np.float32)
    for_ranges(
        _dots, len(points_m), points_m, 1000.0 / size_mm, np.float32(amount), np.float32(vary), np.float32(soft),
        salt_of(seed), out,
        smallest=2048,
    )  # fmt: skip
    return out
