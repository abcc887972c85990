"""Charts of dense meshes: grown over the surface, each laid flat, so that a scan of a million triangles is unwrapped
while one waits.

Regions are grown from seeds that move to the middle of what they got (D. Cohen-Steiner, P. Alliez, M. Desbrun,
"Variational shape approximation", 2004, with distances along the surface that grow where it turns away); where a region
turns too far it gets one more seed. Each is laid flat as rigidly as possible (L. Liu et al., "A local/global approach
to mesh parameterization", 2008), beginning with its own projection; what folds is divided, and the few triangles that
still fold are charts of their own.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from limus.common.kernel import kernel
from limus.surface.adjacency import match_edges
from limus.surface.uv_health import claim

Say = Callable[[float], None]
#: Cosine of how far the (evened) surface may turn away from the mean of its chart, and the share of its area that may
#: turn further.
TURN, BEYOND = 0.65, 0.035
#: Rounds in which charts that turn too far get another seed, and in which folded ones are divided.
ROUNDS, DIVISIONS = 14, 4
#: Steps of laying flat. Ten come within a hundredth of where forty end (tried on stones and figures).
STEPS = 10


@kernel
def _frames(tri, p, normal, area, middle):  # type: ignore[no-untyped-def]
    for t in range(len(tri)):
        a, b, c = tri[t, 0], tri[t, 1], tri[t, 2]
        ux, uy, uz = p[b, 0] - p[a, 0], p[b, 1] - p[a, 1], p[b, 2] - p[a, 2]
        vx, vy, vz = p[c, 0] - p[a, 0], p[c, 1] - p[a, 1], p[c, 2] - p[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = (nx * nx + ny * ny + nz * nz) ** 0.5
        area[t] = 0.5 * length
        scale = 1.0 / max(length, 1e-300)
        normal[t, 0], normal[t, 1], normal[t, 2] = nx * scale, ny * scale, nz * scale
        for k in range(3):
            middle[t, k] = (p[a, k] + p[b, k] + p[c, k]) / 3.0


@kernel
def _evened(normal, area, twin, times):  # type: ignore[no-untyped-def]
    """Normals averaged with those across the edges: what a grain of noise does is no turn of the surface."""
    here = normal.copy()
    for _ in range(times):
        out = np.empty_like(here)
        for t in range(len(here)):
            x, y, z = here[t, 0] * area[t], here[t, 1] * area[t], here[t, 2] * area[t]
            for e in range(3):
                o = twin[t, e]
                # Not over an edge: that is where a chart should end.
                if o >= 0 and here[t, 0] * here[o, 0] + here[t, 1] * here[o, 1] + here[t, 2] * here[o, 2] > 0.5:
                    x += here[o, 0] * area[o]
                    y += here[o, 1] * area[o]
                    z += here[o, 2] * area[o]
            length = max((x * x + y * y + z * z) ** 0.5, 1e-300)
            out[t, 0], out[t, 1], out[t, 2] = x / length, y / length, z / length
        here = out
    return here


@kernel
def _flood(seeds, towards, normal, middle, twin, chart, cost, allowed):  # type: ignore[no-untyped-def]
    """Give every triangle to the seed that reaches it cheapest; ``allowed`` (T,) is the only chart that may be
    divided there, or -1 for any.
    """
    heap = [(0.0, 0, 0)]
    heap.pop()
    for t in range(len(chart)):
        cost[t] = np.inf
    for s in range(len(seeds)):
        if seeds[s] >= 0:
            heapq.heappush(heap, (0.0, np.int64(seeds[s]), np.int64(s)))  # type: ignore[misc]
    while len(heap) > 0:
        c, t, s = heapq.heappop(heap)
        if cost[t] < np.inf:
            continue
        cost[t] = c
        chart[t] = s
        for e in range(3):
            o = twin[t, e]
            if o < 0 or cost[o] < np.inf or allowed[o] != allowed[t]:
                continue
            away = 1.0 - (normal[o, 0] * towards[s, 0] + normal[o, 1] * towards[s, 1] + normal[o, 2] * towards[s, 2])
            bend = 1.0 - (normal[o, 0] * normal[t, 0] + normal[o, 1] * normal[t, 1] + normal[o, 2] * normal[t, 2])
            step = 0.0
            for k in range(3):
                step += (middle[o, k] - middle[t, k]) ** 2
            heapq.heappush(heap, (c + step**0.5 * (1.0 + 6.0 * away * away + 4.0 * bend), np.int64(o), s))  # type: ignore[misc]


@kernel
def _middles(chart, count, normal, area, middle, towards, seeds, low):  # type: ignore[no-untyped-def]
    """Mean normals of the charts, and the triangle of each that lies nearest to its middle."""
    total = np.zeros(count)
    centre = np.zeros((count, 3))
    towards[:] = 0.0
    for t in range(len(chart)):
        s = chart[t]
        if s < 0:
            continue
        total[s] += area[t]
        for k in range(3):
            centre[s, k] += area[t] * middle[t, k]
            towards[s, k] += area[t] * normal[t, k]
    for s in range(count):
        length = max((towards[s, 0] ** 2 + towards[s, 1] ** 2 + towards[s, 2] ** 2) ** 0.5, 1e-300)
        for k in range(3):
            centre[s, k] /= max(total[s], 1e-300)
            towards[s, k] /= length
        low[s] = np.inf
        seeds[s] = -1
    for t in range(len(chart)):
        s = chart[t]
        if s < 0:
            continue
        far = 0.0
        dot = 0.0
        for k in range(3):
            far += (middle[t, k] - centre[s, k]) ** 2
            dot += normal[t, k] * towards[s, k]
        far *= 2.0 - dot
        if far < low[s]:
            low[s] = far
            seeds[s] = t


@kernel
def _turned(chart, count, normal, area, towards, limit, share, worst):  # type: ignore[no-untyped-def]
    """Of each chart the share of its area that turns away too far, and the triangle that does so most."""
    total, beyond, least = np.zeros(count), np.zeros(count), np.full(count, 2.0)
    for t in range(len(chart)):
        s = chart[t]
        if s < 0:
            continue
        dot = normal[t, 0] * towards[s, 0] + normal[t, 1] * towards[s, 1] + normal[t, 2] * towards[s, 2]
        total[s] += area[t]
        if dot < limit:
            beyond[s] += area[t]
        if dot < least[s]:
            least[s] = dot
            worst[s] = t
    for s in range(count):
        share[s] = beyond[s] / max(total[s], 1e-300)


@kernel
def _turn_back(tri, ref, weight, uv, rhs):  # type: ignore[no-untyped-def]
    """Right hand side of laying flat: edges as they are in space, turned with each triangle (Liu et al., equations 3
    and 5).
    """
    rhs[:] = 0.0
    for t in range(len(tri)):
        xx, xy, yx, yy = 0.0, 0.0, 0.0, 0.0
        for e in range(3):
            i, j = e, (e + 1) % 3
            rx, ry = ref[t, i, 0] - ref[t, j, 0], ref[t, i, 1] - ref[t, j, 1]
            ux, uy = uv[tri[t, i], 0] - uv[tri[t, j], 0], uv[tri[t, i], 1] - uv[tri[t, j], 1]
            w = weight[t, e]
            xx += w * ux * rx
            xy += w * ux * ry
            yx += w * uy * rx
            yy += w * uy * ry
        # The rotation nearest to the 2 x 2 map, without a decomposition.
        c, s = xx + yy, yx - xy
        length = max((c * c + s * s) ** 0.5, 1e-300)
        c, s = c / length, s / length
        for e in range(3):
            i, j = e, (e + 1) % 3
            rx, ry = ref[t, i, 0] - ref[t, j, 0], ref[t, i, 1] - ref[t, j, 1]
            w = weight[t, e]
            bx, by = w * (c * rx - s * ry), w * (s * rx + c * ry)
            rhs[tri[t, i], 0] += bx
            rhs[tri[t, i], 1] += by
            rhs[tri[t, j], 0] -= bx
            rhs[tri[t, j], 1] -= by


def _flat(p: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(T, 3, 2) each triangle by itself in a plane, its true shape, and (T, 3) weights of its edges (cotangents of
    the angles across).
    """
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    length = np.maximum(np.linalg.norm(e1, axis=1), 1e-30)
    foot = np.einsum("ij,ij->i", e1, e2) / length
    tall = np.linalg.norm(np.cross(e1, e2), axis=1) / length
    ref = np.zeros((len(p), 3, 2))
    ref[:, 1, 0], ref[:, 2, 0], ref[:, 2, 1] = length, foot, np.maximum(tall, 1e-12 * length)
    weight = np.empty((len(p), 3))
    for e in range(3):
        a, b, c = ref[:, e], ref[:, (e + 1) % 3], ref[:, (e + 2) % 3]
        u, v = a - c, b - c
        across = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
        cot = np.einsum("ij,ij->i", u, v) / np.maximum(across, 1e-30)
        weight[:, e] = np.clip(cot, 0.02, 50.0)
    return ref, weight


def _laid(tri: np.ndarray, p: np.ndarray, towards: np.ndarray) -> np.ndarray:
    """(V, 2) one chart laid flat: ``tri`` (T, 3) over its own vertices ``p`` (V, 3), seen from ``towards``."""
    axis = np.eye(3)[int(np.argmin(np.abs(towards)))]
    right = np.cross(axis, towards)
    right /= np.linalg.norm(right)
    up = np.cross(towards, right)
    uv = np.stack([p @ right, p @ up], axis=1)
    ref, weight = _flat(p[tri])
    i, j = tri, np.roll(tri, -1, axis=1)
    rows, columns = np.concatenate([i.ravel(), j.ravel()]), np.concatenate([j.ravel(), i.ravel()])
    off = sparse.coo_array((-np.tile(weight.ravel(), 2), (rows, columns)), shape=(len(p), len(p))).tocsc()
    matrix = off - sparse.diags_array(np.asarray(off.sum(axis=1)).ravel())
    # One vertex is held, or the whole could be moved.
    pin = sparse.coo_array(([float(weight.mean())], ([0], [0])), shape=matrix.shape)
    try:
        solver = splu(
            (matrix + pin).tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
        )
    except RuntimeError:
        return uv
    rhs = np.empty_like(uv)
    for _ in range(STEPS):
        _turn_back(tri, ref, weight, uv, rhs)
        uv = solver.solve(rhs)
    return uv if np.isfinite(uv).all() else np.stack([p @ right, p @ up], axis=1)


@kernel
def _unfold(tri, uv, held, starts, links, steps):  # type: ignore[no-untyped-def]
    """Move vertices of folded triangles to the mean of their neighbours until nothing folds (W. Tutte, 1963); the rim
    is held.
    """
    moved = np.zeros(len(uv), np.uint8)
    for step in range(steps):
        folded = 0
        for t in range(len(tri)):
            a, b, c = tri[t, 0], tri[t, 1], tri[t, 2]
            det = (uv[b, 0] - uv[a, 0]) * (uv[c, 1] - uv[a, 1]) - (uv[b, 1] - uv[a, 1]) * (uv[c, 0] - uv[a, 0])
            if det <= 0.0:
                folded += 1
                for k in range(3):
                    moved[tri[t, k]] = 1
        if folded == 0:
            break
        if step % 8 == 7:
            # What does not come loose by itself takes those around it along.
            wider = moved.copy()
            for v in range(len(uv)):
                if moved[v]:
                    for j in range(starts[v], starts[v + 1]):
                        wider[links[j]] = 1
            moved = wider
        for v in range(len(uv)):
            if moved[v] == 0 or held[v]:
                continue
            x, y = 0.0, 0.0
            for j in range(starts[v], starts[v + 1]):
                x += uv[links[j], 0]
                y += uv[links[j], 1]
            n = max(starts[v + 1] - starts[v], 1)
            uv[v, 0], uv[v, 1] = x / n, y / n


def _unfolded(tri: np.ndarray, uv: np.ndarray) -> np.ndarray:
    i, j = tri.ravel(), np.roll(tri, -1, axis=1).ravel()
    both = sparse.coo_array(
        (np.ones(len(i) * 2, np.int32), (np.concatenate([i, j]), np.concatenate([j, i]))), shape=(len(uv),) * 2
    ).tocsr()
    held = np.zeros(len(uv), np.bool_)
    # An edge of one triangle only is the rim.
    rows = np.repeat(np.arange(len(uv)), np.diff(both.indptr))
    rim = both.data == 1
    held[rows[rim]] = True
    out = np.ascontiguousarray(uv)
    _unfold(tri, out, held, both.indptr, both.indices, 80)
    return out


def _signed(tri: np.ndarray, uv: np.ndarray) -> np.ndarray:
    q = uv[tri]
    d1, d2 = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
    return np.asarray(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0])


def _overlaps(tri: np.ndarray, uv: np.ndarray) -> bool:
    """Whether a chart lies over itself."""
    size = 256
    low = uv.min(axis=0)
    wide = max(float((uv.max(axis=0) - low).max()), 1e-300)
    counts = np.zeros(size * size, np.int32)
    # Corners in the middles of the outermost pixels.
    claim(((uv - low) * ((size - 1) / wide) + 0.5) / size, tri, np.zeros(len(tri), np.int32), size, counts)
    return bool((counts > 1).sum() > max(3, (counts > 0).sum() * 0.002))


def grown(
    triangles: np.ndarray, positions: np.ndarray, welded: np.ndarray, say: Say
) -> tuple[np.ndarray, np.ndarray, tuple[np.ndarray, ...]]:
    """(T,) the chart of each triangle, (charts, 3) what each faces, and what was measured on the way (twin, normal,
    area, middle).
    """
    count = len(triangles)
    twin, twin_edge = np.full((count, 3), -1, np.int32), np.full((count, 3), -1, np.int32)
    # Of the same kinds as everywhere else: compiled once.
    match_edges(triangles.astype(np.int32), welded.astype(np.int32), int(welded.max(initial=0)) + 1, twin, twin_edge)
    normal, area, middle = np.empty((count, 3)), np.empty(count), np.empty((count, 3))
    _frames(triangles, positions, normal, area, middle)
    # As far as a few hundredths of the object, whatever the grain of the mesh.
    even = _evened(normal, area, twin, int(np.clip(count / 5000, 8, 120)))
    say(0.1)
    joined = sparse.coo_array(
        (np.ones((twin >= 0).sum(), np.int8), (np.nonzero(twin >= 0)[0], twin[twin >= 0])), shape=(count, count)
    )
    bodies, body = sparse.csgraph.connected_components(joined, directed=False)
    first = np.full(bodies, -1, np.int64)
    first[body[::-1]] = np.arange(count)[::-1]
    seeds = first.copy()
    towards = even[seeds]
    chart, cost, free = np.full(count, -1, np.int32), np.empty(count), np.full(count, -1, np.int32)
    for turn in range(ROUNDS):
        for _ in range(2):
            _flood(seeds, towards, even, middle, twin, chart, cost, free)
            low = np.empty(len(seeds))
            _middles(chart, len(seeds), even, area, middle, towards, seeds, low)
        share, worst = np.zeros(len(seeds)), np.zeros(len(seeds), np.int64)
        _turned(chart, len(seeds), even, area, towards, TURN, share, worst)
        bad = np.flatnonzero(share > BEYOND)
        say(0.1 + 0.9 * (turn + 1) / ROUNDS)
        if not len(bad):
            break
        seeds = np.concatenate([seeds, worst[bad]])
        towards = np.concatenate([towards, even[worst[bad]]])
    _flood(seeds, towards, even, middle, twin, chart, cost, free)
    chart = _merged(chart, even, area, middle, twin, p=positions, tri=triangles)
    return chart, even, (twin, normal, area, middle)


def _merged(
    chart: np.ndarray,
    even: np.ndarray,
    area: np.ndarray,
    middle: np.ndarray,
    twin: np.ndarray,
    *,
    p: np.ndarray,
    tri: np.ndarray,
) -> np.ndarray:
    """Charts joined with those beside them that face the same way, along the longest borders first, as long as they do
    not turn too far together: seeds that came late may have cut what is flat. (T,) int32, numbered anew.
    """
    _, chart = np.unique(chart, return_inverse=True)
    chart = np.asarray(chart, np.int64).reshape(-1)
    count = int(chart.max(initial=-1)) + 1
    t, e = np.nonzero((twin >= 0) & (chart[np.maximum(twin, 0)] != chart[:, None]))
    if not len(t):
        return chart.astype(np.int32)
    a, b = chart[t], chart[twin[t, e]]
    length = np.linalg.norm(p[tri[t, (e + 1) % 3]] - p[tri[t, e]], axis=1)
    # A border along an edge of the shape is where charts should end.
    length = np.where(np.einsum("ij,ij->i", even[t], even[twin[t, e]]) > 0.8, length, 0.0)
    pairs, group = np.unique(np.minimum(a, b) * count + np.maximum(a, b), return_inverse=True)
    shared = np.bincount(np.asarray(group).reshape(-1), length)
    rows = [part for part, _ in _groups(chart)]
    sums = np.stack([np.bincount(chart, even[:, k] * area, count) for k in range(3)], axis=1)
    parent = np.arange(count)

    def root(k: int) -> int:
        while parent[k] != k:
            parent[k] = parent[parent[k]]
            k = int(parent[k])
        return k

    for pair in np.argsort(-shared, kind="stable"):
        if shared[pair] <= 0:
            break
        x, y = root(int(pairs[pair] // count)), root(int(pairs[pair] % count))
        if x == y:
            continue
        together = sums[x] + sums[y]
        towards = together / max(float(np.linalg.norm(together)), 1e-300)
        if (
            min(
                sums[x] @ towards / max(float(np.linalg.norm(sums[x])), 1e-300),
                sums[y] @ towards / max(float(np.linalg.norm(sums[y])), 1e-300),
            )
            < 0.93
        ):
            continue
        here = np.concatenate([rows[x], rows[y]])
        if float(area[here][even[here] @ towards < TURN].sum()) > BEYOND * float(area[here].sum()):
            continue
        parent[y] = x
        rows[x], rows[y], sums[x] = here, here[:0], together
    roots = np.array([root(k) for k in range(count)])
    _, joined = np.unique(roots[chart], return_inverse=True)
    return np.asarray(joined, np.int32).reshape(-1)


def dense_charts(
    positions: np.ndarray, triangles: np.ndarray, welded: np.ndarray, say: Say
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """UVs of a dense mesh, not packed yet.

    Parameters
    ----------
    positions : (V, 3) any unit. triangles : (T, 3). welded : (V,) equal for vertices in one place. say : told 0..1,
        may raise.

    Returns
    -------
    rows : (W,) the vertex that each new one is. faces : (T, 3) of new vertices. uv : (W, 2) float64 in the unit of
        the positions, v upwards.
    chart : (T,) int32.
    """
    tri, p = np.ascontiguousarray(triangles, np.int64), np.ascontiguousarray(positions, np.float64)
    chart, even, (twin, _, area, middle) = grown(tri, p, np.ascontiguousarray(welded), lambda share: say(0.4 * share))
    waiting = _groups(chart)
    rows_out, uv_out = [], []
    faces = np.empty_like(tri)
    number = np.zeros(len(tri), np.int32)
    base = made = done = 0
    total = len(tri)
    while waiting:
        here, depth = waiting.pop()
        weights = area[here]
        towards = (even[here] * weights[:, None]).sum(axis=0)
        towards /= max(float(np.linalg.norm(towards)), 1e-300)
        # Corners that lie in one place are one vertex of the chart.
        places, local = np.unique(welded[tri[here]], return_inverse=True)
        local = np.ascontiguousarray(np.asarray(local).reshape(-1, 3), np.int64)
        own = np.empty(len(places), np.int64)
        own[local.ravel()] = tri[here].ravel()
        uv = _laid(local, p[own], towards)
        folded = _signed(local, uv) <= 0
        if folded.any() and folded.mean() < 0.2:
            uv = _unfolded(local, uv)
            folded = _signed(local, uv) <= 0
        if depth < DIVISIONS and len(here) > 8 and (folded.mean() > 0.002 or _overlaps(local, uv)):
            waiting += [(part, depth + 1) for part in _divided(here, even, middle, area, twin)]
            continue
        for part, flat, its in ((here[~folded], local[~folded], uv), *_singles(here[folded], tri, p)):
            if not len(part):
                continue
            used, again = np.unique(flat, return_inverse=True)
            faces[part] = np.asarray(again).reshape(-1, 3) + base
            # A corner keeps the very vertex it had, so that its normal stays its own.
            rows_out.append(own[used] if its is uv else tri[part].ravel()[used])
            uv_out.append(its[used])
            number[part] = made
            base += len(used)
            made += 1
        done += len(here)
        say(0.4 + 0.6 * done / total)
    return np.concatenate(rows_out), faces, np.concatenate(uv_out), number


def _groups(chart: np.ndarray) -> list[tuple[np.ndarray, int]]:
    order = np.argsort(chart, kind="stable")
    ends = np.cumsum(np.bincount(chart))
    return [(rows, 0) for rows in np.split(order, ends[:-1])]


def _singles(here: np.ndarray, tri: np.ndarray, p: np.ndarray) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """Each triangle that folds, by itself in its true shape."""
    if not len(here):
        return []
    ref, _ = _flat(p[tri[here]])
    return [(here[k : k + 1], np.arange(3).reshape(1, 3), ref[k]) for k in range(len(here))]


def _divided(
    here: np.ndarray, even: np.ndarray, middle: np.ndarray, area: np.ndarray, twin: np.ndarray
) -> list[np.ndarray]:
    """A chart in two or more: along its length, and what does not hang together apart."""
    inside = np.full(len(twin), -1, np.int64)
    inside[here] = np.arange(len(here))
    near = np.where(twin[here] >= 0, inside[np.maximum(twin[here], 0)], -1).astype(np.int32)
    at = middle[here] - middle[here].mean(axis=0)
    # Apart by place and by where it faces.
    spread = np.concatenate([at / max(float(np.abs(at).max()), 1e-300), even[here] - even[here].mean(axis=0)], axis=1)
    _, _, axes = np.linalg.svd(spread[:: max(1, len(spread) // 4000)], full_matrices=False)
    along = spread @ axes[0]
    seeds = np.array([int(along.argmin()), int(along.argmax())], np.int64)
    towards = even[here][seeds]
    chart, cost, free = np.full(len(here), -1, np.int32), np.empty(len(here)), np.full(len(here), -1, np.int32)
    _flood(seeds, towards, even[here], middle[here], near, chart, cost, free)
    parts = []
    for k in (0, 1, -1):
        rows = np.flatnonzero(chart == k)
        if len(rows):
            parts.append(here[rows])
    return parts if len(parts) > 1 else [here[: len(here) // 2], here[len(here) // 2 :]]
