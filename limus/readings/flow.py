"""Water running down a mesh, from triangle to triangle, so that UV seams do not exist for it.

Drops start on the surface with what rain they catch there and take the steepest way: across a triangle, along a valley
edge where both sides lead into it, on from a vertex by the steepest of what meets there. On what overhangs they hang on
for a little, then drip and go on where they fall. Every drop feels a pull tilted by up to a degree in a direction of
its own, so that a level top drains over all its edges and not over none.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import map_blocks
from limus.readings.rays import ray_scene, trace
from limus.surface.texels import Texels

#: Sums are kept apart in this many blocks whatever the number of cores, so that they round alike everywhere.
BLOCKS = 8
#: Drops at most; beyond, every second, third, ... texel starts one that carries as much more.
MOST_DROPS = 400_000
#: Tilt of the pull, radians.
TILT = 0.0175
#: A face whose normal points further down than this lets water drip.
OVERHANG = -0.3
#: Length of surface that a hanging drop wets, metres.
BEAD = 0.004
RUNNING, POOLED, DRIPPED, LEFT = 0, 1, 2, 3


@dataclass(frozen=True)
class Flow:
    """Attributes
    ----------
    passing : (n,) float32 water that passes a texel per width: m2 of open ground whose rain it carries, per m.
    started, pooled, left, fell : where the water began and ended, m2 of open ground: stayed in a hollow, ran off an
        open edge, fell past the object.
    """

    passing: np.ndarray
    started: float
    pooled: float
    left: float
    fell: float


@kernel
def _deposit(p, q, t, share, uv, corners, positions, pages, size, index, area, out):  # type: ignore[no-untyped-def]
    """Spread ``share`` x length over the texels under the segment p-q in triangle t."""
    i0, i1, i2 = corners[t, 0], corners[t, 1], corners[t, 2]
    ux, uy, uz = (
        positions[i1, 0] - positions[i0, 0],
        positions[i1, 1] - positions[i0, 1],
        positions[i1, 2] - positions[i0, 2],
    )
    vx, vy, vz = (
        positions[i2, 0] - positions[i0, 0],
        positions[i2, 1] - positions[i0, 1],
        positions[i2, 2] - positions[i0, 2],
    )
    uu, uv_, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    det = uu * vv - uv_ * uv_
    if det <= 0.0:
        return
    ends = np.empty((2, 2))
    for e in range(2):
        if e == 0:
            wx, wy, wz = p[0] - positions[i0, 0], p[1] - positions[i0, 1], p[2] - positions[i0, 2]
        else:
            wx, wy, wz = q[0] - positions[i0, 0], q[1] - positions[i0, 1], q[2] - positions[i0, 2]
        wu, wv = wx * ux + wy * uy + wz * uz, wx * vx + wy * vy + wz * vz
        b1, b2 = (vv * wu - uv_ * wv) / det, (uu * wv - uv_ * wu) / det
        # A hair inside, so that a run along an edge lies on texels of this triangle.
        b1, b2 = 0.998 * b1 + 0.002 / 3, 0.998 * b2 + 0.002 / 3
        for k in range(2):
            ends[e, k] = (uv[t, 0, k] * (1 - b1 - b2) + uv[t, 1, k] * b1 + uv[t, 2, k] * b2) * size
    length = ((q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2 + (q[2] - p[2]) ** 2) ** 0.5
    span = max(abs(ends[1, 0] - ends[0, 0]), abs(ends[1, 1] - ends[0, 1]))
    steps = min(int(span) + 1, 4 * size)
    cx = (uv[t, 0, 0] + uv[t, 1, 0] + uv[t, 2, 0]) / 3.0 * size
    cy = (uv[t, 0, 1] + uv[t, 1, 1] + uv[t, 2, 1]) / 3.0 * size
    for k in range(steps):
        f = (k + 0.5) / steps
        fx, fy = ends[0, 0] + f * (ends[1, 0] - ends[0, 0]), ends[0, 1] + f * (ends[1, 1] - ends[0, 1])
        # The pixel on the rim of an island may have its centre outside: then the next one inwards takes it.
        away = ((cx - fx) ** 2 + (cy - fy) ** 2) ** 0.5
        for inwards in range(3):
            shift = min(0.75 * inwards, away) / max(away, 1e-9)
            x, y = int(fx + shift * (cx - fx)), int(fy + shift * (cy - fy))
            if 0 <= x < size and 0 <= y < size:
                j = index[pages[t] * size * size + y * size + x]
                if j >= 0:
                    out[j] += share * length / steps / max(area[j], np.float32(1e-18))
                    break


@kernel
def _pull(t, gx, gy, gz, normal, out):  # type: ignore[no-untyped-def]
    """The pull along the plane of triangle t, unit length; returns how steep it is (0 level .. 1 straight down)."""
    dot = gx * normal[t, 0] + gy * normal[t, 1] + gz * normal[t, 2]
    out[0], out[1], out[2] = gx - dot * normal[t, 0], gy - dot * normal[t, 1], gz - dot * normal[t, 2]
    steep = (out[0] ** 2 + out[1] ** 2 + out[2] ** 2) ** 0.5
    if steep > 1e-9:
        for k in range(3):
            out[k] /= steep
    return steep


@kernel
def _run(  # type: ignore[no-untyped-def]
    first,
    last,
    start_p,
    start_t,
    mass,
    pulls,
    positions,
    corners,
    place,
    normal,
    twin,
    twin_edge,
    fan_start,
    fan,
    border,
    uv,
    pages,
    size,
    index,
    area,
    most,
    out,
    end_state,
    end_p,
    end_t,
):
    p, q, d, m = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for i in range(first, last):
        t = start_t[i]
        for k in range(3):
            p[k] = start_p[i, k]
        gx, gy, gz = pulls[i, 0], pulls[i, 1], pulls[i, 2]
        share = mass[i]
        state = 0
        lowest = -1e300
        idle = 0
        for _ in range(most):
            fallen = p[0] * gx + p[1] * gy + p[2] * gz
            if fallen > lowest + 1e-12:
                lowest, idle = fallen, 0
            else:
                idle += 1
                if idle > 24:
                    state = 1
                    break
            if normal[t, 1] < -0.3:
                state = 2
                break
            if _pull(t, gx, gy, gz, normal, d) < 1e-7:
                state = 1
                break
            # The edge where this way leaves the triangle.
            exit_edge, reach = -1, 1e300
            for e in range(3):
                a, b = corners[t, e], corners[t, (e + 1) % 3]
                ex, ey, ez = (
                    positions[b, 0] - positions[a, 0],
                    positions[b, 1] - positions[a, 1],
                    positions[b, 2] - positions[a, 2],
                )
                m[0] = normal[t, 1] * ez - normal[t, 2] * ey
                m[1] = normal[t, 2] * ex - normal[t, 0] * ez
                m[2] = normal[t, 0] * ey - normal[t, 1] * ex
                rate = d[0] * m[0] + d[1] * m[1] + d[2] * m[2]
                if rate < -1e-12 * (ex * ex + ey * ey + ez * ez) ** 0.5:
                    gap = (
                        (p[0] - positions[a, 0]) * m[0]
                        + (p[1] - positions[a, 1]) * m[1]
                        + (p[2] - positions[a, 2]) * m[2]
                    )
                    s = max(gap, 0.0) / -rate
                    if s < reach:
                        reach, exit_edge = s, e
            if exit_edge < 0:
                state = 1
                break
            for k in range(3):
                q[k] = p[k] + reach * d[k]
            _deposit(p, q, t, share, uv, corners, positions, pages, size, index, area, out)
            for k in range(3):
                p[k] = q[k]
            other = twin[t, exit_edge]
            a, b = corners[t, exit_edge], corners[t, (exit_edge + 1) % 3]
            if other >= 0:
                f = twin_edge[t, exit_edge]
                if normal[other, 1] < -0.3:
                    t = other
                    state = 2
                    break
                c, e2 = corners[other, f], corners[other, (f + 1) % 3]
                ex, ey, ez = (
                    positions[e2, 0] - positions[c, 0],
                    positions[e2, 1] - positions[c, 1],
                    positions[e2, 2] - positions[c, 2],
                )
                m[0] = normal[other, 1] * ez - normal[other, 2] * ey
                m[1] = normal[other, 2] * ex - normal[other, 0] * ez
                m[2] = normal[other, 0] * ey - normal[other, 1] * ex
                steep = _pull(other, gx, gy, gz, normal, d)
                if (
                    steep >= 1e-7
                    and d[0] * m[0] + d[1] * m[1] + d[2] * m[2] > 1e-9 * (ex * ex + ey * ey + ez * ez) ** 0.5
                ):
                    t = other
                    continue
            # Both sides lead into this edge (or it is open): along it, downwards.
            along = 0.0
            for k in range(3):
                step = positions[b, k] - positions[a, k]
                along += step * (gx if k == 0 else (gy if k == 1 else gz))
            if other < 0:
                state = 3
                break
            at = b if along > 0 else a
            for k in range(3):
                q[k] = positions[at, k]
            _deposit(p, q, t, 0.5 * share, uv, corners, positions, pages, size, index, area, out)
            _deposit(p, q, other, 0.5 * share, uv, corners, positions, pages, size, index, area, out)
            for k in range(3):
                p[k] = q[k]
            # From vertex to vertex, until a face takes over.
            for _ in range(most):
                best, best_t, best_to = 1e-7, -1, -1
                where = place[at]
                for n in range(fan_start[where], fan_start[where + 1]):
                    s = fan[n] // 3
                    corner = fan[n] % 3
                    if normal[s, 1] < -0.3:
                        continue
                    b0, b1, b2 = corners[s, corner], corners[s, (corner + 1) % 3], corners[s, (corner + 2) % 3]
                    steep = _pull(s, gx, gy, gz, normal, d)
                    if steep > best:
                        # Inside the wedge between the two edges of the corner?
                        ux, uy, uz = (
                            positions[b1, 0] - positions[b0, 0],
                            positions[b1, 1] - positions[b0, 1],
                            positions[b1, 2] - positions[b0, 2],
                        )
                        vx, vy, vz = (
                            positions[b2, 0] - positions[b0, 0],
                            positions[b2, 1] - positions[b0, 1],
                            positions[b2, 2] - positions[b0, 2],
                        )
                        left = (
                            (uy * d[2] - uz * d[1]) * normal[s, 0]
                            + (uz * d[0] - ux * d[2]) * normal[s, 1]
                            + (ux * d[1] - uy * d[0]) * normal[s, 2]
                        )
                        right = (
                            (d[1] * vz - d[2] * vy) * normal[s, 0]
                            + (d[2] * vx - d[0] * vz) * normal[s, 1]
                            + (d[0] * vy - d[1] * vx) * normal[s, 2]
                        )
                        if left >= 0.0 and right >= 0.0:
                            best, best_t, best_to = steep, s, -1
                    for side in range(1, 3):
                        far = b1 if side == 1 else b2
                        drop, length = 0.0, 0.0
                        for k in range(3):
                            step = positions[far, k] - positions[b0, k]
                            drop += step * (gx if k == 0 else (gy if k == 1 else gz))
                            length += step * step
                        if length > 0.0 and drop / length**0.5 > best:
                            best, best_t, best_to = drop / length**0.5, s, far
                if best_t < 0:
                    # Nothing leads on: an overhang lets it drip, an open border lets it go, else it stays.
                    state = 3 if border[where] else 1
                    for n in range(fan_start[where], fan_start[where + 1]):
                        if normal[fan[n] // 3, 1] < -0.3:
                            state = 2
                            t = fan[n] // 3
                    break
                t = best_t
                if best_to < 0:
                    break
                for k in range(3):
                    q[k] = positions[best_to, k]
                _deposit(p, q, t, share, uv, corners, positions, pages, size, index, area, out)
                for k in range(3):
                    p[k] = q[k]
                at = best_to
            if state != 0:
                break
            # A step into the face, off the vertex, so that the next exit is not the vertex itself.
            centre_pull = 1e-6
            for k in range(3):
                centre = (positions[corners[t, 0], k] + positions[corners[t, 1], k] + positions[corners[t, 2], k]) / 3.0
                p[k] += centre_pull * (centre - p[k])
        if state == 0:
            state = 1
        end_state[i] = state
        end_t[i] = t
        for k in range(3):
            end_p[i, k] = p[k]


def _fans(place: np.ndarray, triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The triangle corners that meet at each place: (places + 1,) starts and their numbers (3 x triangle + corner)."""
    of_corner = place[triangles.ravel()]
    order = np.argsort(of_corner, kind="stable").astype(np.int32)
    starts = np.concatenate([[0], np.cumsum(np.bincount(of_corner, minlength=int(place.max()) + 1))]).astype(np.int32)
    return starts, order


def flow(texels: Texels, caught: np.ndarray, seed: int = 7) -> Flow:
    """Run the rain caught down the surface.

    Parameters
    ----------
    caught : (n,) rain at each texel relative to open ground, as the reading ``rain``.

    Returns
    -------
    Flow; ``started`` equals ``pooled + left + fell``.
    """
    mesh = texels.mesh
    positions = mesh.positions.astype(np.float64)
    normal = mesh.face_normals.astype(np.float64)
    near, index = texels.adjacency, texels.index
    starts, fan = _fans(mesh.welded, mesh.triangles)
    border = np.zeros(len(starts) - 1, np.bool_)
    open_t, open_e = np.nonzero(near.twin < 0)
    border[mesh.welded[mesh.triangles[open_t, open_e]]] = True
    border[mesh.welded[mesh.triangles[open_t, (open_e + 1) % 3]]] = True
    wet = np.flatnonzero(caught > 1e-4)
    step = max(1, -(-len(wet) // MOST_DROPS))
    drops = wet[::step]
    passing = np.zeros(len(texels), np.float32)
    mass = (caught[drops] * texels.area[drops]).astype(np.float64)
    # What the left-out texels would have brought is carried by the others.
    whole = float((caught[wet] * texels.area[wet]).sum(dtype=np.float64))
    if len(drops) == 0 or mass.sum() <= 0:
        return Flow(passing, 0.0, 0.0, 0.0, 0.0)
    mass *= whole / mass.sum()
    random = np.random.default_rng(seed)
    angle, lean = random.uniform(0, 2 * np.pi, len(drops)), TILT * np.sqrt(random.uniform(0, 1, len(drops)))
    pulls = np.stack([np.sin(lean) * np.cos(angle), -np.cos(lean), np.sin(lean) * np.sin(angle)], axis=1)
    p, t = texels.position[drops].astype(np.float64), texels.triangle[drops].astype(np.int64)
    pages = mesh.triangle_map_set
    most = int(16 * np.sqrt(len(mesh.triangles))) + 4000
    scene = ray_scene(mesh)
    pooled = left = fell = 0.0
    for _ in range(5):
        count = len(p)
        if not count:
            break
        state, end_p, end_t = np.zeros(count, np.int8), np.empty((count, 3)), np.empty(count, np.int64)
        edges = [count * k // BLOCKS for k in range(BLOCKS + 1)]
        sums = np.zeros((BLOCKS, len(texels)), np.float32)

        def block(
            k: int,
            p: np.ndarray = p,
            t: np.ndarray = t,
            mass: np.ndarray = mass,
            pulls: np.ndarray = pulls,
            edges: list[int] = edges,
            sums: np.ndarray = sums,
            state: np.ndarray = state,
            end_p: np.ndarray = end_p,
            end_t: np.ndarray = end_t,
        ) -> None:
            _run(
                edges[k], edges[k + 1], p, t, mass, pulls, positions, mesh.triangles, mesh.welded, normal, near.twin,
                near.twin_edge,
                starts, fan, border, texels.uv, pages, texels.size, index, texels.area, most, sums[k], state,
                end_p, end_t,
            )  # fmt: skip

        map_blocks(block, list(range(BLOCKS)))
        for k in range(BLOCKS):
            passing += sums[k]
        pooled += float(mass[state == POOLED].sum())
        left += float(mass[state == LEFT].sum())
        hanging = np.flatnonzero(state == DRIPPED)
        if not len(hanging):
            p = p[:0]
            break
        _hang(texels, end_p[hanging], end_t[hanging], mass[hanging], passing)
        # Down to what lies below.
        origin = end_p[hanging].astype(np.float32)
        origin[:, 1] -= np.float32(mesh.diagonal * 2e-5)
        hits = trace(scene, origin, np.tile(np.array([[0, -1, 0]], np.float32), (len(origin), 1)))
        ok = (hits["primID"] >= 0) & (hits["Ng"][:, 1] > 0)
        fell += float(mass[hanging[~ok]].sum())
        rows = hanging[ok]
        p = end_p[rows].copy()
        p[:, 1] = origin[ok, 1] - hits["tfar"][ok]
        t, mass, pulls = hits["primID"][ok].astype(np.int64), mass[rows], pulls[rows]
    else:
        # Still dripping after five falls: it has left for the purposes of this reading.
        fell += float(mass.sum())
    return Flow(passing, whole, pooled, left, fell)


def _hang(texels: Texels, p: np.ndarray, t: np.ndarray, mass: np.ndarray, passing: np.ndarray) -> None:
    """Drops gather at the edge where they let go: a bead's length of surface is wetted there."""
    mesh = texels.mesh
    tri = mesh.triangles[t]
    a, b, c = (mesh.positions[tri[:, k]].astype(np.float64) for k in range(3))
    u, v, w = b - a, c - a, p - a
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = np.einsum("ij,ij->i", w, u), np.einsum("ij,ij->i", w, v)
    det = np.maximum(uu * vv - uv * uv, 1e-300)
    b1, b2 = np.clip((vv * wu - uv * wv) / det, 0, 1), np.clip((uu * wv - uv * wu) / det, 0, 1)
    todo = np.arange(len(t))
    # A hair inside, and further in where the rim of the island is narrower than a pixel.
    for inwards in (0.04, 0.15, 0.4):
        c1, c2 = (1 - inwards) * b1[todo] + inwards / 3, (1 - inwards) * b2[todo] + inwards / 3
        own = t[todo]
        at = (
            texels.uv[own, 0] * (1 - c1 - c2)[:, None]
            + texels.uv[own, 1] * c1[:, None]
            + texels.uv[own, 2] * c2[:, None]
        )
        x, y = (np.clip((at[:, k] * texels.size).astype(np.int64), 0, texels.size - 1) for k in range(2))
        j = texels.index[mesh.triangle_map_set[own].astype(np.int64) * texels.size**2 + y * texels.size + x]
        ok = j >= 0
        np.add.at(passing, j[ok], (mass[todo[ok]] * BEAD / np.maximum(texels.area[j[ok]], 1e-18)).astype(np.float32))
        todo = todo[~ok]
