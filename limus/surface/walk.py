"""Reading a field a little way off along the surface."""

from __future__ import annotations

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.gradient import steps_of
from limus.surface.texels import Texels
from limus.surface.window import Window


@kernel
def _walk(start, end, links, position, offset, field, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        gx, gy, gz = position[i, 0] + offset[i, 0], position[i, 1] + offset[i, 1], position[i, 2] + offset[i, 2]
        at = i
        best = offset[i, 0] ** 2 + offset[i, 1] ** 2 + offset[i, 2] ** 2
        moved = best > 0
        if not moved:
            out[i] = field[i]
            continue
        while moved:
            moved = False
            here = at
            for k in range(4):
                j = links[here, k]
                if j < 0:
                    continue
                d = (position[j, 0] - gx) ** 2 + (position[j, 1] - gy) ** 2 + (position[j, 2] - gz) ** 2
                if d < best:
                    best, at, moved = d, j, True
        # Between texels: weights by nearness, so that the result moves evenly with the offset.
        total, value = np.float32(0.0), np.float32(0.0)
        for k in range(5):
            j = at if k == 4 else links[at, k]
            if j < 0:
                continue
            d = (position[j, 0] - gx) ** 2 + (position[j, 1] - gy) ** 2 + (position[j, 2] - gz) ** 2
            w = np.float32(1.0) / (d + np.float32(1e-12))
            total += w
            value += w * field[j]
        out[i] = value / total


@kernel
def _walk_far(start, end, links, places, position, under, offset, field, reach, out):  # type: ignore[no-untyped-def]
    """From the whole's texel that lies below; between its texels by weights that end evenly at the root of
    ``reach``.
    """
    for i in range(start, end):
        gx, gy, gz = position[i, 0] + offset[i, 0], position[i, 1] + offset[i, 1], position[i, 2] + offset[i, 2]
        at = under[i]
        best = (places[at, 0] - gx) ** 2 + (places[at, 1] - gy) ** 2 + (places[at, 2] - gz) ** 2
        moved = True
        while moved:
            moved = False
            here = at
            for k in range(4):
                j = links[here, k]
                if j < 0:
                    continue
                d = (places[j, 0] - gx) ** 2 + (places[j, 1] - gy) ** 2 + (places[j, 2] - gz) ** 2
                if d < best:
                    best, at, moved = d, j, True
        total, value = np.float32(1e-12), np.float32(1e-12) * field[at]
        for k in range(5):
            near = at if k == 4 else links[at, k]
            if near < 0:
                continue
            for m in range(3):
                # The texel, and those up and down of it: with the four next door all eight around.
                j = near if m == 2 else links[near, 2 + m] if k < 2 else -1
                if j < 0:
                    continue
                d = (places[j, 0] - gx) ** 2 + (places[j, 1] - gy) ** 2 + (places[j, 2] - gz) ** 2
                if d < reach:
                    w = (np.float32(1.0) - d / reach) ** 2
                    total += w
                    value += w * field[j]
        out[i] = value / total


def read_off(texels: Texels, field: np.ndarray, offset_m: np.ndarray, reach_mm: float) -> np.ndarray:
    """A (n,) float32 field read at each texel's place moved by ``offset_m`` (n, 3), metres, along the surface, by
    ``reach_mm`` at most.

    From texel to texel towards the place aimed at, through seams, as far as each step brings it nearer. What is aimed
    at from a window may lie beyond it: then it is read off the whole.
    """
    offset = np.ascontiguousarray(offset_m, np.float32)
    # Noted is what is read, not what was found: the pattern that aims is finer in a window.
    noted = decided("read off", lambda: field) if texels.wide(reach_mm) else field
    if noted is field or not isinstance(texels, Window):
        out = np.empty_like(field)
        for_ranges(_walk, len(texels), texels.links, texels.position, offset, field, out)
        return out
    whole, out = texels.whole, np.empty(len(texels), np.float32)
    for_ranges(
        _walk_far, len(texels), whole.neighbours, whole.position, texels.position, texels.under, offset, noted,
        np.float32((1.6e-3 * whole.spacing_mm) ** 2), out,
    )  # fmt: skip
    return out


@kernel
def _slopes(start, end, near, triangle, along_u, along_v, texel_uv, extended, out):  # type: ignore[no-untyped-def]
    half = np.float32(0.5 / texel_uv)
    for i in range(start, end):
        t = triangle[i]
        du = (extended[near[i, 1]] - extended[near[i, 0]]) * half * steps_of(near, i, 0)
        dv = (extended[near[i, 3]] - extended[near[i, 2]]) * half * steps_of(near, i, 2)
        guu, guv, gvv = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for k in range(3):
            guu += along_u[t, k] * along_u[t, k]
            guv += along_u[t, k] * along_v[t, k]
            gvv += along_v[t, k] * along_v[t, k]
        det = guu * gvv - guv * guv
        if det <= 0.0:
            for k in range(3):
                out[i, k] = np.float32(0.0)
            continue
        cu, cv = (gvv * du - guv * dv) / det, (guu * dv - guv * du) / det
        for k in range(3):
            out[i, k] = cu * along_u[t, k] + cv * along_v[t, k]


def surface_gradient(texels: Texels, field: np.ndarray) -> np.ndarray:
    """(n, 3) float32 per metre: the gradient of a (n,) field along the surface, in space, in the metric of the UV
    mapping.
    """
    out = np.empty((len(texels), 3), np.float32)
    for_ranges(
        _slopes, len(texels), texels.stencil, texels.triangle, texels.along_u, texels.along_v,
        np.float32(1.0 / texels.size), texels.extend(field), out,
    )  # fmt: skip
    return out
