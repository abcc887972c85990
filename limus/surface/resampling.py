"""A field over the texels of one resolution, read at those of another."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges

if TYPE_CHECKING:
    from limus.surface.texels import Texels


@kernel
def _sample(start, end, page, x, y, owner_island, index, size, texel_island, near, fallback, extended, out):  # type: ignore[no-untyped-def]
    """Bilinear reading of a (m + gutter, c) field at pixel coordinates, staying on the surface of the island asked for.

    A corner of the footprint that lies off the island is read through the gutter, so a coarse field goes on smoothly
    over a seam.
    """
    page_size = size * size
    found = np.empty(4, np.int64)
    for i in range(start, end):
        x0, y0 = int(np.floor(x[i])), int(np.floor(y[i]))
        fx, fy = x[i] - x0, y[i] - y0
        for k in range(4):
            u, v = x0 + (k & 1), y0 + (k >> 1)
            found[k] = -1
            if 0 <= u < size and 0 <= v < size:
                j = index[page[i] * page_size + v * size + u]
                if j >= 0 and texel_island[j] == owner_island[i]:
                    found[k] = j
        total = 0.0
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
            u = min(max(int(x[i] + 0.5), 0), size - 1)
            v = min(max(int(y[i] + 0.5), 0), size - 1)
            j = fallback[page[i] * page_size + v * size + u]
            for c in range(extended.shape[1]):
                out[i, c] = extended[j, c]


def resampled(field: np.ndarray, source: Texels, at: Texels) -> np.ndarray:
    """(m, ...) float32: ``field`` (n, ...) over ``source`` at the centres of the texels ``at`` of the same mesh."""
    page, u, v = at.page_xy
    extended = source.extend(field.reshape(len(source), -1))
    out = np.empty((len(at), extended.shape[1]), np.float32)
    x, y = u * np.float32(source.size) - np.float32(0.5), v * np.float32(source.size) - np.float32(0.5)
    for_ranges(
        _sample, len(at), page, x, y, at.island, source.index, source.size, source.island, source.stencil,
        source.fill_index, extended, out,
    )  # fmt: skip
    return out.reshape((len(at), *field.shape[1:]))
