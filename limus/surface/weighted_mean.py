"""A mean over the surface: the same on any number of cores."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges

#: Sums are taken in this many blocks whatever the number of cores, so that they round alike everywhere.
_BLOCKS = 16


@kernel
def _weighted(start, end, field, weight, sums):  # type: ignore[no-untyped-def]
    for k in range(start, end):
        total = 0.0
        area = 0.0
        for i in range(len(field) * k // 16, len(field) * (k + 1) // 16):
            total += field[i] * weight[i]
            area += weight[i]
        sums[k, 0], sums[k, 1] = total, area


def weighted_mean(field: np.ndarray, weight: np.ndarray) -> float:
    """Mean of ``field`` (n,) by ``weight`` (n,) float32, areas say; 0 where nothing has weight."""
    sums = np.zeros((_BLOCKS, 2))
    for_ranges(_weighted, _BLOCKS, np.ascontiguousarray(field, np.float32), weight, sums, smallest=1)
    total, weights = sums.sum(axis=0)
    return float(total / weights) if weights > 0 else 0.0
