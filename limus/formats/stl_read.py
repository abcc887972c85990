"""STL intake, binary and text (3D Systems, "StereoLithography interface specification", 1989)."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from trimesh.exchange.stl import load_stl

from limus.errors import InputError
from limus.formats.loose import Piece, assembled, triangles_of
from limus.surface.mesh import Mesh


def read_stl(path: Path, name: str) -> Mesh:
    """Read an ``.stl`` file: one part, or one for each solid of a text file. STL has neither UVs, colours nor a unit.

    Raises
    ------
    InputError : not an STL file, cut short, or nothing usable in it.
    """
    try:
        with path.open("rb") as data:
            found = load_stl(data)
    except Exception as error:
        raise InputError(
            f"this is not a readable STL file ({error})", where=name, remedy="Export the object again; the file may be cut short"
        ) from error
    stem = Path(name).stem
    geometry = found.get("geometry", {stem: found})
    pieces = [
        Piece(
            name=str(key) or stem,
            material="object",
            positions=np.asarray(entry["vertices"], np.float64),
            triangles=triangles_of(entry["faces"]),
        )
        for key, entry in geometry.items()
        if len(entry.get("faces", ()))
    ]
    return assembled(pieces, name)
