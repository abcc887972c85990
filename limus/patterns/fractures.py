"""Pieces into which something brittle breaks: cells of three sizes, one inside the other, with borders that are
nearly straight.

A field that is even within each piece has level sets that follow the borders: straight runs, facets and tongues of the
coarse pieces, with corners broken off by the finer ones and slivers left between. That is what the outline of a chip is
made of.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel
from limus.patterns.cells import cells
from limus.patterns.noise import fractal

#: Sizes of the pieces against the largest; not whole fractions, so that borders do not fall together.
STEPS = (1.0, 0.47, 0.21)
#: Sums over pieces are kept under this many of a piece's random bits; two pieces of one place in it would share a mean.
_SLOTS = 1 << 20


@dataclass(frozen=True)
class Fractures:
    """For each size of piece ``number`` (n,) uint32, the piece's random bits, and ``value`` (n,) float32 0..1; sizes
    too small for the texels are left out.
    """

    number: tuple[np.ndarray, ...]
    value: tuple[np.ndarray, ...]


@kernel
def _add(number, field, weight, total, summed):  # type: ignore[no-untyped-def]
    mask = np.uint32(len(total) - 1)
    for i in range(len(number)):
        k = number[i] & mask
        total[k] += weight[i]
        summed[k] += weight[i] * field[i]


@kernel
def _means(number, total, summed, out):  # type: ignore[no-untyped-def]
    mask = np.uint32(len(total) - 1)
    for i in range(len(number)):
        k = number[i] & mask
        out[i] = summed[k] / max(total[k], 1e-30)


def mean_over(number: np.ndarray, field: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """(n,) float32: the weighted mean of ``field`` over the piece each texel belongs to.

    Parameters
    ----------
    number : (n,) uint32 random bits of the pieces. field, weight : (n,) float32.
    """
    own = np.ascontiguousarray(number, np.uint32)
    out = np.empty(len(field), np.float32)
    own_sums: list[bool] = []

    def sums() -> tuple[np.ndarray, np.ndarray]:
        # Room for all slots costs nothing where they are not touched.
        total, summed = np.zeros(_SLOTS), np.zeros(_SLOTS)
        _add(own, field, weight, total, summed)
        own_sums.append(True)
        return total, summed

    total, summed = decided("mean over", sums)
    _means(own, total, summed, out)
    if own_sums:
        return out
    # A piece may reach far beyond what is drawn here; one that the whole has no texel of does not.
    rows = np.flatnonzero(total[own & np.uint32(_SLOTS - 1)] == 0.0)
    if len(rows):
        _, piece = np.unique(own[rows], return_inverse=True)
        area = np.bincount(piece, weight[rows])
        out[rows] = (np.bincount(piece, weight[rows] * field[rows]) / np.maximum(area, 1e-30))[piece]
    return out


def fractures(
    points_m: np.ndarray, size_mm: float, *, bend: float = 0.10, seed: int = 0, texel_mm: float = 0.0
) -> Fractures:
    """The pieces.

    Parameters
    ----------
    points_m : (n, 3) metres. size_mm : width of the largest pieces. bend : how far borders leave the straight line,
        in widths.
    texel_mm : pieces narrower than two texels are left out, but for the largest.
    """
    moved = points_m
    if bend > 0:
        moved = np.empty((len(points_m), 3), np.float32)
        for k in range(3):
            pull = fractal(points_m, size_mm * 0.9, octaves=3, gain=0.6, seed=seed * 31 + k, texel_mm=texel_mm)
            moved[:, k] = points_m[:, k] + bend * size_mm * 0.001 * pull
    sizes = [step for k, step in enumerate(STEPS) if k == 0 or step * size_mm > 2.0 * texel_mm]
    numbers, values = [], []
    for k, step in enumerate(sizes):
        # One after the other: distances are not needed, and take more memory than what is.
        found = cells(moved, size_mm * step, seed=seed * 7 + k, edges=False)
        numbers.append(found.number)
        values.append(found.value)
        del found
    return Fractures(tuple(numbers), tuple(values))
