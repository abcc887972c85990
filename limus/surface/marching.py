"""Distance along the surface from chosen texels.

Fast marching (J. Sethian, "A fast marching level set method for monotonically advancing fronts", PNAS 93, 1996) over
texels and their neighbours, through seams: the front moves on from the nearest texel, each distance solves |grad d| = 1
upwind.
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.surface.texels import Texels


@kernel
def _march(links, triangle, step, most, value):  # type: ignore[no-untyped-def]
    count = len(value)
    room = 4 * count + 16
    heap_d, heap_i = np.empty(room, np.float32), np.empty(room, np.int32)
    done = np.zeros(count, np.bool_)
    size = 0
    for i in range(count):
        if value[i] > np.float32(0.0):
            if value[i] < most:
                # A place whose distance is known from elsewhere: it sets out from there.
                at = size
                size += 1
                while at > 0 and heap_d[(at - 1) // 2] > value[i]:
                    heap_d[at], heap_i[at] = heap_d[(at - 1) // 2], heap_i[(at - 1) // 2]
                    at = (at - 1) // 2
                heap_d[at], heap_i[at] = value[i], i
            continue
        # Only the rim of what is at 0 has somewhere to go.
        rim = False
        for k in range(4):
            j = links[i, k]
            if j >= 0 and value[j] > np.float32(0.0):
                rim = True
        if not rim:
            done[i] = True
            continue
        at = size
        size += 1
        while at > 0 and heap_d[(at - 1) // 2] > np.float32(0.0):
            heap_d[at], heap_i[at] = heap_d[(at - 1) // 2], heap_i[(at - 1) // 2]
            at = (at - 1) // 2
        heap_d[at], heap_i[at] = np.float32(0.0), i
    while size > 0:
        i, d = heap_i[0], heap_d[0]
        size -= 1
        if size > 0:
            h, moved, at = heap_d[size], heap_i[size], 0
            while True:
                child = 2 * at + 1
                if child >= size:
                    break
                if child + 1 < size and heap_d[child + 1] < heap_d[child]:
                    child += 1
                if heap_d[child] >= h:
                    break
                heap_d[at], heap_i[at] = heap_d[child], heap_i[child]
                at = child
            heap_d[at], heap_i[at] = h, moved
        if done[i] or d > value[i]:
            continue
        done[i] = True
        for k in range(4):
            j = links[i, k]
            if j < 0 or done[j]:
                continue
            # The nearer neighbour along each of the two ways across the texel.
            a, b = np.float32(1e30), np.float32(1e30)
            for q in range(4):
                n = links[j, q]
                if n >= 0:
                    if q < 2:
                        a = min(a, value[n])
                    else:
                        b = min(b, value[n])
            ha, hb = step[triangle[j], 0], step[triangle[j], 1]
            new = min(a + ha, b + hb)
            # Over a seam the way may be turned: where both say something, the upwind solution.
            wa, wb = np.float32(1.0) / (ha * ha), np.float32(1.0) / (hb * hb)
            if a < np.float32(1e29) and b < np.float32(1e29):
                mean = (wa * a + wb * b) / (wa + wb)
                inside = mean * mean - (wa * a * a + wb * b * b - np.float32(1.0)) / (wa + wb)
                if inside >= np.float32(0.0):
                    root = mean + np.sqrt(inside)
                    if root >= max(a, b):
                        new = min(new, root)
            new = max(new, d)
            if new < value[j] and new <= most and size < room:
                value[j] = new
                at = size
                size += 1
                while at > 0 and heap_d[(at - 1) // 2] > new:
                    heap_d[at], heap_i[at] = heap_d[(at - 1) // 2], heap_i[(at - 1) // 2]
                    at = (at - 1) // 2
                heap_d[at], heap_i[at] = new, j


def distance_along(texels: Texels, start: np.ndarray, most_mm: float, known: np.ndarray | None = None) -> np.ndarray:
    """(n,) float32 mm: how far each texel is from the nearest texel of ``start`` (n,) bool, along the surface;
    ``most_mm`` where it is further.

    ``known`` (n,) float32 mm: what is known already, as of a neighbouring body; ``most_mm`` and more where nothing is.
    """

    def march() -> np.ndarray:
        value = np.where(start, np.float32(0.0), np.float32(most_mm)).astype(np.float32)
        if known is not None:
            value = np.minimum(value, known)
        _march(texels.links, texels.triangle, texels.step_of_triangle, np.float32(most_mm), value)
        return value

    return texels.far("distance along", march) if texels.wide(most_mm) else march()
