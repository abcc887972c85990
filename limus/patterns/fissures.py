"""Single cracks that begin somewhere and end somewhere: from corners and holes where stress gathers, from picked
places, along fibres.

Each is a cut through the body that begins at a place of the surface, goes along a direction, wanders, gets narrower and
ends; because it is a cut and not a line it goes round edges. Branches are cracks that begin on another one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.patterns.crack_network import FAR, Cracks
from limus.patterns.noise import octave
from limus.surface.mesh import Mesh

#: Faces that turn by less than this count as one flat place, cosine.
FLAT = 0.985
#: A place's flat surroundings must be wider than half a turn by this, radians, to be the rim of a hole or an inner
#: corner.
REENTRANT = 0.03


@dataclass(frozen=True)
class Fissures:
    """``start`` (m, 3) m; ``way`` (m, 3) and ``out`` (m, 3) unit, along it and out of the surface; ``length`` (m,) m;
    ``half`` (m,) mm at its widest;
    ``piece`` (m,) int64 the piece it lies in; ``number`` (m,) uint32; ``both`` (m,) bool: it gets narrower on both
    sides of its start.
    """

    start: np.ndarray
    way: np.ndarray
    out: np.ndarray
    length: np.ndarray
    half: np.ndarray
    piece: np.ndarray
    number: np.ndarray
    both: np.ndarray

    def __len__(self) -> int:
        return len(self.start)


@dataclass(frozen=True)
class WeakPoints:
    """Places where cracks begin: ``at`` (m, 3) m, ``out`` (m, 3) unit normals, ``way`` (m, 3) unit, into the
    material, ``triangle`` (m,) int64.
    """

    at: np.ndarray
    out: np.ndarray
    way: np.ndarray
    triangle: np.ndarray


@kernel
def _fans(triangles, welded, positions, normals, areas, count, wide, way, out, owner):  # type: ignore[no-untyped-def]
    """For each place of the mesh the widest flat part of the faces around it: its angle, mean direction, normal and a
    triangle.
    """
    faces = triangles.shape[0]
    starts = np.zeros(count + 1, np.int64)
    for t in range(faces):
        for k in range(3):
            starts[welded[triangles[t, k]] + 1] += 1
    for v in range(count):
        starts[v + 1] += starts[v]
    fill = starts[:-1].copy()
    around = np.empty(3 * faces, np.int64)
    for t in range(faces):
        for k in range(3):
            v = welded[triangles[t, k]]
            around[fill[v]] = 3 * t + k
            fill[v] += 1
    for v in range(count):
        first, last = starts[v], starts[v + 1]
        best = 0.0
        for a in range(first, last):
            lead = around[a] // 3
            if areas[lead] <= 0.0:
                continue
            total, flat, all_ = 0.0, 0, 0
            wx, wy, wz = 0.0, 0.0, 0.0
            for b in range(first, last):
                t, k = around[b] // 3, around[b] % 3
                all_ += 1
                dot = 0.0
                for c in range(3):
                    dot += normals[lead, c] * normals[t, c]
                if dot < 0.985 or areas[t] <= 0.0:
                    continue
                flat += 1
                i0, i1, i2 = triangles[t, k], triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
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
                ul, vl = (ux * ux + uy * uy + uz * uz) ** 0.5, (vx * vx + vy * vy + vz * vz) ** 0.5
                if ul <= 0.0 or vl <= 0.0:
                    continue
                cos = (ux * vx + uy * vy + uz * vz) / (ul * vl)
                angle = np.arccos(min(max(cos, -1.0), 1.0))
                total += angle
                wx += angle * (ux / ul + vx / vl)
                wy += angle * (uy / ul + vy / vl)
                wz += angle * (uz / ul + vz / vl)
            # All of it flat is no edge at all.
            if flat < all_ and total > best:
                best = total
                wide[v] = total
                way[v, 0], way[v, 1], way[v, 2] = wx, wy, wz
                for c in range(3):
                    out[v, c] = normals[lead, c]
                owner[v] = lead


def weak_points(mesh: Mesh) -> WeakPoints:
    """Inner corners and rims of holes; where an object has none, its edges; where it has no edges either, none."""
    count = int(mesh.welded.max(initial=-1)) + 1
    wide, owner = np.zeros(count), np.full(count, -1, np.int64)
    way, out = np.zeros((count, 3)), np.zeros((count, 3))
    _fans(
        mesh.triangles.astype(np.int64), mesh.welded.astype(np.int64), mesh.positions.astype(np.float64),
        mesh.face_normals.astype(np.float64),
        mesh.areas.astype(np.float64), count, wide, way, out, owner,
    )  # fmt: skip
    first = np.full(count, -1, np.int64)
    first[mesh.welded[::-1]] = np.arange(len(mesh.welded))[::-1]
    chosen = np.flatnonzero((owner >= 0) & (wide > np.pi + REENTRANT))
    if not len(chosen):
        chosen = np.flatnonzero(owner >= 0)
    length = np.linalg.norm(way[chosen], axis=1)
    chosen = chosen[length > 1e-9]
    direction = way[chosen] / np.linalg.norm(way[chosen], axis=1)[:, None]
    return WeakPoints(mesh.positions[first[chosen]].astype(np.float64), out[chosen], direction, owner[chosen])


def grown_from(
    at: np.ndarray,
    out: np.ndarray,
    way: np.ndarray,
    piece: np.ndarray,
    length_m: float,
    half_mm: float,
    *,
    vary: float = 0.5,
    turn_deg: float = 25.0,
    branches: float = 0.5,
    both: bool = False,
    seed: int = 0,
) -> Fissures:
    """Cracks from places, with branches.

    Parameters
    ----------
    at, out, way : (m, 3). piece : (m,). length_m, half_mm : typical ones. vary : how far they differ. turn_deg : how
        far they turn from the way given.
    branches : share that has a branch.
    """
    random = np.random.Generator(np.random.PCG64([seed & 0xFFFFFFFF, 53]))
    rows: list[tuple[np.ndarray, np.ndarray, np.ndarray, float, float, int, bool]] = []
    for k in range(len(at)):
        n = out[k] / max(float(np.linalg.norm(out[k])), 1e-12)
        h = way[k] - n * float(n @ way[k])
        if float(np.linalg.norm(h)) < 1e-9:
            h = np.cross(n, [0.3, 1.0, 0.2] if abs(n[1]) < 0.9 else [1.0, 0.1, 0.2])
        h /= np.linalg.norm(h)
        a = np.radians(random.normal(0.0, turn_deg))
        h = h * np.cos(a) + np.cross(n, h) * np.sin(a)
        size = float(np.exp(vary * random.normal(0.0, 0.5)))
        long, half = length_m * size, half_mm * size**0.6 * float(1.0 + 0.6 * vary * random.uniform(-1, 1))
        rows.append((at[k], h, n, long, half, int(piece[k]), both))
        if random.uniform() < branches:
            where = random.uniform(0.25, 0.65)
            a = np.radians(random.choice([-1.0, 1.0]) * random.uniform(22.0, 55.0))
            rows.append(
                (
                    at[k] + h * long * where,
                    h * np.cos(a) + np.cross(n, h) * np.sin(a),
                    n,
                    long * random.uniform(0.25, 0.55),
                    half * 0.55,
                    int(piece[k]),
                    False,
                )
            )
    if not rows:
        return Fissures(
            np.zeros((0, 3)),
            np.zeros((0, 3)),
            np.zeros((0, 3)),
            np.zeros(0),
            np.zeros(0),
            np.zeros(0, np.int64),
            np.zeros(0, np.uint32),
            np.zeros(0, np.bool_),
        )
    numbers = random.integers(0, 2**32, len(rows), dtype=np.uint32)
    start, along, normal, lengths, halves = (np.array([row[k] for row in rows], np.float64) for k in range(5))
    pieces, sides = np.array([row[5] for row in rows], np.int64), np.array([row[6] for row in rows], np.bool_)
    return Fissures(start, along, normal, lengths, halves, pieces, numbers, sides)


@kernel
def _nearest(  # type: ignore[no-untyped-def]
    start,
    end,
    points,
    normals,
    mine,
    at,
    way,
    out,
    side,
    length,
    half,
    piece,
    number,
    both,
    wander,
    rough,
    distance,
    best_half,
    bits,
    across,
):
    for i in range(start, end):
        for k in range(len(at)):
            if mine[i] != piece[k]:
                continue
            x, y, z = points[i, 0] - at[k, 0], points[i, 1] - at[k, 1], points[i, 2] - at[k, 2]
            l = length[k]
            if x * x + y * y + z * z > np.float32(1.3) * l * l:
                continue
            s = (x * way[k, 0] + y * way[k, 1] + z * way[k, 2]) / l
            if s > np.float32(1.0) or s < (np.float32(-1.0) if both[k] else np.float32(-0.01)):
                continue
            # A cut goes down into the body as far as it is long, no further.
            deep = (x * out[k, 0] + y * out[k, 1] + z * out[k, 2]) / l
            if abs(deep) > np.float32(0.7):
                continue
            w = x * side[k, 0] + y * side[k, 1] + z * side[k, 2]
            reach = wander * l
            if abs(w) > np.float32(3.0) * reach + np.float32(0.02) * l:
                continue
            # It wanders, the more the further it is from where it began; the noise is that of the place, so it is one
            # cut through the body.
            salt = np.uint32(number[k])
            rate = np.float32(3.2) / l
            bend, weight = np.float32(0.0), np.float32(1.0)
            for o in range(5):
                bend += weight * octave(
                    points[i, 0] * rate, points[i, 1] * rate, points[i, 2] * rate, np.uint32(salt + np.uint32(o))
                )
                rate *= np.float32(2.17)
                weight *= rough
            w += reach * np.float32(2.2) * bend * min(abs(s) * np.float32(4.0), np.float32(1.0))
            # Slopes of the surface against the cut: distances are those along the surface.
            tilt = normals[i, 0] * side[k, 0] + normals[i, 1] * side[k, 1] + normals[i, 2] * side[k, 2]
            flat = np.sqrt(max(np.float32(1.0) - tilt * tilt, np.float32(0.05)))
            narrow = max(np.float32(1.0) - abs(s), np.float32(0.0)) ** np.float32(0.6)
            h = half[k] * narrow
            d = abs(w) * np.float32(1000.0) / flat - h
            if d < distance[i]:
                distance[i], best_half[i], bits[i] = d, h, number[k]
                sign = np.float32(1.0) if w < 0 else np.float32(-1.0)
                for c in range(3):
                    across[i, c] = side[k, c] * sign


def fissure_field(
    points_m: np.ndarray,
    normals: np.ndarray,
    piece: np.ndarray,
    cracks: Fissures,
    *,
    wander: float = 0.06,
    rough: float = 0.55,
) -> Cracks:
    """The nearest of single cracks at each point; for the fields see ``crack_network.Cracks``.

    ``wander`` : how far they leave the straight way, in their lengths. ``rough`` : how much of that is fine.
    """
    count = len(points_m)
    distance, half = np.full(count, FAR, np.float32), np.zeros(count, np.float32)
    number, across = np.zeros(count, np.uint32), np.zeros((count, 3), np.float32)
    if len(cracks):
        side = np.cross(cracks.way, cracks.out)

        def f(a: np.ndarray) -> np.ndarray:
            return np.ascontiguousarray(a, np.float32)

        for_ranges(
            _nearest, count, points_m, normals, piece.astype(np.int64), f(cracks.start), f(cracks.way),
            f(cracks.out), f(side), f(cracks.length),
            f(cracks.half), cracks.piece, cracks.number, cracks.both, np.float32(wander), np.float32(rough),
            distance, half, number, across, smallest=2048,
        )  # fmt: skip
    return Cracks(distance, half, number, np.zeros(count, np.uint32), np.zeros(count, np.uint8), across)
