"""PLY intake (Turk, "The PLY polygon file format", 1994)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from trimesh.exchange.ply import load_ply

from limus.common.errors import InputError
from limus.formats.loose import Piece, assembled, triangles_of
from limus.formats.obj_read import linear_colours
from limus.surface.mesh import Mesh

_UV = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))


def read_ply(path: Path, name: str) -> Mesh:
    """Read a ``.ply`` file as one part, with vertex colours, normals and UVs where it has them. PLY has no unit.

    Raises
    ------
    InputError : not a PLY file, or nothing usable in it.
    """
    _believable(path, name)
    try:
        with path.open("rb") as data:
            found = load_ply(data)
        vertex: Any = (found.get("metadata") or {}).get("_ply_raw", {}).get("vertex", {}).get("data")
        if not len(found.get("faces", ())):
            raise InputError(
                "the file holds points only, no faces",
                where=name,
                remedy="Make a surface of the points first, and save that",
            )
        names = vertex.dtype.names or () if hasattr(vertex, "dtype") else tuple(vertex or ())

        def columns(wanted: tuple[str, ...]) -> np.ndarray | None:
            if not all(column in names for column in wanted):
                return None
            return np.stack([np.asarray(vertex[column], np.float64).reshape(-1) for column in wanted], axis=1)

        uv = next((c for c in (columns(pair) for pair in _UV) if c is not None), None)
        colours = columns(("red", "green", "blue", "alpha"))
        if colours is None:
            colours = columns(("red", "green", "blue"))
        piece = Piece(
            name=Path(name).stem,
            material="object",
            positions=np.asarray(found["vertices"], np.float64),
            triangles=triangles_of(found["faces"]),
            normals=columns(("nx", "ny", "nz")),
            uv=None if uv is None else np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1),
            colours=None if colours is None else linear_colours(colours),
        )
    except InputError:
        raise
    except Exception as error:
        raise InputError(
            f"this is not a readable PLY file ({str(error)[:100]})", where=name, remedy="Export the object again"
        ) from error
    return assembled([piece], name)


def _believable(path: Path, name: str) -> None:
    """Hold the counts of the header against the bytes that follow it, before anything is made room for.

    Raises
    ------
    InputError : no header, or more elements than bytes.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(1 << 16)
    end = head.find(b"end_header")
    if not head.startswith(b"ply") or end < 0:
        raise InputError(
            "this is not a readable PLY file (its header has no end)", where=name, remedy="Export the object again"
        )
    properties = 0
    if b"element tristrips" in head[:end] and b"element face" not in head[:end]:
        raise InputError(
            "its surface is stored as triangle strips, which are not read",
            where=name,
            remedy="Export it with plain faces",
        )
    for line in [*head[:end].splitlines(), b"element end 0"]:
        words = line.split()
        if words[:1] == [b"element"]:
            if len(words) != 3 or not words[2].isdigit() or len(words[2]) > 12:
                raise InputError(
                    "its header has an element without a count", where=name, remedy="Export the object again"
                )
            count = int(words[2])
            # An element takes at least a byte or, as text, a line; what follows the header is all there is.
            if count > size - end:
                raise InputError(
                    f"it is cut short: it claims {count} of '{words[1].decode('latin-1')[:20]}' in {size - end} bytes",
                    where=name,
                    remedy="Copy the file again; it was not written to its end",
                )
        elif words[:1] == [b"property"]:
            properties += 1
    if properties > 200:
        raise InputError(f"its header has {properties} properties", where=name, remedy="Export only what is needed")
