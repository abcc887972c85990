"""Networks of cracks: old ones divide the surface, younger ones divide what is left between them and end at the older.

Shrinkage cracks form one generation after the other; a young crack meets an older one near a right angle, because
stress along the older one has been let go across it (S. Bohn, L. Pauchard and Y. Couder, "Hierarchical crack pattern as
formed by successive domain divisions", Physical Review E 71, 2005). Here each generation lies half way between sites
scattered over the surface, looked at only inside the piece that the older ones left; close to an older crack the place
that is asked about is moved along its normal, so that what arrives arrives straight.

Distances are those to the planes half way between two sites, along the surface: nothing is drawn into a picture, so
it is sharp at any resolution.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.patterns.lattice import again, unit
from limus.patterns.noise import octave
from limus.patterns.sites import Sites
from limus.surface.grid import grid_of

#: Spacing of each generation against the one before.
FINER = 0.42
FAR = np.float32(1e9)


@dataclass(frozen=True)
class Cracks:
    """Attributes
    ----------
    distance : (n,) float32 mm along the surface to the middle of the crack that is nearest, counted from its lip;
        large where there is none.
    half : (n,) float32 mm, half the width of that crack. number : (n,) uint32 its random bits. piece : (n,) uint32
        random bits of the smallest piece here.
    generation : (n,) uint8, 0 the oldest. across : (n, 3) float32 unit, from the own side of the crack to the other.
    """

    distance: np.ndarray
    half: np.ndarray
    number: np.ndarray
    piece: np.ndarray
    generation: np.ndarray
    across: np.ndarray


@dataclass(frozen=True)
class Generation:
    """Sites sorted into cubes. ``group`` (m,) int64: the piece of the generation before (or the piece of the object) a
    site lies in; ``own`` (m,) uint32 its random bits; ``low`` (3,), ``side`` m, ``counts`` (3,), ``starts`` the cubes.
    """

    position: np.ndarray
    group: np.ndarray
    own: np.ndarray
    low: np.ndarray
    side: float
    counts: np.ndarray
    starts: np.ndarray


def _sorted(position: np.ndarray, group: np.ndarray, own: np.ndarray, apart_m: float) -> Generation:
    grid = grid_of(position, 160, side_m=apart_m * 1.3)
    order = grid.order
    # In the order of the cubes: what is looked at together lies together.
    return Generation(
        np.ascontiguousarray(position[order], np.float32),
        group[order].astype(np.int64),
        own[order],
        grid.low,
        grid.side,
        grid.counts,
        grid.starts,
    )


@kernel
def _nearest(x, y, z, mine, most, p, group, low, side, counts, starts):  # type: ignore[no-untyped-def]
    """The nearest site of a group within ``most`` rings of cubes, and its squared distance; -1 where there is none."""
    best, found = np.float32(1e30), -1
    fx, fy, fz = (x - low[0]) / side, (y - low[1]) / side, (z - low[2]) / side
    cx, cy, cz = int(np.floor(fx)), int(np.floor(fy)), int(np.floor(fz))
    for ring in range(most + 1):
        if ring > 1 and found >= 0 and np.float32(((ring - 1) * side) ** 2) > best:
            break
        for i in range(max(cx - ring, 0), min(cx + ring, counts[0] - 1) + 1):
            for j in range(max(cy - ring, 0), min(cy + ring, counts[1] - 1) + 1):
                whole = abs(i - cx) == ring or abs(j - cy) == ring
                k, last = max(cz - ring, 0), min(cz + ring, counts[2] - 1)
                while k <= last:
                    if not whole and abs(k - cz) != ring:
                        k = cz + ring if k < cz + ring else last + 1
                        continue
                    cube = (i * counts[1] + j) * counts[2] + k
                    for at in range(starts[cube], starts[cube + 1]):
                        if group[at] != mine:
                            continue
                        d = (p[at, 0] - x) ** 2 + (p[at, 1] - y) ** 2 + (p[at, 2] - z) ** 2
                        if d < best:
                            best, found = d, at
                    k += 1
    return found, best


@inlined
def _chance(a, b):  # type: ignore[no-untyped-def]
    """Random bits of the crack between two sites, the same from both sides."""
    return again(np.uint32(min(a, b) ^ (max(a, b) * np.uint32(0x9E3779B9))), 1)


@kernel
def _moved(x, y, z, rate, bend, rough, salt):  # type: ignore[no-untyped-def]
    """The place that is asked about instead of (x, y, z): cracks wander."""
    ox, oy, oz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
    weight, r = bend, rate
    for k in range(4):
        px, py, pz = np.float32(x * r), np.float32(y * r), np.float32(z * r)
        s = np.uint32(salt + np.uint32(k * 7919))
        # One call in a loop: three of them, pasted in wherever cracks are asked about, take long to compile.
        for axis in range(3):
            o = weight * octave(
                px + (np.float32(3.1) if axis == 0 else np.float32(0.0)),
                py + (np.float32(11.7) if axis == 1 else np.float32(0.0)),
                pz + (np.float32(5.3) if axis == 2 else np.float32(0.0)),
                np.uint32(s + np.uint32(axis)),
            )
            if axis == 0:
                ox += o
            elif axis == 1:
                oy += o
            else:
                oz += o
        weight *= rough
        r *= 2.13
    return ox, oy, oz


@kernel
def _divide(  # type: ignore[no-untyped-def]
    start,
    end,
    points,
    normals,
    mine,
    level,
    rate,
    bend,
    rough,
    salt,
    apart,
    half_mm,
    vary,
    missing,
    most,
    p,
    group,
    own,
    low,
    side,
    counts,
    starts,
    edge,
    second,
    across,
    distance,
    half,
    number,
    piece,
    generation,
    way,
):
    """One generation: ``mine`` (n,) the piece of the one before, made that of this one; ``edge`` and ``second`` (n,)
    m to the nearest older crack and the next, ``across`` (n, 3) its direction.
    """
    for i in range(start, end):
        if mine[i] < 0:
            continue
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        ox, oy, oz = _moved(x, y, z, rate, bend, rough, salt)
        qx, qy, qz = x + ox, y + oy, z + oz
        e = edge[i]
        if level > 0 and e < np.float32(4.0) * apart:
            # Away from the older crack, by as much as makes the way towards it count for nothing right at it.
            reach = np.float32(0.45) * apart
            # Where two older ones are about as near, none of them has a say.
            push = reach * np.exp(-e / reach) * min(max((second[i] - e) / reach, np.float32(0.0)), np.float32(1.0))
            qx -= push * across[i, 0]
            qy -= push * across[i, 1]
            qz -= push * across[i, 2]
        a, best = _nearest(qx, qy, qz, mine[i], most, p, group, low, side, counts, starts)
        if a < 0:
            mine[i] = -1
            continue
        piece[i] = own[a]
        # The planes half way to the others: only sites nearer than own distance + twice the nearest plane can give a
        # nearer one.
        near, next_near, there = np.float32(1e30), np.float32(1e30), -1
        gap, gap_half, gap_bits = FAR, np.float32(0.0), np.uint32(0)
        gx, gy, gz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        nx, ny, nz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        own_way = np.sqrt(best)
        wide = np.float32(0.0)
        cx, cy, cz = (
            int(np.floor((qx - low[0]) / side)),
            int(np.floor((qy - low[1]) / side)),
            int(np.floor((qz - low[2]) / side)),
        )
        # Two directions along the surface, to tell how steeply the distance falls there.
        tx, ty, tz = normals[i, 1], -normals[i, 0], np.float32(0.0)
        if abs(normals[i, 2]) > np.float32(0.7):
            tx, ty, tz = np.float32(0.0), normals[i, 2], -normals[i, 1]
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        tx, ty, tz = tx / length, ty / length, tz / length
        bx = normals[i, 1] * tz - normals[i, 2] * ty
        by = normals[i, 2] * tx - normals[i, 0] * tz
        bz = normals[i, 0] * ty - normals[i, 1] * tx
        h = np.float32(0.02) * apart
        ax, ay, az = _moved(x + h * tx, y + h * ty, z + h * tz, rate, bend, rough, salt)
        cx_, cy_, cz_ = _moved(x + h * bx, y + h * by, z + h * bz, rate, bend, rough, salt)
        ax, ay, az = tx + (ax - ox) / h, ty + (ay - oy) / h, tz + (az - oz) / h
        cx_, cy_, cz_ = bx + (cx_ - ox) / h, by + (cy_ - oy) / h, bz + (cz_ - oz) / h
        # Which crack is nearest by its lip is known once planes further away than it, with the widest lip, are left
        # out.
        for ring in range(most + 1):
            reach = own_way + np.float32(2.0) * min(max(near, wide), np.float32(1.3) * apart)
            if ring > 1 and np.float32((ring - 1) * side) > reach:
                break
            for ii in range(max(cx - ring, 0), min(cx + ring, counts[0] - 1) + 1):
                for jj in range(max(cy - ring, 0), min(cy + ring, counts[1] - 1) + 1):
                    whole = abs(ii - cx) == ring or abs(jj - cy) == ring
                    kk, last = max(cz - ring, 0), min(cz + ring, counts[2] - 1)
                    while kk <= last:
                        if not whole and abs(kk - cz) != ring:
                            kk = cz + ring if kk < cz + ring else last + 1
                            continue
                        cube = (ii * counts[1] + jj) * counts[2] + kk
                        kk += 1
                        for at in range(starts[cube], starts[cube + 1]):
                            if at == a or group[at] != mine[i]:
                                continue
                            far = (p[at, 0] - qx) ** 2 + (p[at, 1] - qy) ** 2 + (p[at, 2] - qz) ** 2
                            reach = own_way + np.float32(2.0) * min(max(near, wide), np.float32(1.3) * apart)
                            if far > reach * reach:
                                continue
                            dx, dy, dz = p[at, 0] - p[a, 0], p[at, 1] - p[a, 1], p[at, 2] - p[a, 2]
                            apart_here = np.sqrt(dx * dx + dy * dy + dz * dz)
                            if apart_here < np.float32(1e-9):
                                continue
                            s = (far - best) / (np.float32(2.0) * apart_here)
                            ux, uy, uz = dx / apart_here, dy / apart_here, dz / apart_here
                            if s < near:
                                next_near = near
                                near, there = s, at
                                nx, ny, nz = ux, uy, uz
                            else:
                                next_near = min(next_near, s)
                            bits = _chance(own[a], own[at])
                            if unit(bits) < missing:
                                wide = max(wide, np.float32(1.3) * apart) if gap >= FAR else wide
                                continue
                            # Width of this crack: some wide, more narrow.
                            w = half_mm * (
                                np.float32(1.0) + vary * (np.float32(2.0) * unit(again(bits, 2)) - np.float32(1.0))
                            )
                            g1 = ux * ax + uy * ay + uz * az
                            g2 = ux * cx_ + uy * cy_ + uz * cz_
                            steep = max(np.sqrt(g1 * g1 + g2 * g2), np.float32(0.25))
                            d = s / steep * np.float32(1000.0)
                            if d - w < gap:
                                gap, gap_half, gap_bits = d - w, w, bits
                                gx, gy, gz = ux, uy, uz
                                wide = s + half_mm * vary * np.float32(0.002) * steep
        if there >= 0 and near < edge[i]:
            second[i] = min(edge[i], next_near)
            edge[i] = near
            across[i, 0], across[i, 1], across[i, 2] = nx, ny, nz
        elif there >= 0:
            second[i] = min(second[i], near)
        if gap < distance[i]:
            distance[i], half[i], number[i], generation[i] = gap, gap_half, gap_bits, level
            way[i, 0], way[i, 1], way[i, 2] = gx, gy, gz
        mine[i] = a


@kernel
def _home(start, end, points, mine, most, p, group, low, side, counts, starts, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        found, _ = _nearest(
            points[i, 0], points[i, 1], points[i, 2], mine[i], most, p, group, low, side, counts, starts
        )
        out[i] = found


def crack_network(
    points_m: np.ndarray,
    normals: np.ndarray,
    piece: np.ndarray,
    generations: list[tuple[Sites, np.ndarray]],
    apart_mm: list[float],
    half_mm: list[float],
    *,
    vary: float = 0.5,
    missing: list[float] | None = None,
    bend: float = 0.1,
    rough: float = 0.5,
    seed: int = 0,
) -> Cracks:
    """Cracks between pieces.

    Parameters
    ----------
    points_m, normals : (n, 3) float32. piece : (n,) int, which piece of the object a point belongs to; no crack goes
        from one to another.
    generations : sites and (m,) int the piece of the object each lies in, the oldest first. apart_mm : distance of
        sites of each. half_mm : half the width of
    cracks of each. vary : 0..1 how far widths differ. missing : share of the cracks of each that has not opened. bend
    : how far cracks wander, in distances of sites (deviation about a fifth of it); rough : how much of that is fine.
    """
    count = len(points_m)
    distance, half = np.full(count, FAR, np.float32), np.zeros(count, np.float32)
    number, own_piece = np.zeros(count, np.uint32), np.zeros(count, np.uint32)
    generation = np.zeros(count, np.uint8)
    edge, second = np.full(count, 1e9, np.float32), np.full(count, 1e9, np.float32)
    across, way = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
    mine = piece.astype(np.int64).copy()
    #: For the sites of each next generation: which piece they lie in.
    lots = missing or [0.0] * len(generations)
    homes: list[Generation] = []
    for level, (sites, of_piece) in enumerate(generations):
        if len(sites) == 0:
            break
        group = of_piece.astype(np.int64)
        at = np.ascontiguousarray(sites.position, np.float32)
        for older in homes:
            out = np.empty(len(at), np.int64)
            for_ranges(
                _home,
                len(at),
                at,
                group,
                6,
                older.position,
                older.group,
                older.low,
                older.side,
                older.counts,
                older.starts,
                out,
                smallest=512,
            )
            group = out
        made = _sorted(sites.position, group, sites.number, apart_mm[level] / 1000.0)
        apart = apart_mm[level] / 1000.0
        for_ranges(
            _divide, count, points_m, normals, mine, level, np.float32(1.0 / (1.1 * apart)),
            np.float32(bend * apart), np.float32(rough),
            np.uint32((seed * 2654435761 + 77 + level) & 0xFFFFFFFF), np.float32(apart), np.float32(half_mm[level]),
            np.float32(vary),
            np.float32(lots[level]), 6, made.position, made.group, made.own, made.low, made.side, made.counts,
            made.starts,
            edge, second, across, distance, half, number, own_piece, generation, way, smallest=2048,
        )  # fmt: skip
        homes.append(made)
    return Cracks(distance, half, number, own_piece, generation, way)
