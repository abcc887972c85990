"""A small modelling kit: lofts, lathes, tubes, bolts; clean grid charts with an even texel density, packed into one
map set.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numba
import numpy as np

from limus.surface.mesh import Mesh, Part

Array = np.ndarray


def fillet(points: list[tuple[float, float]], radii: list[float], steps: int = 4, *, closed: bool = False) -> Array:
    """A polyline whose corners are rounded: (m, 2). ``radii`` one per point; 0 keeps the corner sharp (doubled for a
    crisp edge).
    """
    p = np.array(points, float)
    out: list[Array] = []
    count = len(p)
    for k in range(count):
        r = radii[k]
        if r <= 0 or (not closed and k in (0, count - 1)):
            out.append(p[k])
            continue
        before, here, after = p[k - 1], p[k], p[(k + 1) % count]
        a, b = before - here, after - here
        la, lb = np.linalg.norm(a), np.linalg.norm(b)
        a, b = a / la, b / lb
        angle = np.arccos(np.clip(a @ b, -1, 1))
        reach = min(r / np.tan(angle / 2), 0.49 * la, 0.49 * lb)
        r = reach * np.tan(angle / 2)
        centre = here + (a + b) / np.linalg.norm(a + b) * r / np.sin(angle / 2)
        start, end = here + a * reach - centre, here + b * reach - centre
        swing = np.arctan2(start[0] * end[1] - start[1] * end[0], start @ end)
        for s in np.linspace(0, 1, steps + 1):
            c, q = np.cos(swing * s), np.sin(swing * s)
            out.append(centre + np.array([c * start[0] - q * start[1], q * start[0] + c * start[1]]))
    return np.array(out)


def rounded_rect(width: float, depth: float, radius: float, steps: int = 8) -> Array:
    """Closed outline (m, 2), counter-clockwise, with points along the long sides too."""
    w, d = width / 2, depth / 2
    corners = fillet([(-w, -d), (w, -d), (w, d), (-w, d)], [radius] * 4, steps, closed=True)
    return spread(corners, max(width, depth) / 7)


def spread(outline: Array, longest: float) -> Array:
    """Cut edges longer than ``longest`` into equal pieces."""
    out: list[Array] = []
    for k in range(len(outline)):
        a, b = outline[k], outline[(k + 1) % len(outline)]
        pieces = max(1, int(np.ceil(np.linalg.norm(b - a) / longest)))
        out.extend(a + (b - a) * s / pieces for s in range(pieces))
    return np.array(out)


def circle(radius: float, steps: int = 48) -> Array:
    angle = np.arange(steps) * 2 * np.pi / steps
    return radius * np.stack([np.cos(angle), np.sin(angle)], axis=1)


def inset(outline: Array, amount: float) -> Array:
    """The outline moved inward along its own normals (outward where negative)."""
    ahead, back = np.roll(outline, -1, axis=0), np.roll(outline, 1, axis=0)
    along = ahead - back
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    # Corners keep their angle: a mitred offset, limited for sharp ones.
    first = outline - back
    first = np.stack([first[:, 1], -first[:, 0]], axis=1)
    first /= np.maximum(np.linalg.norm(first, axis=1, keepdims=True), 1e-12)
    mitre = 1 / np.clip((first * normal).sum(axis=1), 0.4, 1)
    return outline - normal * (amount * mitre)[:, None]


def frame(
    origin: tuple[float, float, float],
    x: tuple[float, float, float] = (1, 0, 0),
    up: tuple[float, float, float] = (0, 1, 0),
) -> Array:
    """4 x 4: local x to ``x``, local height to ``up``. Local outlines lie in (x, z') with height along ``up``."""
    ex, ey = np.array(x, float), np.array(up, float)
    ex, ey = ex / np.linalg.norm(ex), ey / np.linalg.norm(ey)
    out = np.eye(4)
    out[:3, 0], out[:3, 1], out[:3, 2], out[:3, 3] = ex, ey, np.cross(ex, ey), origin
    return out


@dataclass
class _Chart:
    part: str
    points: Array  # (rows, columns, 3)
    uv: Array  # (rows, columns, 2) in metres
    flip: bool


@dataclass
class Model:
    """Collects charts, then makes one mesh of them."""

    charts: list[_Chart] = field(default_factory=list)
    longest: float = 0.42

    def grid(self, part: str, points: Array, *, uv: Array | None = None, flip: bool = False) -> None:
        """A (rows, columns, 3) grid of points, metres. UVs follow arc length; very long grids are cut into several
        charts.
        """
        if uv is None:
            across = np.linalg.norm(np.diff(points, axis=1), axis=2).mean(axis=0)
            along = np.linalg.norm(np.diff(points, axis=0), axis=2).mean(axis=1)
            u, v = np.concatenate([[0], np.cumsum(across)]), np.concatenate([[0], np.cumsum(along)])
            pieces = int(np.ceil(u[-1] / self.longest))
            if pieces > 1:
                cuts = np.unique(np.searchsorted(u, u[-1] * np.arange(pieces + 1) / pieces - 1e-9).clip(0, len(u) - 1))
                for a, b in itertools.pairwise(cuts):
                    self.grid(part, points[:, a : b + 1], flip=flip)
                return
            pieces = int(np.ceil(v[-1] / self.longest))
            if pieces > 1:
                cuts = np.unique(np.searchsorted(v, v[-1] * np.arange(pieces + 1) / pieces - 1e-9).clip(0, len(v) - 1))
                for a, b in itertools.pairwise(cuts):
                    self.grid(part, points[a : b + 1], flip=flip)
                return
            uv = np.stack(np.meshgrid(u, v), axis=2)
        self.charts.append(_Chart(part, points, uv, flip))

    def loft(self, part: str, rings: list[Array], place: Array, *, flip: bool = False) -> None:
        """Closed rings (m, 3 local: x, height, z), bottom to top, joined to a skin."""
        grid = np.stack(rings)
        grid = np.concatenate([grid, grid[:, :1]], axis=1)
        self.grid(part, grid @ place[:3, :3].T + place[:3, 3], flip=flip)

    def cap(self, part: str, ring: Array, place: Array, *, top: bool = True, rows: int = 3) -> None:
        """Close a flat ring (m, 3 local) by a disc whose UVs are its own plane."""
        closed = np.concatenate([ring, ring[:1]])
        centre = ring.mean(axis=0)
        share = np.linspace(1, 0, rows)[:, None, None]
        grid = centre + (closed - centre)[None] * share
        uv = grid[:, :, [0, 2]] - grid[:, :, [0, 2]].reshape(-1, 2).min(axis=0)
        self.grid(part, grid @ place[:3, :3].T + place[:3, 3], uv=uv, flip=not top)

    def turned(
        self, part: str, outline: Array, profile: Array, place: Array, *, top: bool = True, bottom: bool = False
    ) -> None:
        """Outline (m, 2) carried along a profile (k, 2) of (inset, height); the ends closed where asked."""
        rings = []
        for amount, height in profile:
            flat = inset(outline, amount) if abs(amount) > 1e-9 else outline
            rings.append(np.stack([flat[:, 0], np.full(len(flat), height), -flat[:, 1]], axis=1))
        self.loft(part, rings, place)
        if top:
            self.cap(part, rings[-1], place)
        if bottom:
            self.cap(part, rings[0], place, top=False)

    def lathe(
        self, part: str, profile: Array, place: Array, steps: int = 48, *, top: bool = False, bottom: bool = False
    ) -> None:
        """Profile (k, 2) of (radius, height) turned about the local height axis; one that ends on the axis is closed
        by a disc.
        """
        if profile[-1, 0] < 0.001:
            profile, top = profile[:-1], True
        rings = []
        for radius, height in profile:
            flat = circle(radius, steps)
            rings.append(np.stack([flat[:, 0], np.full(steps, height), -flat[:, 1]], axis=1))
        self.loft(part, rings, place)
        if top:
            self.cap(part, rings[-1], place)
        if bottom:
            self.cap(part, rings[0], place, top=False)

    def tube(
        self,
        part: str,
        path: Array,
        radii: tuple[float, float] | Array,
        steps: int = 16,
        *,
        closed: bool = False,
        side: tuple[float, float, float] = (0, 0, 1),
    ) -> None:
        """An elliptic tube along a path (m, 3); ``side`` points roughly across it. ``radii`` (across, other) or one
        pair per point.
        """
        path = np.asarray(path, float)
        pair = np.broadcast_to(np.asarray(radii, float), (len(path), 2))
        ahead = np.roll(path, -1, axis=0) - np.roll(path, 1, axis=0) if closed else np.gradient(path, axis=0)
        ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
        across = np.array(side, float) - ahead * (ahead @ np.array(side, float))[:, None]
        across /= np.linalg.norm(across, axis=1, keepdims=True)
        other = np.cross(ahead, across)
        angle = np.arange(steps + 1) * 2 * np.pi / steps
        ring = (
            np.cos(angle)[None, :, None] * across[:, None] * pair[:, None, :1]
            + np.sin(angle)[None, :, None] * other[:, None] * pair[:, None, 1:]
        )
        grid = path[:, None] + ring
        if closed:
            grid = np.concatenate([grid, grid[:1]])
        self.grid(part, np.ascontiguousarray(grid.transpose(1, 0, 2)), flip=True)

    def bolt(self, part: str, place: Array, across_flats: float, *, washer: bool = True, stud: bool = False) -> None:
        """A hexagon head with chamfered top, on a washer; ``stud`` adds the thread end of a foundation bolt."""
        af = across_flats
        height = 0.0
        if washer:
            self.lathe(
                part,
                fillet([(af * 0.86, 0), (af * 0.86, af * 0.11), (af * 0.45, af * 0.11)], [0, af * 0.05, 0], 2),
                place,
                24,
            )
            height = af * 0.11
        corner = af / np.sqrt(3)
        hexagon = fillet(
            [(corner * np.cos(a), corner * np.sin(a)) for a in np.arange(6) * np.pi / 3 + 0.2],
            [af * 0.10] * 6,
            2,
            closed=True,
        )
        profile = fillet([(0, height), (0, height + af * 0.62), (af * 0.09, height + af * 0.68)], [0, af * 0.05, 0], 2)
        self.turned(part, spread(hexagon, af * 0.3), profile, place, top=True)
        if stud:
            r, top = af * 0.31, height + af * 0.68
            self.lathe(
                part,
                fillet([(r, top - 0.001), (r, top + af * 0.34), (r * 0.75, top + af * 0.42)], [0, af * 0.04, 0], 2),
                place,
                20,
                top=True,
            )

    def mesh(self, source: str, map_set: str = "object", gutter: float = 0.004) -> Mesh:
        """Weld, smooth (edges sharper than 38 degrees stay hard), pack the charts, and make one Mesh."""
        charts = self.charts
        names: list[str] = []
        for chart in charts:
            if chart.part not in names:
                names.append(chart.part)
        charts = sorted(charts, key=lambda c: names.index(c.part))
        offsets, turned, scale = _pack(charts, gutter)
        positions, uvs, triangles, parts = [], [], [], []
        base = 0
        first = 0
        for name in names:
            count = 0
            for k, chart in enumerate(charts):
                if chart.part != name:
                    continue
                rows, columns = chart.points.shape[:2]
                number = base + np.arange(rows * columns).reshape(rows, columns)
                a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
                quads = np.stack([np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2)], axis=2).reshape(-1, 3)
                triangles.append(quads[:, ::-1] if chart.flip else quads)
                positions.append(chart.points.reshape(-1, 3))
                flat = chart.uv.reshape(-1, 2)
                flat = flat[:, ::-1] if turned[k] else flat
                # glTF's v runs down: seen from outside, unmirrored triangles have negative area in (u, v).
                one, two, three = (
                    flat[(quads - base)[:, k2] if not chart.flip else (quads - base)[:, 2 - k2]] for k2 in range(3)
                )
                d1, d2 = two - one, three - one
                if (d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]).sum() > 0:
                    flat = np.stack([flat[:, 0].max() - flat[:, 0], flat[:, 1]], axis=1)
                uvs.append((flat + offsets[k]) * scale)
                base += rows * columns
                count += len(quads)
            parts.append(Part(name, first, count, 0))
            first += count
        p = np.concatenate(positions)
        tri = np.concatenate(triangles)
        size = np.linalg.norm(np.cross(p[tri[:, 1]] - p[tri[:, 0]], p[tri[:, 2]] - p[tri[:, 0]]), axis=1)
        alive = size > 1e-12
        parts = [
            Part(q.name, int(alive[: q.first].sum()), int(alive[q.first : q.first + q.count].sum()), 0) for q in parts
        ]
        tri = tri[alive]
        part_of = np.repeat(np.arange(len(parts)), [q.count for q in parts])
        _, weld = np.unique(np.round(p * 1e6).astype(np.int64), axis=0, return_inverse=True)
        normals = _smooth(p, tri, np.asarray(weld).reshape(-1), part_of, np.cos(np.radians(38)))
        # One vertex per (grid vertex, corner normal).
        key = np.concatenate([tri.reshape(-1, 1), np.round(normals.reshape(-1, 3) * 1e4).astype(np.int64)], axis=1)
        _, pick, inverse = np.unique(key, axis=0, return_index=True, return_inverse=True)
        corner = tri.reshape(-1)[pick]
        uv = np.concatenate(uvs)
        return Mesh(
            positions=p[corner].astype(np.float32),
            normals=normals.reshape(-1, 3)[pick].astype(np.float32),
            uv=uv[corner].astype(np.float32),
            triangles=np.asarray(inverse).reshape(-1, 3).astype(np.int32),
            parts=tuple(parts),
            uv_domains=(map_set,),
            source=source,
        )


def _pack(charts: list[_Chart], gutter: float) -> tuple[Array, list[bool], float]:
    """Shelves: charts in falling height, left to right, row above row; the width is searched so that the whole is
    square.
    """
    size = np.array([c.uv.reshape(-1, 2).max(axis=0) for c in charts])
    turned = [bool(h > w) for w, h in size]
    size = np.array([s[::-1] if t else s for s, t in zip(size, turned, strict=True)]) + gutter
    order = np.lexsort((-size[:, 0], -size[:, 1]))

    def shelves(width: float) -> tuple[Array, float]:
        place = np.zeros_like(size)
        rows: list[list[float]] = []  # [y, height, x so far]
        top = 0.0
        for k in order:
            w, h = size[k]
            fit = next((r for r in rows if r[2] + w <= width), None)
            if fit is None:
                fit = [top, h, 0.0]
                rows.append(fit)
                top += h
            place[k] = (fit[2], fit[0])
            fit[2] += w
        return place, top

    best: tuple[float, Array] | None = None
    for width in np.linspace(
        max(size[:, 0].max(), np.sqrt(size.prod(axis=1).sum())),
        2.0 * np.sqrt(size.prod(axis=1).sum()) + size[:, 0].max(),
        120,
    ):
        place, height = shelves(width)
        side = max(width, height)
        if best is None or side < best[0]:
            best = (side, place)
    assert best is not None
    return best[1] + gutter / 2, turned, 1.0 / best[0]


@numba.njit(cache=True)
def _smooth(p, tri, weld, part, limit):  # type: ignore[no-untyped-def]
    """Corner normals: the area-weighted mean of the faces around a vertex that lie within the crease angle of this
    one.
    """
    count = tri.shape[0]
    start = np.zeros(weld.max() + 2, np.int64)
    for t in range(count):
        for k in range(3):
            start[weld[tri[t, k]] + 1] += 1
    start = np.cumsum(start)
    fill = start.copy()
    around = np.empty(count * 3, np.int64)
    face = np.empty((count, 3))
    unit = np.empty((count, 3))
    for t in range(count):
        a, b, c = p[tri[t, 0]], p[tri[t, 1]], p[tri[t, 2]]
        e, f = b - a, c - a
        face[t, 0] = e[1] * f[2] - e[2] * f[1]
        face[t, 1] = e[2] * f[0] - e[0] * f[2]
        face[t, 2] = e[0] * f[1] - e[1] * f[0]
        unit[t] = face[t] / max(np.sqrt((face[t] ** 2).sum()), 1e-30)
        for k in range(3):
            w = weld[tri[t, k]]
            around[fill[w]] = t
            fill[w] += 1
    out = np.empty((count, 3, 3))
    for t in range(count):
        for k in range(3):
            w = weld[tri[t, k]]
            total = np.zeros(3)
            for j in range(start[w], start[w + 1]):
                o = around[j]
                if part[o] == part[t] and (unit[o] * unit[t]).sum() > limit:
                    total += face[o]
            out[t, k] = total / max(np.sqrt((total**2).sum()), 1e-30)
    return out
