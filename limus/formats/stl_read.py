"""STL intake, binary and text (3D Systems, "StereoLithography interface specification", 1989)."""

from __future__ import annotations

from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from trimesh.exchange.stl import load_stl

from limus.common.errors import InputError
from limus.formats.loose import Piece, assembled, triangles_of
from limus.surface.mesh import Mesh


def read_stl(path: Path, name: str) -> Mesh:
    """Read an ``.stl`` file: one part, or one for each solid of a text file. STL has neither UVs, colours nor a unit.

    Raises
    ------
    InputError : not an STL file, cut short, or nothing usable in it.
    """
    try:
        raw = path.read_bytes()
        # A text file may be in any encoding, where only the names of solids matter; the library would ask another one
        # which it is.
        text = raw[:5].lower() == b"solid" and b"\0" not in raw[:4096]
        if not text:
            raw = _whole(raw, name)
        found = load_stl(BytesIO(raw.decode("utf-8", "replace").encode("utf-8") if text else raw))
    except InputError:
        raise
    except Exception as error:
        raise InputError(
            f"this is not a readable STL file ({str(error)[:100]})",
            where=name,
            remedy="Export the object again; the file may be cut short",
        ) from error
    try:
        pieces = _pieces(found, name)
    except (ValueError, TypeError, IndexError, KeyError) as error:
        raise InputError(
            f"this is not a readable STL file ({str(error)[:100]})", where=name, remedy="Export the object again"
        ) from error
    return assembled(pieces, name)


def _whole(raw: bytes, name: str) -> bytes:
    """A binary file by the count that it states: 84 bytes, then 50 for each triangle. What follows those is left out.

    Raises
    ------
    InputError : fewer triangles than stated; the library would go on to try it as text.
    """
    count, held = int.from_bytes(raw[80:84], "little"), max(len(raw) - 84, 0) // 50
    if len(raw) < 84 or count > held:
        raise InputError(
            f"it is cut short: it says {count} triangles and holds {held}" if len(raw) >= 84 else "it is cut short",
            where=name,
            remedy="Export the object again, or copy the file again",
        )
    return raw[: 84 + 50 * count]


def _pieces(found: dict[str, Any], name: str) -> list[Piece]:
    stem = Path(name).stem
    geometry = found.get("geometry", {stem: found})
    return [
        Piece(
            name=str(key) or stem,
            material="object",
            positions=np.asarray(entry["vertices"], np.float64),
            triangles=triangles_of(entry["faces"]),
        )
        for key, entry in geometry.items()
        if len(entry.get("faces", ()))
    ]
