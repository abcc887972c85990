"""Neighbours of every texel, with seams crossed.

A texel at the border of a UV island has no neighbour pixel that belongs to its own surface. For each such side a
*gutter sample* is made: walk from the texel's centre one texel outward; where the walk meets a seam, unfold the
triangle on the other side into the plane and go on there; where it ends, read the surface bilinearly. Gutter samples
belong to one texel and one direction, not to a pixel, so tightly packed islands cannot disturb each other.
"""

from __future__ import annotations

import numpy as np

from limus.common.kernel import inlined, kernel

#: left, right, up (towards smaller v), down
STEPS = np.array([[-1, 0], [1, 0], [0, -1], [0, 1]], np.int64)


@inlined
def texel_at(table, shift, index, size, page, x, y):  # type: ignore[no-untyped-def]
    """The texel at a pixel, or -1. Of a whole surface ``index`` holds every pixel of its pictures and ``table`` is
    empty; of a window ``table`` says which of its blocks lies there, and ``index`` holds the pixels of its blocks.
    """
    if len(table) == 0:
        return index[(page * size + y) * size + x]
    wide = size >> shift
    block = np.int64(table[(page * wide + (y >> shift)) * wide + (x >> shift)])
    if block < 0:
        return np.int32(-1)
    inside = (1 << shift) - 1
    return index[(block << (2 * shift)) + ((y & inside) << shift) + (x & inside)]


@kernel
def find_inner(start, end, pixel, triangle, island, position, reach, table, shift, index, size, steps, out):  # type: ignore[no-untyped-def]
    """Fill ``out`` (n, 4) with the texel next door, or -1 where a gutter sample is needed."""
    page_size = size * size
    for i in range(start, end):
        px = pixel[i]
        page = px // page_size
        x, y = px % size, (px % page_size) // size
        t = triangle[i]
        for s in range(4):
            u, v = x + steps[s, 0], y + steps[s, 1]
            out[i, s] = -1
            if u < 0 or v < 0 or u >= size or v >= size:
                continue
            j = texel_at(table, shift, index, size, page, u, v)
            if j < 0 or island[triangle[j]] != island[t]:
                continue
            # An island may lie against itself (an unrolled tube): the neighbour must also be near in space.
            gap = 0.0
            for k in range(3):
                gap += (position[i, k] - position[j, k]) ** 2
            if gap <= reach[t] ** 2:
                out[i, s] = j


@kernel
def walk(  # type: ignore[no-untyped-def]
    start,
    end,
    border,
    side,
    pixel,
    triangle,
    table,
    shift,
    index,
    size,
    steps,
    uv,
    positions,
    triangles,
    page_of,
    welded,
    twin,
    twin_edge,
    kind,
    island,
    sources,
    weights,
    aims,
):
    """For each (border texel, side): up to four source texels and their weights, and the pixel that is aimed at, -1
    where the surface ends.
    """
    page_size = size * size
    a3 = np.empty(3)
    e3 = np.empty(3)
    c3 = np.empty(3)
    for g in range(start, end):
        i = border[g]
        s = side[g]
        t = triangle[i]
        px = pixel[i]
        qx = (px % size + 0.5 + steps[s, 0]) / size
        qy = ((px % page_size) // size + 0.5 + steps[s, 1]) / size
        found = False
        for _ in range(12):
            i0, i1, i2 = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            d1x, d1y = uv[i1, 0] - uv[i0, 0], uv[i1, 1] - uv[i0, 1]
            d2x, d2y = uv[i2, 0] - uv[i0, 0], uv[i2, 1] - uv[i0, 1]
            det = d1x * d2y - d2x * d1y
            if abs(det) < 1e-20:
                break
            rx, ry = qx - uv[i0, 0], qy - uv[i0, 1]
            b1 = (rx * d2y - d2x * ry) / det
            b2 = (d1x * ry - rx * d1y) / det
            b0 = 1.0 - b1 - b2
            if b0 >= -1e-5 and b1 >= -1e-5 and b2 >= -1e-5:
                found = True
                break
            # Leave by the edge opposite the most negative corner.
            if b0 <= b1 and b0 <= b2:
                edge = 1
            elif b1 <= b2:
                edge = 2
            else:
                edge = 0
            nxt = twin[t, edge]
            if nxt < 0:
                break
            if kind[t, edge] == 1:
                t = nxt
                continue
            ea, eb = triangles[t, edge], triangles[t, (edge + 1) % 3]
            length2 = 0.0
            along = 0.0
            for k in range(3):
                point = b0 * positions[i0, k] + b1 * positions[i1, k] + b2 * positions[i2, k]
                a3[k] = positions[ea, k]
                e3[k] = positions[eb, k] - a3[k]
                c3[k] = point - a3[k]
                length2 += e3[k] * e3[k]
                along += e3[k] * c3[k]
            if length2 < 1e-24:
                break
            along /= length2
            depth = 0.0
            for k in range(3):
                depth += (c3[k] - along * e3[k]) ** 2
            depth = depth**0.5
            # The same edge in the triangle across, and the direction in its plane away from that edge.
            f = twin_edge[t, edge]
            j0, j1, j2 = triangles[nxt, f], triangles[nxt, (f + 1) % 3], triangles[nxt, (f + 2) % 3]
            if welded[j0] != welded[ea]:
                j0, j1 = j1, j0
            inward2 = 0.0
            dot = 0.0
            for k in range(3):
                dot += (positions[j2, k] - positions[j0, k]) * e3[k]
            dot /= length2
            for k in range(3):
                c3[k] = positions[j2, k] - positions[j0, k] - dot * e3[k]
                inward2 += c3[k] * c3[k]
            if inward2 < 1e-24:
                break
            # Position across = j0 + along * edge + depth * inward; in barycentrics of (j0, j1, j2):
            w2 = depth / inward2**0.5
            w1 = along - w2 * dot
            w0 = 1.0 - w1 - w2
            qx = w0 * uv[j0, 0] + w1 * uv[j1, 0] + w2 * uv[j2, 0]
            qy = w0 * uv[j0, 1] + w1 * uv[j1, 1] + w2 * uv[j2, 1]
            t = nxt
        total = 0.0
        for k in range(4):
            sources[g, k] = i
            weights[g, k] = 0.0
        aims[g] = -1
        if found:
            ax, ay = min(max(int(qx * size), 0), size - 1), min(max(int(qy * size), 0), size - 1)
            aims[g] = (np.int64(page_of[t]) * size + ay) * size + ax
            fx, fy = qx * size - 0.5, qy * size - 0.5
            x0, y0 = int(np.floor(fx)), int(np.floor(fy))
            fx -= x0
            fy -= y0
            for k in range(4):
                u, v = x0 + (k & 1), y0 + (k >> 1)
                if u < 0 or v < 0 or u >= size or v >= size:
                    continue
                j = texel_at(table, shift, index, size, page_of[t], u, v)
                if j < 0 or island[triangle[j]] != island[t]:
                    continue
                w = (fx if k & 1 else 1.0 - fx) * (fy if k >> 1 else 1.0 - fy)
                sources[g, k] = j
                weights[g, k] = w
                total += w
        if total > 1e-6:
            for k in range(4):
                weights[g, k] /= total
        else:
            # An open edge, or nothing there: the surface goes on as it is.
            sources[g, 0] = i
            weights[g, 0] = 1.0


@kernel
def gather(start, end, field, sources, weights, out):  # type: ignore[no-untyped-def]
    """Values of gutter samples: ``out[g] = sum(weights * field[sources])`` for a (n, c) field."""
    for g in range(start, end):
        for c in range(field.shape[1]):
            value = np.float32(0.0)
            for k in range(4):
                value += weights[g, k] * field[sources[g, k], c]
            out[g, c] = value
