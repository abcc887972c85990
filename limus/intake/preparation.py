"""From the object of a scene to the mesh that is worked on, and what stands around it.

Everything here is a pure function of the files and the document, so an undo gives the very mesh there was before. What
takes long (unwrapping) is kept on disk by the hash of what it depends on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import shared
from limus.formats.files import write_whole
from limus.formats.read import read_object
from limus.intake.object_file import Neighbour, ObjectFile
from limus.readings.kept import kept_file, note
from limus.readings.setting import Setting
from limus.readings.surroundings import Other, Surroundings
from limus.surface.axes import placed
from limus.surface.mesh import Mesh, Part, distinct
from limus.surface.sheets import with_backs
from limus.surface.subdivide import subdivided
from limus.surface.turning import turned
from limus.surface.udim import in_tiles
from limus.surface.unwrap import Atlas, atlas_for

Progress = Callable[[float], None]
#: Gives the path of a file named in a scene.
Finder = Callable[[str], Path]


def beside_scene(folder: Path) -> Finder:
    """Files of a scene lie beside it, or below."""
    return lambda name: folder / name


def read_once(path: Path) -> Mesh:
    """``read_object``, kept in memory by path, size and time of change."""
    try:
        about = path.stat()
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise InputError(f"the file cannot be read ({reason})", where=path.name, remedy="Check the path") from error
    key = key_of("object file", str(path.resolve()), about.st_size, about.st_mtime_ns)
    mesh: Mesh = shared().get(key, lambda: read_object(path))
    return mesh


def prepared(document: ObjectFile, setting: Setting, find: Finder, progress: Progress | None = None) -> Mesh:
    """The mesh that is worked on: read, given its size, stood upright, turned, split, subdivided and unwrapped as the
    scene says.

    Raises
    ------
    InputError : see the readers; parts that the document names and the file lacks count as nothing.
    """
    mesh = placed(read_once(find(document.file)), document.scale, setting.up)
    mesh = turned(mesh, document.turned)
    if document.subdivide_mm:
        mesh = subdivided(mesh, document.subdivide_mm)
    if document.uv == "second":
        mesh = by_second_uv(mesh)
    if document.uv == "tiles":
        mesh = in_tiles(mesh)
    if document.uv == "unwrapped":
        mesh = unwrapped_once(mesh, progress)
    # Backs last: they take over the UVs of their fronts.
    return with_backs(mesh, document.two_sided)


def by_second_uv(mesh: Mesh) -> Mesh:
    """The mesh on the second UV set of its file.

    Raises
    ------
    InputError : the file has none.
    """
    if mesh.other_uv is None:
        raise InputError(
            "the file has no second UV set", where="object.uv", remedy="Choose its own UVs, or unwrap it here"
        )
    return replace(mesh, uv=mesh.other_uv, other_uv=mesh.uv, uv_set=1 - mesh.uv_set, tangents=None, without_uv=())


def unwrap_file(mesh: Mesh) -> Path:
    """Where the unwrapped UVs of a mesh are kept."""
    return kept_file(f"{key_of('unwrapped 4', mesh.key)}.npz")


def unwrapped_once(mesh: Mesh, progress: Progress | None = None) -> Mesh:
    """The mesh with new UVs, from disk where it was made before."""
    path = unwrap_file(mesh)
    try:
        with np.load(path, allow_pickle=False) as kept:
            atlas = Atlas(kept["rows"], kept["triangles"], kept["uv"], tuple(str(x) for x in kept["notes"]))
        if atlas.triangles.shape != mesh.triangles.shape or atlas.rows.max() >= len(mesh.positions):
            raise ValueError("another mesh")
    except (OSError, ValueError, EOFError, KeyError):
        atlas = atlas_for(mesh, progress)
        out = BytesIO()
        np.savez(
            out, rows=atlas.rows, triangles=atlas.triangles, uv=atlas.uv, notes=np.array(atlas.notes, dtype=np.str_)
        )
        write_whole(path, out.getvalue())
    note(path.name)
    return atlas.put_on(mesh)


def rotation(degrees: tuple[float, float, float]) -> np.ndarray:
    """(3, 3) turn about x, then y, then z."""
    cx, cy, cz = np.cos(np.radians(degrees))
    sx, sy, sz = np.sin(np.radians(degrees))
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    return about_z @ about_y @ about_x


def between(mesh: Mesh, other: Mesh) -> np.ndarray:
    """(3,) metres to add to ``other`` so that it stands to ``mesh`` as in their files, where both lie far from the
    origin of one site.
    """
    return other.offset - mesh.offset if mesh.offset.any() and other.offset.any() else np.zeros(3)


def neighbour_mesh(neighbour: Neighbour, find: Finder, beside: Mesh) -> Mesh:
    """One neighbour where it stands, in the axes and metres of the object ``beside`` it."""
    mesh = placed(read_once(find(neighbour.file)), neighbour.scale, neighbour.up)
    turn = rotation(neighbour.rotation_deg)
    shift = np.array(neighbour.position_mm) / 1000.0 + between(beside, mesh)
    return Mesh(
        positions=(mesh.positions.astype(np.float64) @ turn.T + shift).astype(np.float32),
        normals=(mesh.normals @ turn.T).astype(np.float32),
        triangles=mesh.triangles,
        parts=tuple(
            Part(name, part.first, part.count, 0)
            for name, part in zip(distinct(part.name for part in mesh.parts), mesh.parts, strict=True)
        )
        or (Part(neighbour.name, 0, len(mesh.triangles), 0),),
        source=neighbour.name,
    )


def piece_colours(mesh: Mesh) -> tuple[tuple[float, float, float] | None, ...]:
    """Linear colour of each part, where its material is of one."""
    out: list[tuple[float, float, float] | None] = []
    for part in mesh.parts:
        maps = mesh.base_maps[part.map_set] if part.map_set < len(mesh.base_maps) else None
        plain = maps is not None and maps.color is None
        out.append(tuple(round(float(c), 4) for c in maps.color_factor[:3]) if maps is not None and plain else None)  # type: ignore[arg-type]
    return tuple(out)


def surroundings(document: ObjectFile, setting: Setting, mesh: Mesh, find: Finder) -> Surroundings:
    """Ground, neighbours and twin of the prepared ``mesh``."""
    ground = None
    if setting.ground_hides:
        ground = float(mesh.bounds[0, 1]) if setting.ground_mm is None else setting.ground_mm / 1000.0
    others = tuple(
        Other(n.id, n.name, neighbour_mesh(n, find, mesh), n.role == "marker", piece_colours(read_once(find(n.file))))
        for n in document.neighbours
        if n.on
    )
    near = [other.mesh for other in others if not other.marker]
    joined = None
    if near:
        starts = np.cumsum([0] + [len(m.positions) for m in near[:-1]])
        joined = Mesh(
            positions=np.concatenate([m.positions for m in near]),
            normals=np.concatenate([m.normals for m in near]),
            triangles=np.concatenate([m.triangles + start for m, start in zip(near, starts, strict=True)]).astype(
                np.int32
            ),
            source="neighbours",
        )
    twin = None
    if document.twin is not None:
        twin = placed(read_once(find(document.twin.file)), document.scale, setting.up)
        apart = between(mesh, twin)
        if apart.any():
            twin = replace(twin, positions=(twin.positions + apart).astype(np.float32), offset=mesh.offset)
        gap = np.abs(twin.bounds.mean(axis=0) - mesh.bounds.mean(axis=0)).max()
        if gap > mesh.diagonal or not 0.2 < twin.diagonal / max(mesh.diagonal, 1e-12) < 5:
            raise InputError(
                "the high-poly twin does not lie where the object lies, or has another size",
                where="object.twin.file",
                remedy="Export both from one scene with one scale and origin",
            )
    reach = document.twin.reach_mm / 1000.0 if document.twin is not None and document.twin.reach_mm else None
    return Surroundings(ground, joined, twin, reach, others)
