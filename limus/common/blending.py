"""The separable blend modes of W3C Compositing and Blending Level 1 (section 10), and clamped add and subtract.

Shared by lines of recipes and by coats, so that a mode means the same in both.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.common.kernel import kernel

Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "difference", "soft-light", "add", "subtract"
]
MODES: dict[str, int] = {
    "normal": 0, "over": 0, "multiply": 1, "screen": 2, "overlay": 3, "darken": 4, "lighten": 5, "difference": 6,
    "soft-light": 7, "add": 8, "subtract": 9,
}  # fmt: skip


@kernel
def blend_value(mode, b, s):  # type: ignore[no-untyped-def]
    """B(backdrop b, source s) for values 0..1."""
    one, two = np.float32(1.0), np.float32(2.0)
    if mode == 0:
        return s
    if mode == 1:
        return b * s
    if mode == 2:
        return b + s - b * s
    if mode == 3:
        return two * b * s if b <= np.float32(0.5) else one - two * (one - b) * (one - s)
    if mode == 4:
        return min(b, s)
    if mode == 5:
        return max(b, s)
    if mode == 6:
        return abs(b - s)
    if mode == 7:
        if s <= np.float32(0.5):
            return b - (one - two * s) * b * (one - b)
        d = (
            ((np.float32(16.0) * b - np.float32(12.0)) * b + np.float32(4.0)) * b
            if b <= np.float32(0.25)
            else np.sqrt(b)
        )
        return b + (two * s - one) * (d - b)
    if mode == 8:
        return min(b + s, one)
    return max(b - s, np.float32(0.0))
