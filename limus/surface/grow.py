"""Growing and shrinking what is white, by real distance, through seams.

Dilation by a disc is the solution of f_t = |grad f| after a time equal to its radius (R. Brockett and P. Maragos,
"Evolution Equations for Continuous-Scale Morphology", 1992), stepped upwind (E. Rouy and A. Tourin, 1992).
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.pyramid import coarser
from limus.surface.texels import Texels


@kernel
def _rise(start, end, near, triangle, step, by, extended, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        f = extended[i]
        left, right, up, down = extended[near[i, 0]], extended[near[i, 1]], extended[near[i, 2]], extended[near[i, 3]]
        highest = max(max(left, right), max(up, down))
        gx = max(max(left, right) - f, np.float32(0.0)) / step[triangle[i], 0]
        gy = max(max(up, down) - f, np.float32(0.0)) / step[triangle[i], 1]
        # Never above the highest neighbour: stable also where texels are smaller than most.
        out[i] = max(f, min(f + by * np.sqrt(gx * gx + gy * gy), highest))


def grow(texels: Texels, field: np.ndarray, by_mm: float) -> np.ndarray:
    """A (n,) float32 field 0..1 whose white has grown by ``by_mm`` on all sides along the surface; negative: shrunk."""
    if by_mm < 0:
        return 1.0 - grow(texels, 1.0 - field, -by_mm)
    if by_mm == 0:
        return field
    if texels.wide(by_mm):
        return texels.far("grow", lambda: _grow(texels, field, by_mm))
    return _grow(texels, field, by_mm)


def _grow(texels: Texels, field: np.ndarray, by_mm: float) -> np.ndarray:
    texel = texels.spacing_mm
    if by_mm > 24.0 * texel and texels.size >= 128:
        # Far on a coarser set of texels; the last few by small steps here, which takes the coarse rim out again.
        small = coarser(texels)
        rest = 4.0 * texel
        wide = texels.resample(_grow(small, small.resample(field, texels), by_mm - rest), small)
        return _grow(texels, np.maximum(field, wide), rest)
    count = max(1, int(np.ceil(by_mm / (0.5 * texel))))
    out = np.ascontiguousarray(field, np.float32)
    for _ in range(count):
        extended = texels.extend(out)
        out = np.empty_like(out)
        for_ranges(
            _rise, len(texels), texels.stencil, texels.triangle, texels.step_of_triangle, np.float32(by_mm / count),
            extended, out,
        )  # fmt: skip
    return out
