"""Meshes packed by Draco, as glTF's extension KHR_draco_mesh_compression has them; unpacked by the library DracoPy."""

from __future__ import annotations

from typing import Any

import numpy as np


def _number(data: bytes, at: int) -> tuple[int, int]:
    """A number of variable length and where the next begins (Draco bitstream specification, LEB128)."""
    value = shift = 0
    while True:
        byte = data[at]
        at += 1
        value |= (byte & 127) << shift
        shift += 7
        if byte < 128 or shift > 63:
            return value, at


def claimed(data: bytes) -> tuple[int, int]:
    """(faces, points or vertices) that the header claims.

    Raises
    ------
    ValueError : not a mesh packed by Draco, or its header is cut short.
    """
    if len(data) < 12 or data[:5] != b"DRACO" or data[7] != 1:
        raise ValueError("it is no mesh packed by Draco")
    flags = data[9] | data[10] << 8
    if flags & 0x8000:
        # Metadata before the counts: nothing a count could be checked by but its own size.
        return len(data) * 64, len(data) * 64
    try:
        if data[8] == 0:
            faces, at = _number(data, 11)
            points, _ = _number(data, at)
        else:
            points, at = _number(data, 12)
            faces, _ = _number(data, at)
    except IndexError:
        raise ValueError("it is cut short") from None
    return faces, points


def unpacked(data: bytes, wanted: dict[str, Any], most: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """(F, 3) int64 triangles, and the attributes (V, c) asked for by their numbers in ``wanted`` (name -> unique id).

    Raises
    ------
    ValueError : cannot be unpacked, more than ``most`` faces, or an attribute is missing.
    """
    import DracoPy

    faces, points = claimed(data)
    if max(faces, points) > max(most, len(data) * 64):
        raise ValueError(f"it claims {max(faces, points)} faces or points, more than it can hold")
    try:
        mesh = DracoPy.decode(data)
    except Exception as error:  # the library raises types of its own
        raise ValueError(f"it cannot be unpacked ({str(error)[:80]})") from error
    out: dict[str, np.ndarray] = {}
    for name, number in wanted.items():
        found = mesh.get_attribute_by_unique_id(number)
        if found is None:
            raise ValueError(f"it has no attribute number {number} for {name}")
        values = np.asarray(found["data"] if isinstance(found, dict) else found)
        out[name] = values[:, None] if values.ndim == 1 else values
    return np.asarray(mesh.faces, np.int64).reshape(-1, 3), out
