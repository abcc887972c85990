"""UVs that lie in several unit squares, numbered from 1001 in rows of ten (UDIM)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from limus.surface.mesh import Mesh, Part, distinct

FIRST, COLUMNS = 1001, 10
#: More squares than that are a pattern that repeats, not tiles that somebody laid out.
MOST = 100
#: How far a corner may reach over the border of its square.
_SLACK = 1e-4


def set_tiles(mesh: Mesh) -> tuple[int, ...]:
    """For each map set the tile that all of it lies in; 1001 for one that lies in several, or in none."""
    if _in_first(mesh):
        return (FIRST,) * len(mesh.uv_domains)
    number = triangle_tiles(mesh)
    out = []
    for k in range(len(mesh.uv_domains)):
        found = [] if number is None else np.unique(number[mesh.triangle_map_set == k]).tolist()
        out.append(int(found[0]) if len(found) == 1 else FIRST)
    return tuple(out)


def _in_first(mesh: Mesh) -> bool:
    """Whether all UVs lie in the first square, as nearly all objects have them: quickly told."""
    return mesh.uv is not None and len(mesh.uv) > 0 and bool(mesh.uv.min() >= 0.0 and mesh.uv.max() < 1.0)


def tile_number(column: int, row: int) -> int:
    """1001 for the unit square at the origin, 1002 to the right of it, 1011 above it."""
    return FIRST + column + COLUMNS * row


def triangle_tiles(mesh: Mesh) -> np.ndarray | None:
    """(T,) int32 the number of the tile that each triangle lies in; None where UVs are not laid out in tiles: no UVs,
    a triangle over the border of its square or beyond the tenth column, more than ``MOST`` tiles.
    """
    if mesh.uv is None or not len(mesh.triangles):
        return None
    # v counts from the upper edge of a picture, tiles from the lower one.
    uv = np.stack([mesh.uv[:, 0], 1 - mesh.uv[:, 1]], axis=1).astype(np.float64)
    corners = uv[mesh.triangles]
    if not np.isfinite(corners).all():
        return None
    square = np.floor(corners.mean(axis=1))
    inside = corners - square[:, None]
    if (inside < -_SLACK).any() or (inside > 1 + _SLACK).any():
        return None
    if square.min() < 0 or square[:, 0].max() >= COLUMNS or square[:, 1].max() >= MOST:
        return None
    number = (FIRST + square[:, 0] + COLUMNS * square[:, 1]).astype(np.int32)
    return number if len(np.unique(number)) <= MOST else None


def tiles_of(mesh: Mesh) -> list[int]:
    """Numbers of the tiles that UVs are laid out in, where one map set lies in several of them; else empty."""
    number = None if _in_first(mesh) else triangle_tiles(mesh)
    if number is None:
        return []
    spans = any(len(np.unique(number[mesh.triangle_map_set == k])) > 1 for k in range(len(mesh.uv_domains)))
    return [int(k) for k in np.unique(number)] if spans else []


def in_tiles(mesh: Mesh) -> Mesh:
    """The mesh with a map set for each tile of each of its map sets; parts that lie in several become several, called
    after their tiles. The same mesh where UVs lie in no tiles.
    """
    number = triangle_tiles(mesh)
    if number is None or not tiles_of(mesh):
        return mesh
    pairs = sorted({(int(s), int(t)) for s, t in zip(mesh.triangle_map_set, number, strict=True)})
    several = {s for s, _ in pairs if sum(1 for other, _ in pairs if other == s) > 1}
    place = {pair: k for k, pair in enumerate(pairs)}
    # A map set in one tile keeps its name, unless that is not the first: then the name says which.
    domains = [
        f"{mesh.uv_domains[s]} {t}" if s in several or t != FIRST else mesh.uv_domains[s] for s, t in pairs
    ]  # fmt: skip
    order, parts, names, first = [], [], [], 0
    for part in mesh.parts:
        rows = np.arange(part.first, part.first + part.count)
        found = np.unique(number[rows])
        for tile in found:
            own = rows[number[rows] == tile]
            order.append(own)
            names.append(part.name if len(found) == 1 else f"{part.name} {tile}")
            parts.append(Part(part.name, first, len(own), place[part.map_set, int(tile)], part.back))
            first += len(own)

    def per_set(maps: tuple) -> tuple:  # type: ignore[type-arg]
        return tuple(maps[s] for s, _ in pairs) if maps else ()

    named = distinct(names)
    return replace(
        mesh,
        triangles=np.ascontiguousarray(mesh.triangles[np.concatenate(order)]),
        parts=tuple(replace(part, name=name) for part, name in zip(parts, named, strict=True)),
        uv_domains=tuple(domains),
        uv_titles=tuple(domains),
        normal_maps=per_set(mesh.normal_maps),
        base_maps=per_set(mesh.base_maps),
    )
