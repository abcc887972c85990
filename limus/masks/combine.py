"""How a line of a recipe meets the lines above it."""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.common.blending import MODES, blend_value
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges

Combine = Literal[
    "multiply", "add", "subtract", "darken", "lighten", "screen", "overlay", "difference", "over", "breaks"
]


@kernel
def _combine(start, end, mode, amount, below, above, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        b = below[i]
        out[i] = b + amount * (blend_value(mode, b, above[i]) - b)


def combine(below: np.ndarray, above: np.ndarray, mode: str, amount: float = 1.0) -> np.ndarray:
    """Two (n,) fields 0..1 to one; ``amount`` 0 keeps ``below``, 1 is the full operation."""
    out = np.empty_like(below)
    for_ranges(_combine, len(below), MODES[mode], np.float32(amount), below, above, out)
    return out
