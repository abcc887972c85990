"""Shaping a term: range in, gamma, invert, range out."""

from __future__ import annotations

import numpy as np

from limus.parallel import for_ranges, kernel


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
    """Values between ``low`` and ``high`` to 0..1, raised to ``gamma``, turned round where asked, then into the range out."""
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
