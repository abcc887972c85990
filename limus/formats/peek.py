"""How many triangles a file claims to hold, without reading it."""

from __future__ import annotations

import struct
from pathlib import Path

from limus.common.errors import InputError
from limus.formats.gltf_document import open_document
from limus.formats.gltf_placing import placed, placed_triangles, world
from limus.formats.read import format_of


def claimed_triangles(path: Path, name: str | None = None) -> int | None:
    """Triangles by the file's own headers: glTF accessors, every copy counted, the count of a binary STL, the header
    of a PLY; None where they do not say.
    """
    kind = format_of(path, name)
    size = path.stat().st_size
    with path.open("rb") as file:
        if kind == ".stl":
            head = file.read(84)
            count = struct.unpack_from("<I", head, 80)[0] if len(head) == 84 else 0
            return int(count) if 84 + 50 * count == size else None
        if kind == ".ply":
            head = file.read(1 << 16).split(b"end_header")[0]
            counts = [line.split()[2] for line in head.splitlines() if line.startswith(b"element face")]
            return int(counts[0]) if counts and counts[0].isdigit() else None
    if kind not in (".glb", ".gltf"):
        return None
    try:
        document = open_document(path, name or path.name)
        return placed_triangles(document, placed(document, world(document)))[0]
    except (InputError, KeyError, TypeError, AttributeError, ValueError, IndexError):
        # What is wrong with it is said by whoever reads it whole.
        return None
