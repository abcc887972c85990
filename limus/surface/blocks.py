"""Triangles to the texels of chosen blocks of a map set: blocks are pixels of a coarser set of texels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.row_span import row_span

#: Triangles are sorted into squares of this many blocks along each side.
BIN = 8


@dataclass(frozen=True)
class TriangleBins:
    """Which triangles may lie in which square of ``BIN`` blocks: those of square b are
    ``order[starts[b]:starts[b + 1]]``, ascending; ``wide`` squares along each side of a map set.
    """

    starts: np.ndarray
    order: np.ndarray
    wide: int


@kernel
def _bins(uv, page, size, wide, counts, starts, order, fill):  # type: ignore[no-untyped-def]
    """Counts, and on the second round (``fill``) lists, what each square may hold."""
    for t in range(uv.shape[0]):
        low_x, high_x = min(uv[t, 0, 0], uv[t, 1, 0], uv[t, 2, 0]), max(uv[t, 0, 0], uv[t, 1, 0], uv[t, 2, 0])
        low_y, high_y = min(uv[t, 0, 1], uv[t, 1, 1], uv[t, 2, 1]), max(uv[t, 0, 1], uv[t, 1, 1], uv[t, 2, 1])
        # A hair wider: what lies on a border counts on both sides of it.
        first_x, last_x = int(np.floor((low_x * size - 1e-3) / BIN)), int(np.floor((high_x * size + 1e-3) / BIN))
        first_y, last_y = int(np.floor((low_y * size - 1e-3) / BIN)), int(np.floor((high_y * size + 1e-3) / BIN))
        for y in range(max(first_y, 0), min(last_y, wide - 1) + 1):
            for x in range(max(first_x, 0), min(last_x, wide - 1) + 1):
                b = (page[t] * wide + y) * wide + x
                if fill:
                    order[starts[b] + counts[b]] = t
                counts[b] += 1


def triangle_bins(uv: np.ndarray, page: np.ndarray, pages: int, size: int) -> TriangleBins:
    """Sort triangles by where their UVs (T, 3, 2) float64 lie on map sets of ``size`` blocks along each side; ``page``
    (T,) the map set of each.
    """
    wide = -(-size // BIN)
    counts = np.zeros(pages * wide * wide, np.int64)
    none = np.zeros(0, np.int32)
    _bins(uv, page, size, wide, counts, np.zeros(1, np.int64), none, False)
    starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    order = np.empty(int(starts[-1]), np.int32)
    counts[:] = 0
    _bins(uv, page, size, wide, counts, starts, order, True)
    return TriangleBins(starts, order, wide)


@kernel
def _in_blocks(start, end, blocks, blocks_wide, shift, uv, starts, order, wide, owner):  # type: ignore[no-untyped-def]
    """Owners of the pixels of each block: the same sums as ``rasterise``, clipped to the block."""
    side = 1 << shift
    size = blocks_wide * side
    for k in range(start, end):
        place = blocks[k]
        page = place // (blocks_wide * blocks_wide)
        by, bx = (place // blocks_wide) % blocks_wide, place % blocks_wide
        left_most, top_most = bx * side, by * side
        square = (page * wide + by // BIN) * wide + bx // BIN
        base = np.int64(k) << (2 * shift)
        for at in range(starts[square], starts[square + 1]):
            t = order[at]
            ax, ay = uv[t, 0, 0] * size - 0.5, uv[t, 0, 1] * size - 0.5
            mx, my = uv[t, 1, 0] * size - 0.5, uv[t, 1, 1] * size - 0.5
            cx, cy = uv[t, 2, 0] * size - 0.5, uv[t, 2, 1] * size - 0.5
            x_low, x_high = min(ax, mx, cx), max(ax, mx, cx)
            if x_high < left_most - 1.0 or x_low > left_most + side:
                continue
            y0 = max(top_most, int(np.ceil(min(ay, my, cy) - 1e-6)))
            y1 = min(top_most + side - 1, int(np.floor(max(ay, my, cy) + 1e-6)))
            if y0 > y1:
                continue
            area = (mx - ax) * (cy - ay) - (cx - ax) * (my - ay)
            if abs(area) < 1e-12:
                continue
            flip = 1.0 if area > 0.0 else -1.0
            slack = 1e-6 * max(1.0, abs(area) ** 0.5)
            for y in range(y0, y1 + 1):
                left, right = row_span(ax, ay, mx, my, cx, cy, y, flip, slack)
                if left > right:
                    continue
                x0 = max(left_most, int(np.ceil(left)))
                x1 = min(left_most + side - 1, int(np.floor(right)))
                row = base + ((y - top_most) << shift)
                for x in range(x0, x1 + 1):
                    if owner[row + x - left_most] < 0:
                        owner[row + x - left_most] = t


def rasterise_blocks(
    blocks: np.ndarray, blocks_wide: int, shift: int, uv: np.ndarray, bins: TriangleBins
) -> np.ndarray:
    """Which triangle owns each pixel of some blocks.

    Parameters
    ----------
    blocks : (b,) int64 their places in pictures of ``blocks_wide`` x ``blocks_wide``; each has ``2^shift`` pixels along
        each side. uv : (T, 3, 2) float64 in 0..1. bins : ``triangle_bins`` for the same pictures.

    Returns
    -------
    (b * 4^shift,) int32 triangle, -1 where there is no surface; row by row within a block.
    """
    owner = np.full(len(blocks) << (2 * shift), -1, np.int32)
    for_ranges(
        _in_blocks, len(blocks), blocks, blocks_wide, shift, uv, bins.starts, bins.order, bins.wide, owner,
        smallest=max(16, 32768 >> (2 * shift)),
    )  # fmt: skip
    return owner


@kernel
def _pixels(start, end, place, blocks, blocks_wide, shift, out):  # type: ignore[no-untyped-def]
    side = 1 << shift
    size = np.int64(blocks_wide * side)
    for i in range(start, end):
        block = blocks[place[i] >> (2 * shift)]
        page = block // (blocks_wide * blocks_wide)
        y = ((block // blocks_wide) % blocks_wide) * side + ((place[i] >> shift) & (side - 1))
        x = (block % blocks_wide) * side + (place[i] & (side - 1))
        out[i] = (page * size + y) * size + x


def pixels_of(place: np.ndarray, blocks: np.ndarray, blocks_wide: int, shift: int) -> np.ndarray:
    """(n,) int64: where in the pictures the pixels of blocks lie; ``place`` (n,) int64 counts them as
    ``rasterise_blocks`` does.
    """
    out = np.empty(len(place), np.int64)
    for_ranges(_pixels, len(place), place, blocks, blocks_wide, shift, out)
    return out
