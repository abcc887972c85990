"""Levels from coverages: what share of the real surface lies above a level."""

from __future__ import annotations

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel

_BINS = 4096


@kernel
def _histogram(values, weight, low, scale, bins):  # type: ignore[no-untyped-def]
    """Weight per bin of ``low .. low + bins / scale``; what lies above goes to one more bin at the end, what lies
    below nowhere.
    """
    out = np.zeros(bins + 1, np.float64)
    for i in range(len(values)):
        if values[i] >= low:
            out[min(int((values[i] - low) * scale), bins)] += weight[i]
    return out


def level_for(values: np.ndarray, weight: np.ndarray, coverage: float) -> float:
    """The level above which lies the share ``coverage`` (0..1) of the total ``weight``.

    Parameters
    ----------
    values : (n,) float32. weight : (n,) float32 real area of each texel (0 leaves it out).

    Returns
    -------
    float: above the highest value for coverage 0, below the lowest for 1.

    Notes
    -----
    A histogram of 4096 bins, then another inside the bin that holds the level: two passes instead of a sort, and exact
    to a sixteen-millionth of the range.
    """
    return decided("level", lambda: _level_for(values, weight, coverage))  # type: ignore[no-any-return]


def _level_for(values: np.ndarray, weight: np.ndarray, coverage: float) -> float:
    alive = weight > 0
    if not alive.any():
        return float("inf")
    low, high = float(values[alive].min()), float(values[alive].max())
    if coverage <= 0:
        return high + 1e-6
    if coverage >= 1 or high <= low:
        return low - 1e-6
    wanted = coverage * float(weight.sum(dtype=np.float64))
    for _ in range(2):
        step = (high - low) / _BINS
        counts = _histogram(values, weight, np.float32(low), np.float32(1.0 / step), _BINS)
        # reached[k]: weight above the lower side of bin k
        reached = np.cumsum(counts[::-1])[::-1]
        k = int(np.clip(np.searchsorted(-reached, -wanted, side="right") - 1, 0, _BINS - 1))
        low, high = low + k * step, low + (k + 1) * step
        if step < 1e-7 * max(1.0, abs(high)):
            break
    return 0.5 * (low + high)


class SoftLevels:
    """Levels at which ``smoothstep(values, level - width, level + width)`` has a weighted mean.

    A soft edge reaches further out than in where values thin out, so the level of a hard edge gives another mean. Found
    by halving over a histogram of 4096 bins, made once; the error of the mean is that of a bin.

    Parameters
    ----------
    values : (n,) float32. weight : (n,) float32, from 0. width : half of the soft edge.
    """

    def __init__(self, values: np.ndarray, weight: np.ndarray, width: float) -> None:
        self._width = width
        self._low, self._high, self._shares = decided("levels", lambda: _shares(values, weight))
        if self._high > self._low:
            self._middle = self._low + (np.arange(_BINS) + 0.5) * (self._high - self._low) / _BINS

    def level(self, coverage: float) -> float:
        """The level for a mean of ``coverage`` 0..1; infinite where nothing has weight."""
        low, high, width = self._low, self._high, self._width
        if high < low:
            return float("inf")
        if coverage <= 0:
            return high + width + 1e-6
        if coverage >= 1 or high == low:
            return low - width - 1e-6
        bottom, top = low - width, high + width
        for _ in range(26):
            level = 0.5 * (bottom + top)
            x = np.clip((self._middle - level + width) / (2 * width), 0.0, 1.0)
            if float((self._shares * x * x * (3 - 2 * x)).sum()) > coverage:
                bottom = level
            else:
                top = level
        return 0.5 * (bottom + top)


def _shares(values: np.ndarray, weight: np.ndarray) -> tuple[float, float, np.ndarray]:
    """Lowest and highest value that has weight, and the share of the weight in each bin between."""
    low, high = _ends(values, weight)
    if not high > low:
        return float(low), float(high), np.zeros(0)
    counts = _histogram(values, weight, low, np.float32(_BINS / (float(high) - float(low))), _BINS)
    counts[_BINS - 1] += counts[_BINS]
    return float(low), float(high), counts[:_BINS] / counts.sum()


@kernel
def _ends(values, weight):  # type: ignore[no-untyped-def]
    """Lowest and highest value that has weight; the wrong way round where none has."""
    low, high = np.float32(np.inf), np.float32(-np.inf)
    for i in range(len(values)):
        if weight[i] > 0:
            low = min(low, values[i])
            high = max(high, values[i])
    return low, high


def histogram(values: np.ndarray, weight: np.ndarray, bins: int = 32) -> list[float]:
    """Share of the area in each of ``bins`` equal bins of 0..1, for drawing beside a term."""
    counts = _histogram(values, weight, np.float32(0), np.float32(bins), bins)
    counts[bins - 1] += counts[bins]
    counts = counts[:bins]
    total = counts.sum()
    return [round(float(c / total), 4) for c in counts] if total > 0 else [0.0] * bins
