"""OBJ intake, with the colours and pictures of its MTL file (Wavefront OBJ and MTL formats, appendix B of the 1990s
handbook).
"""

from __future__ import annotations

import mmap
import re
import warnings
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from trimesh.exchange.obj import load_obj

from limus.common.colour import to_linear
from limus.common.errors import InputError
from limus.common.wording import plain
from limus.formats.beside_for_trimesh import Beside
from limus.formats.loose import MOST_PARTS, Piece, assembled, triangles_of
from limus.formats.packed_picture import PictureBox
from limus.surface.base_maps import BaseMaps
from limus.surface.mesh import Mesh
from limus.surface.picture import Texture


def read_obj(path: Path, name: str) -> Mesh:
    """Read an ``.obj`` file: one part per object and material, one map set per material. OBJ has no unit; numbers are
    taken as they are.

    Raises
    ------
    InputError : not an OBJ file, or nothing usable in it.
    """
    files = Beside(path.parent, name)
    _few_groups(path, name)
    _counted_from_one(path, name)
    box = PictureBox()
    notes: list[str] = []
    try:
        with warnings.catch_warnings(), path.open("r", encoding="utf-8", errors="replace") as text:
            warnings.simplefilter("ignore")
            found = load_obj(text, resolver=files, split_objects=True, group_material=True, maintain_order=False)
    except Exception as error:
        raise _explained(path, name, error) from error
    try:
        pieces = _pieces(found, path, name, files, box, notes)
    except (ValueError, TypeError, IndexError, KeyError, AttributeError) as error:
        raise _explained(path, name, error) from error
    mesh = assembled(pieces, name)
    if notes:
        mesh = replace(mesh, notes=(*mesh.notes, *dict.fromkeys(notes)))
    if files.missing:
        names = ", ".join(sorted(set(files.missing))[:6])
        mesh = replace(mesh, notes=(*mesh.notes, f"these files named in it were not found and are left out: {names}"))
    return mesh


def _pieces(
    found: dict[str, Any], path: Path, name: str, files: Beside, box: PictureBox, notes: list[str]
) -> list[Piece]:
    """One piece per object and material of what the library read."""
    pieces = []
    geometry = found.get("geometry", {"": found})
    for key in sorted(geometry):
        entry = geometry[key]
        if not len(entry.get("faces", ())):
            continue
        visual = entry.get("visual")
        material = getattr(visual, "material", None)
        title = str(getattr(material, "name", "") or "object")
        # What has no name is called by its path in the library; here by the name of the file.
        stem = str(key).removesuffix(f"_{title}").replace(str(path), Path(name).stem).strip() or title
        uv = getattr(visual, "uv", None)
        colours = entry.get("vertex_colors")
        pieces.append(
            Piece(
                name=stem if stem != "None" else "object",
                material=title,
                positions=np.asarray(entry["vertices"], np.float64),
                triangles=triangles_of(entry["faces"]),
                normals=entry.get("vertex_normals"),
                # OBJ counts v upwards from the bottom of the picture, glTF downwards from the top.
                uv=None if uv is None else np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1),
                colours=None if colours is None else linear_colours(np.asarray(colours)),
                maps=_maps(material, files, box, notes),
            )
        )
    return pieces


#: A corner of a face: place, place/UV, place//normal, place/UV/normal; a last stroke with nothing behind it is passed
#: over.
_CORNER = re.compile(rb"-?[0-9]+(?:/(?:-?[0-9]+)?(?:/(?:-?[0-9]+)?)?)?")
_ZERO = re.compile(rb"^f[ \t][^\n]*?(?<![0-9/])0+(?=[/\s])", re.M)


def _counted_from_one(path: Path, name: str) -> None:
    """Refuse faces that refer to vertex 0: OBJ counts from 1, and the library would take the last one.

    Raises
    ------
    InputError : with the line.
    """
    with path.open("rb") as file:
        if not path.stat().st_size:
            return
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as text:
            found = _ZERO.search(text)
            if found is not None:
                line = text[: found.start()].count(b"\n") + 1
                raise InputError(
                    "a face refers to vertex 0, and OBJ counts from 1",
                    where=f"{name}: line {line}",
                    remedy="Export the object again",
                )


def _explained(path: Path, name: str, error: Exception) -> InputError:
    """What is wrong with a file that cannot be read, by the first line that is not as it should be."""
    again = "Export the object again"
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            words = line.split()
            shown = plain(line[:60].decode("utf-8", "replace"), 60)
            if words[:1] == [b"f"] and (len(words) < 4 or not all(_CORNER.fullmatch(word) for word in words[1:])):
                return InputError(f"'{shown}' is no face", where=f"{name}: line {number}", remedy=again)
            if words[:1] in ([b"v"], [b"vt"], [b"vn"]):
                try:
                    [float(word) for word in words[1:]]
                except ValueError:
                    return InputError(
                        f"'{shown}' holds something that is no number", where=f"{name}: line {number}", remedy=again
                    )
    return InputError(f"this is not a readable OBJ file ({str(error)[:100]})", where=name, remedy=again)


def _few_groups(path: Path, name: str) -> None:
    """Refuse a file of more groups than an object may have parts: each would be read by itself.

    Raises
    ------
    InputError : too many, or the file cannot be read.
    """
    try:
        with path.open("rb") as file:
            count = sum(1 for line in file if line[:2] in (b"o ", b"g ", b"us"))
    except OSError as error:
        raise InputError(f"the file cannot be read ({error.strerror})", where=name, remedy="Check the path") from error
    if count > 2 * MOST_PARTS:
        raise InputError(
            f"it has {count} groups and changes of material, more than {2 * MOST_PARTS}",
            where=name,
            remedy="Join what belongs together",
        )


def linear_colours(colours: np.ndarray) -> np.ndarray:
    """(V, 3 or 4) colours, 0..255 or 0..1, to (V, 4) float32 0..1, taken as linear (the formats do not say)."""
    values = colours.astype(np.float64)
    if colours.dtype.kind in "ui" or (values.size and values.max() > 1.001):
        values = values / 255.0
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1))], axis=1)
    return np.clip(np.nan_to_num(values), 0.0, 1.0).astype(np.float32)


def _maps(material: object, files: Beside, box: PictureBox, notes: list[str]) -> BaseMaps | None:
    """Kd and map_Kd of an MTL material; None where it says nothing."""
    diffuse, image = getattr(material, "diffuse", None), getattr(material, "image", None)
    given = getattr(material, "kwargs", {}) or {}
    # The reader makes up a grey picture where there is none; one that was read knows its file.
    file = image.info.get("file_path") if image is not None else None
    if file is None and not any(key in given for key in ("kd", "pr", "pm")):
        return None
    color = None
    if file is not None:
        try:
            color = Texture(box.take(files.get(str(file)), "RGBA"))
        except (OSError, ValueError) as error:
            notes.append(f"the picture {str(file)[:60]} could not be read and was left out ({str(error)[:100]})")
    # MTL colours are meant for the screen: sRGB, 0..255 as the reader gives them.
    encoded = np.ones(3)
    try:
        encoded = np.clip(
            np.asarray(diffuse if diffuse is not None else (255, 255, 255), np.float64)[:3] / 255.0, 0.0, 1.0
        )
    except (ValueError, TypeError):
        notes.append("a colour of its materials could not be read; it is taken for white")
    linear = to_linear(encoded) if encoded.shape == (3,) and np.isfinite(encoded).all() else np.ones(3)
    factor = (1.0, 1.0, 1.0, 1.0) if color is not None else (float(linear[0]), float(linear[1]), float(linear[2]), 1.0)

    def number(key: str, default: float) -> float:
        try:
            value = float(np.ravel(given[key])[0])
            return min(max(value, 0.0), 1.0) if value == value else default
        except (KeyError, ValueError, TypeError, IndexError):
            return default

    return BaseMaps(color=color, color_factor=factor, roughness=number("pr", 0.6), metalness=number("pm", 0.0))
