"""Softening a field along the surface, by real distance, through seams.

Heat flow: after time t a point has spread to a Gaussian of variance 2 t (Crank, The Mathematics of Diffusion, 1975). Each step
moves a share of the difference between a texel and its four neighbours, sized by the real length of the texel, so islands of
different texel density are softened alike and nothing is seen at a seam. Wide radii are done on a coarser set of texels.
"""

from __future__ import annotations

import numpy as np

from limus.parallel import for_ranges, kernel
from limus.surface.pyramid import coarser
from limus.surface.texels import Texels


@kernel
def _spread(start, end, near, step, variance, extended, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        centre = extended[i]
        wx = min(np.float32(0.5) * variance / (step[i, 0] * step[i, 0]), np.float32(0.24))
        wy = min(np.float32(0.5) * variance / (step[i, 1] * step[i, 1]), np.float32(0.24))
        out[i] = (
            centre
            + wx * (extended[near[i, 0]] + extended[near[i, 1]] - np.float32(2.0) * centre)
            + wy * (extended[near[i, 2]] + extended[near[i, 3]] - np.float32(2.0) * centre)
        )


def blur(texels: Texels, field: np.ndarray, sigma_mm: float) -> np.ndarray:
    """Gaussian softening of a (n,) float32 field; ``sigma_mm`` is the standard deviation in mm along the surface."""
    if sigma_mm <= 0.0:
        return field
    if sigma_mm > 3.0 * texels.texel_mm and texels.size >= 64:
        small = coarser(texels)
        return texels.resample(blur(small, small.resample(field, texels), sigma_mm), small)
    # Stable while each weight stays below a quarter; 0.4 of a texel's side squared per step keeps it at 0.2.
    steps = int(np.ceil(sigma_mm**2 / (0.4 * texels.texel_mm**2)))
    variance = np.float32(sigma_mm**2 / max(steps, 1))
    out = np.ascontiguousarray(field, np.float32)
    for _ in range(max(steps, 1)):
        extended = texels.extend(out)
        out = np.empty_like(out)
        for_ranges(_spread, len(texels), texels.neighbours, texels.step_mm, variance, extended, out)
    return out
