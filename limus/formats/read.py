"""Any object file: which format it is, told by its content rather than by its name."""

from __future__ import annotations

import logging
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Literal

from limus.common.errors import InputError
from limus.formats.bundle import OBJECTS, unpack
from limus.formats.files import need_regular
from limus.formats.gltf_read import read_gltf
from limus.surface.mesh import Mesh

# What the library has to say of a broken file is said by us, in one line.
logging.getLogger("trimesh").setLevel(logging.CRITICAL)
#: Every suffix that intake takes.
SUFFIXES = (*OBJECTS, ".zip")
#: Of files that an object file names and that come beside it.
COMPANIONS = (".bin", ".mtl", ".png", ".jpg", ".jpeg", ".webp", ".tga", ".bmp", ".tif", ".tiff")
#: Formats whose unit is the metre by their standard.
METRES = (".glb", ".gltf")


def format_of(path: Path, name: str | None = None) -> str:
    """The suffix that fits the content: ".glb", ".gltf", ".obj", ".ply", ".stl" or ".zip".

    Raises
    ------
    InputError : unreadable, empty, or none of these.
    """
    name = name or path.name
    need_regular(path, name)
    try:
        with path.open("rb") as file:
            head = file.read(4096)
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or error
        raise InputError(f"the file cannot be read ({reason})", where=name, remedy="Check the path") from error
    if not head:
        raise InputError(
            "the file is empty (0 bytes)", where=name, remedy="Export the object again, or copy the file again"
        )
    if head[:4] == b"glTF":
        return ".glb"
    if head[:4] in (b"PK\x03\x04", b"PK\x05\x06"):
        return ".zip"
    if head[:3] == b"ply":
        return ".ply"
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if text[:1] == b"{":
        return ".gltf"
    suffix = Path(name).suffix.lower()
    size = path.stat().st_size
    # A binary STL says how many triangles of 50 bytes follow its 84 bytes of header, whatever the header reads.
    if len(head) >= 84 and 84 + 50 * int.from_bytes(head[80:84], "little") == size:
        return ".stl"
    if text[:5].lower() == b"solid" or (suffix == ".stl" and len(head) >= 84):
        return ".stl"
    lines = text.splitlines() if text[:1] != b"#" else _first_lines(path)
    words = {line.split(None, 1)[0] for line in lines if line.strip()}
    if words & {b"v", b"vn", b"vt", b"f", b"mtllib", b"o", b"g"} and b"\0" not in head:
        return ".obj"
    known = {
        ".glb": "a GLB file (it does not begin with 'glTF')",
        ".gltf": "a glTF file",
        ".obj": "an OBJ file",
        ".ply": "a PLY file",
        ".zip": "a zip file",
    }
    what = known.get(suffix, "an object file that can be read here")
    raise InputError(f"this is not {what}", where=name, remedy=f"Save the object as one of {', '.join(SUFFIXES)}")


def _first_lines(path: Path) -> list[bytes]:
    """The first few lines of a text file that are no comments; some programs begin with pages of them."""
    out: list[bytes] = []
    with path.open("rb") as file:
        while len(out) < 8 and (line := file.readline(1 << 16)):
            if not line.startswith(b"#") and line.strip():
                out.append(line)
    return out


def read_object(path: Path | str, *, name: str | None = None, packed: bool = False) -> Mesh:
    """Read a ``.glb``, ``.gltf``, ``.obj``, ``.ply`` or ``.stl`` file, or a ``.zip`` with one of them in it.

    Positions are in units of the file, axes as they are there. ``packed``: it came out of a zip, so it may not be one.

    Raises
    ------
    InputError : see the readers of each format.
    """
    path = Path(path)
    shown = name or path.name
    kind = format_of(path, shown)
    if kind == ".zip":
        if packed:
            raise InputError(
                "it is a zip in a zip", where=shown, remedy="Zip the object and its textures once, in one folder"
            )
        with tempfile.TemporaryDirectory() as folder:
            inner = unpack(path, Path(folder), shown)
            mesh = read_object(inner, name=f"{shown}/{inner.name}", packed=True)
            return replace(mesh, source=shown)
    mesh = _read(kind, path, shown)
    suffix = Path(shown).suffix.lower()
    if suffix and suffix != kind and suffix != ".zip":
        mesh = replace(
            mesh, notes=(*mesh.notes, f"the name ends in {suffix}, but the content is {kind}; it was read as {kind}")
        )
    return mesh


def _read(kind: str, path: Path, shown: str) -> Mesh:
    # The general-purpose reader behind these takes half a second to import.
    if kind == ".obj":
        from limus.formats.obj_read import read_obj

        return read_obj(path, shown)
    if kind == ".ply":
        from limus.formats.ply_read import read_ply

        return read_ply(path, shown)
    if kind == ".stl":
        from limus.formats.stl_read import read_stl

        return read_stl(path, shown)
    return read_gltf(path, name=shown)


#: Which axis mostly points up in files of formats that do not say (common practice, no source); the others have +y by
#: their standard or habit.
_UP = {".stl": "+z", ".ply": "+z"}


def usual_up(path: Path, name: str | None = None) -> Literal["+y", "+z"]:
    """The axis that is taken for up where nobody says, by the format of a file, or of what a zip holds.

    Raises
    ------
    InputError : as of ``format_of``.
    """
    kind = format_of(path, name)
    if kind == ".zip":
        with tempfile.TemporaryDirectory() as folder:
            kind = format_of(unpack(path, Path(folder), name or path.name))
    return "+z" if _UP.get(kind) == "+z" else "+y"


def unit_known(path: Path, name: str | None = None) -> bool:
    """Whether the format says that its unit is the metre."""
    kind = format_of(path, name)
    if kind == ".zip":
        with tempfile.TemporaryDirectory() as folder:
            return format_of(unpack(path, Path(folder), name or path.name)) in METRES
    return kind in METRES
