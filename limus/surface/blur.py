"""Softening a field along the surface, by real distance, through seams.

Heat flow: after time t a point has spread to a Gaussian of variance 2 t (Crank, The Mathematics of Diffusion, 1975).
Each step moves a share of the difference between a texel and its four neighbours, sized by the real length of the
texel, so islands of different texel density are softened alike and nothing is seen at a seam. Wide radii are done on a
coarser set of texels.
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.pyramid import coarser
from limus.surface.texels import Texels


@kernel
def _spread(start, end, near, triangle, step, variance, extended, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        centre = extended[i]
        t = triangle[i]
        wx = min(np.float32(0.5) * variance / (step[t, 0] * step[t, 0]), np.float32(0.24))
        wy = min(np.float32(0.5) * variance / (step[t, 1] * step[t, 1]), np.float32(0.24))
        out[i] = (
            centre
            + wx * (extended[near[i, 0]] + extended[near[i, 1]] - np.float32(2.0) * centre)
            + wy * (extended[near[i, 2]] + extended[near[i, 3]] - np.float32(2.0) * centre)
        )


def blur(texels: Texels, field: np.ndarray, sigma_mm: float) -> np.ndarray:
    """Gaussian softening of a (n,) float32 field; ``sigma_mm`` is the standard deviation in mm along the surface."""
    if sigma_mm <= 0.0:
        return field
    if texels.wide(sigma_mm):
        return texels.far("blur", lambda: _blur(texels, field, sigma_mm))
    return _blur(texels, field, sigma_mm)


def _blur(texels: Texels, field: np.ndarray, sigma_mm: float) -> np.ndarray:
    # Half an object's size is the mean of all of it, as far as anybody can see; a larger one would only take its time.
    sigma_mm = min(sigma_mm, 500.0 * texels.mesh.diagonal)
    texel = texels.spacing_mm
    if sigma_mm > 2.0 * texel and texels.size >= 64:
        # Going down and up again softens by itself: h^2 / 4 for the mean of two texels, 3 h^2 / 4 for the
        # interpolation. One step at this resolution afterwards takes the kinks out that the coarse grid leaves at
        # borders of islands.
        small = coarser(texels)
        rest = (sigma_mm**2 - 1.4 * texel**2) ** 0.5
        return _steps(
            texels, texels.resample(_blur(small, small.resample(field, texels), rest), small), 1, 0.4 * texel**2
        )
    # Stable while each weight stays below a quarter; 0.4 of a texel's side squared per step keeps it at 0.2.
    count = max(1, int(np.ceil(sigma_mm**2 / (0.4 * texel**2))))
    return _steps(texels, np.ascontiguousarray(field, np.float32), count, sigma_mm**2 / count)


def _steps(texels: Texels, field: np.ndarray, count: int, variance: float) -> np.ndarray:
    for _ in range(count):
        extended = texels.extend(field)
        field = np.empty_like(field)
        for_ranges(
            _spread, len(texels), texels.stencil, texels.triangle, texels.step_of_triangle, np.float32(variance),
            extended, field,
        )  # fmt: skip
    return field


def antialiased(texels: Texels, field: np.ndarray, steps: int = 1) -> np.ndarray:
    """A (n,) field with hard borders softened by two thirds of a texel for each step: what a texel that is cut by a
    border would have.
    """
    return _steps(texels, np.ascontiguousarray(field, np.float32), steps, 0.4 * texels.texel_mm**2)
