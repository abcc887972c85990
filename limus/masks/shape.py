"""Shaping a term: range in, gamma, a free curve, invert, range out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges


@kernel
def _shape(start, end, values, low, scale, gamma, invert, out_low, out_span, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x = (values[i] - low) * scale
        x = min(max(x, np.float32(0.0)), np.float32(1.0))
        if gamma != np.float32(1.0):
            x = x**gamma
        if invert:
            x = np.float32(1.0) - x
        out[i] = out_low + out_span * x


def shape(
    values: np.ndarray,
    low: float,
    high: float,
    gamma: float = 1.0,
    invert: bool = False,
    out_low: float = 0.0,
    out_high: float = 1.0,
) -> np.ndarray:
    """Values between ``low`` and ``high`` to 0..1, raised to ``gamma``, turned round where asked, then into the range
    out.
    """
    out = np.empty(len(values), np.float32)
    span = high - low
    scale = 1.0 / span if abs(span) > 1e-9 else 1e9
    for_ranges(
        _shape,
        len(values),
        values,
        np.float32(low),
        np.float32(scale),
        np.float32(gamma),
        invert,
        np.float32(out_low),
        np.float32(out_high - out_low),
        out,
    )
    return out


@kernel
def _step(start, end, values, low, scale, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x = min(max((values[i] - low) * scale, np.float32(0.0)), np.float32(1.0))
        out[i] = x * x * (np.float32(3.0) - np.float32(2.0) * x)


def smoothstep(values: np.ndarray, low: float, high: float) -> np.ndarray:
    """0 below ``low``, 1 above ``high``, the cubic 3x^2 - 2x^3 between."""
    out = np.empty(len(values), np.float32)
    for_ranges(_step, len(values), values, np.float32(low), np.float32(1.0 / max(high - low, 1e-9)), out)
    return out


@kernel
def _look_up(start, end, values, table, out):  # type: ignore[no-untyped-def]
    last = len(table) - 1
    for i in range(start, end):
        x = min(max(values[i], np.float32(0.0)), np.float32(1.0)) * last
        k = min(int(x), last - 1)
        share = np.float32(x - k)
        out[i] = table[k] + share * (table[k + 1] - table[k])


def curved(values: np.ndarray, points: Sequence[tuple[float, float]]) -> np.ndarray:
    """Values 0..1 through a smooth curve that passes the points (x rising) and never overshoots them; level beyond
    its ends.

    Monotone cubic interpolation: F. Fritsch and J. Butland, 1984, as scipy's ``PchipInterpolator`` has it.
    """
    x, y = np.array(points, np.float64).T
    at = np.clip(np.linspace(0, 1, 1025), x[0], x[-1])
    table = np.clip(
        scipy.interpolate.PchipInterpolator(x, y)(at) if len(x) > 2 else np.interp(at, x, y), 0.0, 1.0
    ).astype(np.float32)
    out = np.empty_like(values)
    for_ranges(_look_up, len(values), values, table, out)
    return out
