"""PLY intake (Turk, "The PLY polygon file format", 1994)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from trimesh.exchange.ply import load_ply

from limus.errors import InputError
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
    try:
        with path.open("rb") as data:
            found = load_ply(data)
        vertex: Any = (found.get("metadata") or {}).get("_ply_raw", {}).get("vertex", {}).get("data")
        if not len(found.get("faces", ())):
            raise InputError(
                "the file holds points only, no faces", where=name, remedy="Make a surface of the points first, and save that"
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
        raise InputError(f"this is not a readable PLY file ({error})", where=name, remedy="Export the object again") from error
    return assembled([piece], name)
