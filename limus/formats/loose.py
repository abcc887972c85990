"""From loose triangles, as OBJ, PLY and STL give them, to a mesh."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from limus.common.errors import InputError
from limus.common.wording import plain
from limus.surface.alike import rows_alike
from limus.surface.base_maps import BaseMaps
from limus.surface.crosses import edge_crosses, lengths
from limus.surface.mesh import Mesh, Part
from limus.surface.normals import creased_normals
from limus.surface.recentre import recentred

#: Parts that one object may have, and the largest number that is a place.
MOST_PARTS, FARTHEST = 20_000, 1e13


@dataclass(frozen=True)
class Piece:
    """One part of a file: (V, 3) positions in units of the file, (T, 3) triangles, and what else it brings per
    vertex.
    """

    name: str
    material: str
    positions: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray | None = None
    uv: np.ndarray | None = None
    colours: np.ndarray | None = None
    maps: BaseMaps | None = None


def triangles_of(faces: np.ndarray) -> np.ndarray:
    """(T, 3) triangles of (F, n) faces of n corners each; more than three are cut from the first corner."""
    faces = np.asarray(faces)
    if faces.ndim != 2 or faces.shape[1] < 3:
        raise ValueError(f"faces of shape {faces.shape}")
    if faces.dtype.kind not in "iu":
        raise ValueError("faces that are no whole numbers")
    if faces.shape[1] == 3:
        return faces.astype(np.int64)
    n = faces.shape[1]
    fan = np.stack([np.zeros(n - 2, np.int64), np.arange(1, n - 1), np.arange(2, n)], axis=1)
    return faces[:, fan.reshape(-1)].reshape(-1, 3).astype(np.int64)


def assembled(pieces: list[Piece], name: str) -> Mesh:
    """One mesh of all pieces, with normals made where none came along (smooth below a crease).

    Raises
    ------
    InputError : no triangles, positions that are not numbers, indices out of range, only degenerate triangles.
    """
    again = "Export the object again"
    pieces = [piece for piece in pieces if len(piece.triangles)]
    if not pieces:
        raise InputError(
            "the mesh is empty: there are no triangles", where=name, remedy="Export the object with its mesh"
        )
    if len(pieces) > MOST_PARTS:
        raise InputError(
            f"it has {len(pieces)} parts, more than {MOST_PARTS}", where=name, remedy="Join parts that belong together"
        )
    notes: list[str] = []
    with_uv = [piece.uv is not None for piece in pieces]
    coloured = any(piece.colours is not None for piece in pieces)
    sets: dict[str, int] = {}
    maps: list[BaseMaps | None] = []
    taken: dict[str, int] = {}
    columns: dict[str, list[np.ndarray]] = {"p": [], "uv": [], "c": []}
    corner_normals: list[np.ndarray | None] = []
    triangles: list[np.ndarray] = []
    parts: list[Part] = []
    base = first = dropped = 0
    for piece in pieces:
        p = np.asarray(piece.positions, np.float64)
        tri = piece.triangles
        if p.ndim != 2 or p.shape[1] != 3:
            raise InputError("its vertices do not have three numbers each", where=f"{name}: {piece.name}", remedy=again)
        wrong = ~(np.abs(p) < FARTHEST).all(axis=1)
        if wrong.any():
            raise InputError(
                f"{int(wrong.sum())} of {len(p)} positions are not finite numbers (NaN or infinite), or are beyond "
                "all measure",
                where=f"{name}: {piece.name}",
                remedy="Clean the mesh and export it again",
            )
        if tri.min() < 0 or tri.max() >= len(p):
            wrong_one = tri.min() if tri.min() < 0 else tri.max()
            raise InputError(
                f"a face refers to vertex {wrong_one}, and there are {len(p)}, counted from 0",
                where=f"{name}: {piece.name}",
                remedy=again,
            )
        area = lengths(edge_crosses(p, tri))
        keep = area > 0
        dropped += int((~keep).sum())
        tri = tri[keep]
        if not len(tri):
            continue
        if piece.material not in sets:
            sets[piece.material] = len(maps)
            maps.append(piece.maps)
        called = plain(piece.name, 80, "part")
        taken[called] = taken.get(called, 0) + 1
        title = called if taken[called] == 1 else f"{called} {taken[called]}"
        uv = np.zeros((len(p), 2)) if piece.uv is None else np.asarray(piece.uv, np.float64)
        if uv.shape != (len(p), 2):
            raise InputError(
                "its UVs do not have two numbers for each vertex", where=f"{name}: {piece.name}", remedy=again
            )
        usable = np.abs(uv) < 1e9
        if not usable.all():
            notes.append(f"{int((~usable).any(axis=1).sum())} UVs of {title} were not numbers and were set to 0")
        columns["p"].append(p)
        columns["uv"].append(np.where(usable, uv, 0.0).astype(np.float32))
        columns["c"].append(
            np.ones((len(p), 4), np.float32) if piece.colours is None else piece.colours.astype(np.float32)
        )
        normals = piece.normals
        if normals is not None:
            given = np.asarray(normals, np.float64)
            # A normal without a length says nothing: then all are made here.
            normals = (
                given
                if given.shape == (len(p), 3) and (np.linalg.norm(given[np.unique(tri)], axis=1) > 1e-6).all()
                else None
            )
        corner_normals.append(None if normals is None else np.asarray(normals, np.float32)[tri])
        triangles.append(tri + base)
        parts.append(Part(title, first, len(tri), sets[piece.material]))
        base += len(p)
        first += len(tri)
    if not parts:
        raise InputError(
            "every triangle is degenerate (no area)", where=name, remedy="Clean the mesh and export it again"
        )
    if dropped:
        notes.append(f"{dropped} degenerate triangles were left out")
    tri = np.concatenate(triangles)
    p, offset, note = recentred(np.concatenate(columns["p"]))
    if note:
        notes.append(note)
    bare = Mesh(
        positions=p,
        offset=offset,
        normals=np.zeros((len(p), 3), np.float32),
        triangles=tri.astype(np.int32),
        parts=tuple(parts),
        uv_domains=tuple(plain(title, 80, "object") for title in sets),
        source=name,
    )
    if all(n is not None for n in corner_normals):
        corner = np.concatenate([n for n in corner_normals if n is not None])
        corner /= np.maximum(np.linalg.norm(corner, axis=2, keepdims=True), 1e-20)
    else:
        corner = creased_normals(bare)
        for part, own in zip(parts, corner_normals, strict=True):
            if own is not None:
                corner[part.first : part.first + part.count] = own
        notes.append("normals were made here: smooth where edges bend less than 40 degrees")
    uv, colours = np.concatenate(columns["uv"]), np.concatenate(columns["c"])
    flat = tri.reshape(-1)
    n = corner.reshape(-1, 3)
    # One vertex for corners that agree in everything.
    keys = [bare.welded[flat], *np.round(n.astype(np.float64) * 1e4).astype(np.int64).T]
    if any(with_uv):
        keys += list(np.ascontiguousarray(uv[flat]).view(np.int32).T)
    if coloured:
        keys += list(np.round(colours[flat] * 65535).astype(np.int64).T)
    rows, group = rows_alike(keys)
    return replace(
        bare,
        positions=bare.positions[flat][rows],
        normals=n[rows].astype(np.float32),
        triangles=group.reshape(-1, 3).astype(np.int32),
        uv=uv[flat][rows] if any(with_uv) else None,
        colours=colours[flat][rows] if coloured else None,
        base_maps=tuple(maps) if any(m is not None for m in maps) else (),
        without_uv=tuple(x.name for x, has in zip(parts, with_uv, strict=False) if not has) if any(with_uv) else (),
        notes=tuple(notes),
    )
