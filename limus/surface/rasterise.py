"""Triangles to texels: which triangle owns each pixel of a map set."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import map_blocks
from limus.surface.row_span import row_span


@kernel
def _rows(first, last, uv, triangles, page, size, owner):  # type: ignore[no-untyped-def]
    """Rows ``first .. last`` of every page. The lowest triangle number wins where UVs overlap."""
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uv[a, 0] * size - 0.5, uv[a, 1] * size - 0.5
        bx, by = uv[b, 0] * size - 0.5, uv[b, 1] * size - 0.5
        cx, cy = uv[c, 0] * size - 0.5, uv[c, 1] * size - 0.5
        top = min(ay, by, cy)
        bottom = max(ay, by, cy)
        y0 = max(first, int(np.ceil(top - 1e-6)))
        y1 = min(last - 1, int(np.floor(bottom + 1e-6)))
        if y0 > y1:
            continue
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-12:
            continue
        flip = 1.0 if area > 0.0 else -1.0
        slack = 1e-6 * max(1.0, abs(area) ** 0.5)
        base = page[t] * size * size
        for y in range(y0, y1 + 1):
            left, right = row_span(ax, ay, bx, by, cx, cy, y, flip, slack)
            if left > right:
                continue
            x0 = max(0, int(np.ceil(left)))
            x1 = min(size - 1, int(np.floor(right)))
            row = base + y * size
            for x in range(x0, x1 + 1):
                if owner[row + x] < 0:
                    owner[row + x] = t


def rasterise(uv: np.ndarray, triangles: np.ndarray, page: np.ndarray, pages: int, size: int) -> np.ndarray:
    """Give every pixel whose centre lies in a triangle to that triangle.

    Parameters
    ----------
    uv : (V, 2) float64; v = 0 at row 0. triangles : (T, 3) int32. page : (T,) map set of each triangle.

    Returns
    -------
    (pages * size * size,) int32 triangle number, -1 where there is no surface; row-major within a page.
    """
    owner = np.full(pages * size * size, -1, np.int32)
    # Rows are shared out in bands; every band walks all triangles, so the owner of a pixel does not depend on the
    # bands.
    bands = 4 if size >= 256 else 1
    edges = [size * k // bands for k in range(bands + 1)]
    map_blocks(lambda k: _rows(edges[k], edges[k + 1], uv, triangles, page, size, owner), list(range(bands)))
    return owner
