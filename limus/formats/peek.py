"""How many triangles a file claims to hold, without reading it."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

from limus.formats.read import format_of


def claimed_triangles(path: Path, name: str | None = None) -> int | None:
    """Triangles by the file's own headers: glTF accessors, the count of a binary STL, the header of a PLY; None where they do not say."""
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
        if kind == ".glb":
            head = file.read(20)
            if len(head) < 20 or head[16:20] != b"JSON":
                return None
            length = struct.unpack_from("<I", head, 12)[0]
            text = file.read(min(length, 64 << 20))
        elif kind == ".gltf":
            text = file.read(64 << 20)
        else:
            return None
    try:
        document: dict[str, Any] = json.loads(text)
        accessors = document.get("accessors", [])
        total = 0
        for mesh in document.get("meshes", []):
            for primitive in mesh.get("primitives", []):
                number = primitive.get("indices", primitive.get("attributes", {}).get("POSITION"))
                total += int(accessors[number]["count"]) // 3
        return total
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError):
        return None
