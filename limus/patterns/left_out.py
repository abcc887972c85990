"""What octaves that are too fine for the texels would have done where noise is clipped, on average.

A clip of noise has another mean than the clip of its mean: leave octaves out, and what they pushed over the level is
missing. So the coverage of one document would hang on the resolution. Octaves left out are close to normal, so the mean
of the clip is known in closed form (that of a rectified normal variable, N. L. Johnson, S. Kotz and N. Balakrishnan,
"Continuous Univariate Distributions" 1, 1994, 13.10: from memory).
"""

from __future__ import annotations

import math

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.patterns.noise import kept_octaves

#: Below this deviation, in widths of the ramp, nobody could tell the two apart.
_SMALL = 0.02


def left_out(size_mm: float, texel_mm: float, *, octaves: int = 4, gain: float = 0.5) -> float:
    """Deviation, 0..1, of what ``noise.fractal`` leaves out at this texel, of its whole deviation of 1."""
    full = gain ** np.arange(octaves)
    kept = kept_octaves(octaves, gain, size_mm, texel_mm)
    return float(np.sqrt(max(1.0 - float((kept**2).sum() / (full**2).sum()), 0.0)))


@inlined
def _above(m, s):  # type: ignore[no-untyped-def]
    """Mean of what lies above 0 of a normal variable of mean m and deviation s."""
    u = m / s
    return m * np.float32(0.5) * np.float32(math.erfc(-u * np.float32(0.70710678))) + s * np.float32(
        0.39894228
    ) * np.exp(np.float32(-0.5) * u * u)


@kernel
def _clip(start, end, values, deviation, each, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        m, s = values[i], deviation[i if each else 0]
        if s < np.float32(_SMALL) or m < np.float32(-4.0) * s or m > np.float32(1.0) + np.float32(4.0) * s:
            out[i] = min(max(m, np.float32(0.0)), np.float32(1.0))
        else:
            out[i] = min(max(_above(m, s) - _above(m - np.float32(1.0), s), np.float32(0.0)), np.float32(1.0))


@kernel
def _inside(start, end, values, deviation, each, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        m, s = values[i], max(deviation[i if each else 0], np.float32(1e-6)) * np.float32(1.41421356)
        out[i] = np.float32(0.5 * (math.erf((np.float32(1.0) - m) / s) + math.erf(m / s)))


def inside(values: np.ndarray, deviation: float | np.ndarray) -> np.ndarray:
    """(n,) float32 0..1: chance that ``values + deviation * z`` is not clipped. Times deviation it is the mean of z
    times the clip (C. Stein's lemma).
    """
    each = isinstance(deviation, np.ndarray)
    out = np.empty(len(values), np.float32)
    spread = np.ascontiguousarray(deviation if each else [deviation], np.float32)
    for_ranges(_inside, len(values), np.ascontiguousarray(values, np.float32), spread, each, out)
    return out


def clipped(values: np.ndarray, deviation: float | np.ndarray) -> np.ndarray:
    """Mean of ``clip(values + deviation * z, 0, 1)`` over a standard normal z.

    Parameters
    ----------
    values : (n,) float32. deviation : a number or (n,) float32, from 0; of what ``left_out`` says, times its weight
        in ``values``.

    Returns
    -------
    (n,) float32 0..1; the plain clip where the deviation is 0.
    """
    each = isinstance(deviation, np.ndarray)
    if not each and float(deviation) < _SMALL:
        return np.clip(values, 0.0, 1.0)
    out = np.empty(len(values), np.float32)
    spread = np.ascontiguousarray(deviation if each else [deviation], np.float32)
    for_ranges(_clip, len(values), np.ascontiguousarray(values, np.float32), spread, each, out)
    return out
