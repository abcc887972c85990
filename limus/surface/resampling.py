"""A field over the texels of one resolution, read at those of another."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.seams import texel_at

if TYPE_CHECKING:
    from limus.surface.texels import Texels


@kernel
def _sample(  # type: ignore[no-untyped-def]
    start, end, at_pixel, at_triangle, at_size, island, pixel, triangle, size, near, table, shift, shown, extended, out
):
    """Bilinear reading of a (m + gutter, c) field at the middles of pixels of another size, staying on the surface of
    the island that a texel is of.

    A corner of the footprint that lies off the island is read through the gutter, so a coarse field goes on smoothly
    over a seam.
    """
    page_size = size * size
    found = np.empty(4, np.int64)
    times = np.float32(size) / np.float32(at_size)
    for i in range(start, end):
        inside = at_pixel[i] % (at_size * at_size)
        page = at_pixel[i] // (at_size * at_size)
        first = page * page_size
        x = (np.float32(inside % at_size) + np.float32(0.5)) * times - np.float32(0.5)
        y = (np.float32(inside // at_size) + np.float32(0.5)) * times - np.float32(0.5)
        x0, y0 = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - x0, y - y0
        for k in range(4):
            u, v = x0 + (k & 1), y0 + (k >> 1)
            found[k] = -1
            if 0 <= u < size and 0 <= v < size:
                j = texel_at(table, shift, shown, size, page, u, v)
                # A pixel off the surface shows a texel that lies elsewhere.
                if j >= 0 and pixel[j] == first + v * size + u and island[triangle[j]] == island[at_triangle[i]]:
                    found[k] = j
        total = np.float64(0.0)
        for c in range(extended.shape[1]):
            out[i, c] = 0.0
        for k in range(4):
            j = found[k]
            if j < 0:
                if found[k ^ 1] >= 0:
                    j = near[found[k ^ 1], 1 if k & 1 else 0]
                elif found[k ^ 2] >= 0:
                    j = near[found[k ^ 2], 3 if k >> 1 else 2]
                else:
                    continue
            w = (fx if k & 1 else 1.0 - fx) * (fy if k >> 1 else 1.0 - fy)
            total += w
            for c in range(extended.shape[1]):
                out[i, c] += w * extended[j, c]
        if total > 1e-6:
            for c in range(extended.shape[1]):
                out[i, c] /= total
        else:
            u = min(max(int(x + 0.5), 0), size - 1)
            v = min(max(int(y + 0.5), 0), size - 1)
            j = texel_at(table, shift, shown, size, page, u, v)
            if j < 0:
                # A window has nothing to show where it has no texel.
                continue
            for c in range(extended.shape[1]):
                out[i, c] = extended[j, c]


def resampled(field: np.ndarray, source: Texels, at: Texels) -> np.ndarray:
    """(m, ...) float32: ``field`` (n, ...) over ``source`` at the centres of the texels ``at`` of the same mesh."""
    return resampled_extended(source.extend(field.reshape(len(source), -1)), source, at, field.shape[1:])


def resampled_extended(extended: np.ndarray, source: Texels, at: Texels, shape: tuple[int, ...]) -> np.ndarray:
    """``resampled`` of what ``source.extend`` gave of a (n, c) field; ``shape`` of each value."""
    out = np.empty((len(at), extended.shape[1]), np.float32)
    table, shift, shown = source.shown
    for_ranges(
        _sample, len(at), at.pixel, at.triangle, at.size, at.adjacency.island, source.pixel, source.triangle,
        source.size, source.stencil, table, shift, shown, extended, out,
    )  # fmt: skip
    return out.reshape((len(at), *shape))
