"""Areas that other meshes mark on a surface: the inside of closed pieces, and what open sheets lie over."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.common.store import own_bytes
from limus.surface.box_tree import BoxTree, box_tree
from limus.surface.inside import inside
from limus.surface.mesh import Mesh
from limus.surface.nearest import distance_in_plane, nearest_in

#: Pieces of the outline are no longer than this share of its extent, so that what another piece covers can be left out.
_FINE = 1 / 200
#: A sheet whose faces look up or down by more than this has its upper side up; others have it where they face.
_LEVEL = 0.3
#: What lies as near as this share of the markers' diagonal, and no more than a millimetre, touches them.
TOUCH = 1e-4


@dataclass(frozen=True)
class Areas:
    """Attributes
    ----------
    solids : closed pieces whose triangles look outwards throughout, as one tree. odd : closed pieces that are turned
        this way and that, one tree each.
    sheets, sheet_normals : (S, 3) open pieces as one tree and their upward unit normals. rim : (S, 3) bool, which edge
        of each triangle (from its corner k to the next) is a border of the sheet; rim_corner : (S, 3) bool, which of
        its corners lies on one.
    above_m, below_m : how far over and under a sheet its area reaches.
    walls : what bounds the solids, without what lies inside another piece. outline : the same of the sheets, as lines.
    touch_m : what lies no farther from a solid counts as inside: one that stands on a floor marks the floor.
    """

    solids: BoxTree | None
    odd: tuple[BoxTree, ...]
    sheets: BoxTree | None
    sheet_normals: np.ndarray
    rim: np.ndarray
    rim_corner: np.ndarray
    above_m: float
    below_m: float
    walls: BoxTree | None
    outline: BoxTree | None
    touch_m: float

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store."""
        trees = [t for t in (self.solids, *self.odd, self.sheets, self.walls, self.outline) if t is not None]
        return own_bytes(self) + sum(own_bytes(tree) for tree in trees), ()

    @cached_property
    def _all_solids(self) -> list[tuple[BoxTree, bool]]:
        return ([(self.solids, True)] if self.solids is not None else []) + [(tree, False) for tree in self.odd]

    def in_solids(self, points: np.ndarray) -> np.ndarray:
        """(n,) bool: inside a closed piece."""
        out = np.zeros(len(points), bool)
        for tree, alike in self._all_solids:
            out |= inside(tree, points, turned_alike=alike)
        return out

    def over_sheets(self, points: np.ndarray, reach_m: float) -> tuple[np.ndarray, np.ndarray]:
        """(n,) metres to the area of the open pieces, 0 in it, up to about ``reach_m``; and (n, 3) the nearest place
        on a sheet.
        """
        far = np.full(len(points), reach_m)
        nearest = np.array(points, np.float64)
        if self.sheets is None:
            return far, nearest
        search = reach_m + max(self.above_m, self.below_m)
        asked = np.ascontiguousarray(points, np.float64)
        distance, which = nearest_in(self.sheets, asked, search)
        for_ranges(
            _beside, len(asked), asked, distance, np.float32(search), which, self.sheets.positions,
            self.sheets.triangles, self.sheet_normals, self.rim, self.rim_corner, self.above_m, self.below_m, far,
            nearest,
        )  # fmt: skip
        return far, nearest

    def distance(self, points: np.ndarray, facing: np.ndarray, reach_m: float) -> np.ndarray:
        """How far each point lies from the areas.

        Parameters
        ----------
        points, facing : (n, 3) metres, and unit normals of the surface there. reach_m : cut off here, on both sides.

        Returns
        -------
        (n,) float32 metres: positive outside, up to the reach; inside an area negative, by as much as one could go on
        along the surface before one leaves it.
        """
        far, on = self.over_sheets(points, reach_m)
        over = far <= 0.0
        signed = far.astype(np.float32)
        if over.any():
            signed[over] = -reach_m
            if self.outline is not None:
                signed[over] = -nearest_in(self.outline, on[over], reach_m)[0]
        if self.walls is None:
            return signed
        from_walls = nearest_in(self.walls, points, reach_m)[0]
        at = np.array(points, np.float64)
        within = self.in_solids(at)
        for way in (1.0, -1.0):
            touching = np.flatnonzero(~within & (from_walls <= self.touch_m))
            moved = at[touching] + facing[touching] * (way * 2.0 * self.touch_m)
            taken = self.in_solids(moved)
            at[touching[taken]] = moved[taken]
            within[touching[taken]] = True
        outside = ~within
        signed[outside] = np.where(
            signed[outside] < 0, signed[outside], np.minimum(signed[outside], from_walls[outside])
        )
        if within.any():
            depth = distance_in_plane(self.walls, at[within], facing[within], reach_m)
            signed[within] = np.minimum(signed[within], -depth)
        return signed


@kernel
def _beside(  # type: ignore[no-untyped-def]
    start, end, points, distance, search, which, p, triangles, normals, rim, rim_corner, above, below, far, nearest
):
    """Distance to the area of sheets, given the nearest triangle of each point; what is farther than ``search`` is left
    as it is.
    """
    for i in range(start, end):
        if distance[i] >= search:
            continue
        t = which[i]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        u, v, w = _shares(points[i], p, a, b, c)
        height, square = 0.0, 0.0
        for k in range(3):
            on = u * p[a, k] + v * p[b, k] + w * p[c, k]
            gap = points[i, k] - on
            height += gap * normals[t, k]
            square += gap * gap
            nearest[i, k] = on
        # Beside the sheet only where its border is what is nearest: over a bend the nearest place is an edge as well.
        border = False
        if w == 0.0 and u > 0.0 and v > 0.0:
            border = rim[t, 0]
        elif u == 0.0 and v > 0.0 and w > 0.0:
            border = rim[t, 1]
        elif v == 0.0 and u > 0.0 and w > 0.0:
            border = rim[t, 2]
        elif u == 1.0:
            border = rim_corner[t, 0]
        elif v == 1.0:
            border = rim_corner[t, 1]
        elif w == 1.0:
            border = rim_corner[t, 2]
        aside = max(square - height * height, 0.0) if border else 0.0
        beyond = max(height - above, -height - below, 0.0)
        far[i] = min((aside + beyond * beyond) ** 0.5, far[i])


@kernel
def _shares(point, p, a, b, c):  # type: ignore[no-untyped-def]
    """Shares of the three corners in the place of a triangle that is nearest to a point (Ericson, Real-Time Collision
    Detection, 2005, 5.1.5); exactly 0 on the edge opposite to a corner.
    """
    d1, d2, d3, d4, d5, d6 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(3):
        ab, ac = p[b, k] - p[a, k], p[c, k] - p[a, k]
        ap, bp, cp = point[k] - p[a, k], point[k] - p[b, k], point[k] - p[c, k]
        d1, d2 = d1 + ab * ap, d2 + ac * ap
        d3, d4 = d3 + ab * bp, d4 + ac * bp
        d5, d6 = d5 + ab * cp, d6 + ac * cp
    if d1 <= 0.0 and d2 <= 0.0:
        return 1.0, 0.0, 0.0
    if d3 >= 0.0 and d4 <= d3:
        return 0.0, 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        share = d1 / (d1 - d3)
        return 1.0 - share, share, 0.0
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        share = d2 / (d2 - d6)
        return 1.0 - share, 0.0, share
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        share = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 0.0, 1.0 - share, share
    total = va + vb + vc
    return va / total, vb / total, vc / total


def areas_of(mesh: Mesh, above_m: float, below_m: float) -> Areas:
    """What the parts of ``mesh`` mark.

    A part whose every edge is shared is a solid and marks its inside; any other is a sheet and marks what lies within
    ``above_m`` over and ``below_m`` under it. Parts may overlap and cross themselves.
    """
    live = mesh.areas > 1e-14 * max(mesh.diagonal, 1e-9) ** 2
    triangles = mesh.welded[mesh.triangles[live]].astype(np.int64)
    owner = mesh.triangle_part[live]
    faces, areas = mesh.face_normals[live].astype(np.float64), mesh.areas[live]
    places = np.zeros((int(mesh.welded.max(initial=-1)) + 1, 3))
    places[mesh.welded[::-1]] = mesh.positions[::-1]
    count = len(mesh.parts)
    closed, alike = _closed(triangles, owner, count)
    there = np.bincount(owner, minlength=count) > 0
    # Six times the volume, and twice the area seen from above.
    spat = np.einsum("ij,ij->i", places[triangles[:, 0]], _normal(places, triangles))
    inside_out = alike & (np.bincount(owner, spat, count) < 0)
    looks_down = np.bincount(owner, faces[:, 1] * areas, count) < -_LEVEL * np.bincount(owner, areas, count)
    flipped = inside_out[owner]
    triangles[flipped] = triangles[flipped][:, ::-1]
    faces[~closed[owner] & looks_down[owner]] *= -1.0
    solid, loose, thin = (closed & alike)[owner], (closed & ~alike)[owner], ~closed[owner]
    odd = [triangles[loose & (owner == k)] for k in np.flatnonzero(there & closed & ~alike)]
    solids = [triangles[solid & (owner == k)] for k in np.flatnonzero(there & closed & alike)]
    out = Areas(
        solids=box_tree(places, np.concatenate(solids)) if solids else None,
        odd=tuple(box_tree(places, piece) for piece in odd),
        sheets=box_tree(places, triangles[thin]) if thin.any() else None,
        sheet_normals=faces[thin],
        rim=np.zeros((0, 3), bool),
        rim_corner=np.zeros((0, 3), bool),
        above_m=above_m,
        below_m=below_m,
        walls=None,
        outline=None,
        touch_m=min(max(mesh.diagonal * TOUCH, 1e-6), 1e-3),
    )
    return _bounded(out, places, [*solids, *odd], owner[thin])


def walled(outline: np.ndarray, way: np.ndarray, low_m: float, high_m: float) -> Areas:
    """What an outline encloses, thrown along ``way``.

    Parameters
    ----------
    outline : (m, 3) metres, in a plane through the origin at right angles to ``way``; from its last point it goes back
        to its first. way : (3,) unit. low_m, high_m : from where to where along it.
    """
    count = len(outline)
    k = np.arange(count)
    after = np.roll(k, -1)
    middle = outline.mean(axis=0)
    places = np.concatenate(
        [outline + low_m * way, outline + high_m * way, [middle + low_m * way, middle + high_m * way]]
    )
    low, high = np.full(count, 2 * count), np.full(count, 2 * count + 1)
    sides = np.concatenate(
        [np.stack([k, after, after + count], axis=1), np.stack([k, after + count, k + count], axis=1)]
    )
    # Fans about the middle cover what lies outside of a hollow outline twice, there and back, which counts as nothing.
    caps = np.concatenate([np.stack([after, k, low], axis=1), np.stack([k + count, after + count, high], axis=1)])
    nothing = np.zeros((0, 3), bool)
    return Areas(
        solids=box_tree(places, np.concatenate([sides, caps])),
        odd=(),
        sheets=None,
        sheet_normals=np.zeros((0, 3)),
        rim=nothing,
        rim_corner=nothing,
        above_m=0.0,
        below_m=0.0,
        walls=box_tree(places, sides),
        outline=None,
        touch_m=0.0,
    )


def _closed(triangles: np.ndarray, owner: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """(count,) bool: pieces whose every edge is shared by an even number of triangles; and those that look one way
    throughout.
    """
    ends = np.concatenate([triangles[:, [k, (k + 1) % 3]] for k in range(3)])
    of = np.tile(owner, 3).astype(np.int64)
    order = np.lexsort((ends.max(axis=1), ends.min(axis=1), of))
    low, high, of = ends.min(axis=1)[order], ends.max(axis=1)[order], of[order]
    way = np.where(ends[:, 0] < ends[:, 1], 1, -1)[order]
    fresh = np.ones(len(of), bool)
    fresh[1:] = (low[1:] != low[:-1]) | (high[1:] != high[:-1]) | (of[1:] != of[:-1])
    edge = np.cumsum(fresh) - 1
    odd = np.bincount(edge) % 2 == 1
    askew = np.bincount(edge, way) != 0
    whose = of[fresh]
    return np.bincount(whose[odd], minlength=count) == 0, np.bincount(whose[askew], minlength=count) == 0


def _normal(places: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    a, b, c = (places[triangles[:, k]] for k in range(3))
    return np.cross(b - a, c - a)


def _bounded(areas: Areas, places: np.ndarray, walls: Sequence[np.ndarray], sheet_of: np.ndarray) -> Areas:
    """With what bounds them: borders that lie inside another piece are none. ``walls``: triangles of each closed piece;
    ``sheet_of``: which open piece each triangle of the sheets belongs to.
    """
    thin = areas.sheets.triangles if areas.sheets is not None else np.zeros((0, 3), np.int64)
    corners = np.concatenate([*walls, thin])
    piece = np.concatenate([np.repeat(np.arange(len(walls)), [len(t) for t in walls]), len(walls) + sheet_of])
    crowded = _crowded(places[corners], piece.astype(np.int64))
    if areas.sheets is not None:
        triangles = areas.sheets.triangles
        ends = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2)
        key = ends.min(axis=2) * len(places) + ends.max(axis=2)
        found, count = np.unique(key, return_counts=True)
        rim = count[np.searchsorted(found, key)] == 1
        corner = np.zeros(len(places), bool)
        corner[ends[rim]] = True
        areas = replace(areas, rim=rim, rim_corner=corner[triangles])
        if rim.any():
            a, b = places[ends[rim][:, 0]], places[ends[rim][:, 1]]
            owner = len(walls) + sheet_of[np.nonzero(rim)[0]]
            outward = np.cross(b - a, _unit(_normal(places, triangles))[np.nonzero(rim)[0]])
            areas = replace(areas, outline=_outline(areas, a, b, _unit(outward), crowded[owner]))
    if walls:
        meshes = [_wall(areas, places, triangles, crowded[k]) for k, triangles in enumerate(walls)]
        starts = np.cumsum([0, *(len(p) for p, _ in meshes[:-1])])
        points = np.concatenate([p for p, _ in meshes])
        faces = np.concatenate([t + start for (_, t), start in zip(meshes, starts, strict=True)])
        if len(faces):
            areas = replace(areas, walls=box_tree(points, faces))
    return areas


def _unit(vectors: np.ndarray) -> np.ndarray:
    return vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-30)


def _crowded(corners: np.ndarray, piece: np.ndarray) -> np.ndarray:
    """(p,) bool: which pieces' boxes meet that of another; ``corners`` (t, 3, 3) of triangles and ``piece`` (t,) whose
    they are.
    """
    count = int(piece.max(initial=-1)) + 1
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, piece, corners.min(axis=1))
    np.maximum.at(high, piece, corners.max(axis=1))
    out = np.zeros(count, bool)
    for k in range(0, count, 256):
        meets = np.ones((len(low[k : k + 256]), count), bool)
        for axis in range(3):
            meets &= low[k : k + 256, None, axis] <= high[None, :, axis]
            meets &= high[k : k + 256, None, axis] >= low[None, :, axis]
        out[k : k + 256] = meets.sum(axis=1) > 1
    return out


def _outline(areas: Areas, a: np.ndarray, b: np.ndarray, outward: np.ndarray, crowded: np.ndarray) -> BoxTree | None:
    """Lines a to b along the borders of sheets; where pieces are ``crowded``, cut short and without what another
    covers.
    """
    extent = float(np.linalg.norm(np.maximum(a, b).max(axis=0) - np.minimum(a, b).min(axis=0)))
    step = max(extent * _FINE, 1e-9)
    cuts = np.where(crowded, np.ceil(np.linalg.norm(b - a, axis=1) / step), 1).astype(int).clip(1, 2000)
    of = np.repeat(np.arange(len(a)), cuts)
    nth = np.arange(len(of)) - np.repeat(np.cumsum(cuts) - cuts, cuts)
    first = a[of] + (b - a)[of] * (nth / cuts[of])[:, None]
    last = a[of] + (b - a)[of] * ((nth + 1) / cuts[of])[:, None]
    beside = (first + last) / 2 + outward[of] * step * 1e-3
    keep = np.ones(len(of), bool)
    asked = np.flatnonzero(crowded[of])
    if len(asked):
        covered = areas.in_solids(beside[asked]) | (areas.over_sheets(beside[asked], step)[0] <= 0.0)
        keep[asked] = ~covered
    count = int(keep.sum())
    if not count:
        return None
    rows = np.arange(count)
    return box_tree(np.concatenate([first[keep], last[keep]]), np.stack([rows, rows + count, rows + count], axis=1))


def _wall(areas: Areas, places: np.ndarray, triangles: np.ndarray, crowded: bool) -> tuple[np.ndarray, np.ndarray]:
    """Positions and triangles of a solid's surface; where it is ``crowded``, cut small and without what lies inside
    another piece.
    """
    used, local = np.unique(triangles, return_inverse=True)
    points, faces = places[used], local.reshape(-1, 3)
    if not crowded:
        return points, faces
    extent = float(np.linalg.norm(np.ptp(points, axis=0)))
    area = float(np.linalg.norm(_normal(points, faces), axis=1).sum()) / 2
    # Ten thousand pieces may be crowded: a few thousand triangles each at most.
    # It brings a library of graphs along that nothing else here asks for.
    from trimesh.remesh import subdivide_to_size

    step = max(extent * _FINE * 2, (area / 4000) ** 0.5, 1e-9)
    points, faces = subdivide_to_size(points, faces, step, max_iter=24)  # type: ignore[no-untyped-call]
    outward = _unit(_normal(points, faces))
    beside = points[faces].mean(axis=1) + outward * step * 1e-3
    covered = areas.in_solids(beside) | (areas.over_sheets(beside, step)[0] <= 0.0)
    return points, faces[~covered]
