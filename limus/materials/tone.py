"""A colour that is never quite even."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges


@kernel
def _tone(start, end, r, g, b, tone, low, high, out):  # type: ignore[no-untyped-def]
    one = np.float32(1.0)
    for i in range(start, end):
        t = min(max(tone[i], low), high)
        out[i, 0] = min(max(r * t, np.float32(0.0)), one)
        out[i, 1] = min(max(g * t, np.float32(0.0)), one)
        out[i, 2] = min(max(b * t, np.float32(0.0)), one)


def toned(color: tuple[float, float, float], tone: np.ndarray, low: float = 0.0, high: float = 4.0) -> np.ndarray:
    """(n, 3) float32 0..1: a colour times a (n,) float32 tone that is held between ``low`` and ``high``."""
    out = np.empty((len(tone), 3), np.float32)
    r, g, b = (np.float32(x) for x in color)
    for_ranges(_tone, len(tone), r, g, b, tone, np.float32(low), np.float32(high), out)
    return out
