"""A delivery: the finished object as a GLB, or as a set of PNG maps."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from limus.chronicle import Surface
from limus.colour import to_srgb
from limus.formats.files import write_whole
from limus.formats.gltf_write import GltfMaps, glb_bytes
from limus.formats.png import png_bytes, quantise
from limus.masks.vertex_paint import painted_colours
from limus.materials.channels import CHANNELS
from limus.materials.encode import encode_surface, in_use
from limus.session import Say, Session
from limus.surface.mesh import distinct
from limus.surface.texels import Texels

TARGETS = ("gltf", "maps")


@dataclass(frozen=True)
class Written:
    """One file of a delivery."""

    name: str
    data: bytes


def file_stem(name: str, otherwise: str = "object") -> str:
    """A name that every file system takes; ``otherwise`` where nothing of it is left."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower() or otherwise


def map_set_stems(names: Iterable[str]) -> tuple[str, ...]:
    """A file name for each map set, no two alike, the same at every export."""
    return distinct((file_stem(name, "map-set") for name in names), "-")


#: Opacity from this on is not worth blending for.
_OPAQUE = 0.998


def gltf_maps(texels: Texels, surface: Surface) -> list[GltfMaps]:
    """PNG files for a GLB, one entry per map set; pictures beyond the standard three only where something is in them."""
    encoded = encode_surface(texels, surface.sheet, surface.normal, surface.occlusion)
    used = {channel.name for channel in in_use(surface.sheet)}
    opaque = "opacity" not in used or float(surface.channel("opacity").min()) > _OPAQUE

    def mean(name: str) -> float:
        return round(texels.share(np.ascontiguousarray(surface.channel(name), np.float32)), 4)

    numbers: dict[str, float] = {}
    if "specular_ior" in used:
        numbers["ior"] = mean("specular_ior")
    if "thin_film_ior" in used:
        numbers["film_ior"] = mean("thin_film_ior")
    if "emission_luminance" in used:
        # A full white of the picture stands for this many cd/m2; glTF counts in them.
        numbers["emission"] = CHANNELS["emission_luminance"].full
    tint = (1.0, 1.0, 1.0)
    if "transmission_depth" in used and mean("transmission_depth") > 0:
        numbers["depth_m"] = mean("transmission_depth") / 1000.0
        color = surface.channel("transmission_color")
        tint = tuple(round(texels.share(np.ascontiguousarray(color[:, k], np.float32)), 4) for k in range(3))  # type: ignore[assignment]
    alpha = {"fuzz", "specular"} | (set() if opaque else {"base_color"})
    srgb = {channel.packed[0] for channel in CHANNELS.values() if channel.colour}
    carried = ("base_color", "orm", "normal", "clear_coat", "fuzz", "specular", "film", "transmission", "emission")
    out = []
    for k in range(texels.pages):
        pictures = {
            name: png_bytes((pages[k] if name in alpha else pages[k, :, :, :3]).copy(), srgb=name in srgb)
            for name, pages in encoded.items()
            if name in carried
        }
        out.append(GltfMaps(pictures, numbers, tint, opaque))
    return out


def left_out(surface: Surface) -> list[str]:
    """Titles of channels in use that glTF 2.0 has no place for."""
    return [channel.title for channel in in_use(surface.sheet) if not channel.gltf]


def map_files(name: str, texels: Texels, surface: Surface, bits: int = 8) -> list[Written]:
    """Separate PNG maps, one per channel and map set; channels that nothing uses are not written.

    Colour is sRGB; data maps are linear, from the low to the high end of the range that stands in ``maps.json``. Normal and height are
    16 bit whatever ``bits`` says: 8 bit steps show in both. Height runs from the lowest to the highest relief of the object.
    """
    out: list[Written] = []
    low, high = float(surface.relief.min()), float(surface.relief.max())
    span = max(high - low, 1e-6)
    fields: list[tuple[str, np.ndarray, int, bool, tuple[float, float, str] | None]] = []
    used = {channel.name for channel in in_use(surface.sheet)} | {"base_color", "roughness", "metalness"}
    for channel in CHANNELS.values():
        if channel.name not in used:
            continue
        values = np.asarray(surface.channel(channel.name))
        if channel.colour:
            fields.append((channel.file, to_srgb(values), bits, True, None))
            continue
        top = channel.high if (channel.low, channel.high) == (0.0, 1.0) else max(float(values.max()), channel.low + 1e-6)
        ends = None if (channel.low, top) == (0.0, 1.0) else (channel.low, round(top, 5), channel.unit)
        fields.append((channel.file, (values - channel.low) / (top - channel.low), bits, False, ends))
    fields += [
        ("ambient-occlusion", 1 - surface.occlusion, bits, False, None),
        ("normal", surface.normal * 0.5 + 0.5, 16, False, None),
        ("height", (surface.relief - low) / span, 16, False, None),
    ]
    about: dict[str, object] = {
        "object": name,
        "resolution": texels.size,
        "normal": "tangent space, green up (glTF)",
        "height": {"black_mm": round(low, 5), "white_mm": round(high, 5)},
        "files": {},
    }
    mesh = texels.mesh
    stems = map_set_stems(mesh.uv_domains)
    listing: dict[str, object] = {}
    for title, values, depth, srgb, ends in fields:
        pages = texels.image(quantise(np.ascontiguousarray(values), depth))
        for k, stem in enumerate(stems):
            file = f"{file_stem(name)}_{stem}_{title}.png"
            out.append(Written(file, png_bytes(pages[k], srgb=srgb)))
            entry: dict[str, object] = {
                "channel": title, "map_set": mesh.uv_domains[k], "name_in_file": mesh.uv_titles[k], "bits": depth, "colour": "sRGB" if srgb else "linear",
            }  # fmt: skip
            if ends is not None:
                entry |= {"black": ends[0], "white": ends[1], "unit": ends[2]}
            listing[file] = entry
    about["files"] = listing
    out.append(Written("maps.json", json.dumps(about, indent=2, ensure_ascii=False).encode()))
    return out


def deliver(
    session: Session, target: str, resolution: int, *, bits: int = 8, progress: Say | None = None
) -> tuple[list[Written], list[str]]:
    """All files of a delivery, in memory, and what layers and channels have to say about it.

    ``target`` is "gltf" or "maps"; may raise ``Cancelled`` through ``progress``.
    """
    scene, mesh = session.scene, session.mesh
    texels, surface, notes = session.finished(resolution, say=progress)
    if progress:
        progress(0.9, "Writing files")
    if target == "gltf":
        if scene.vertex_paint:
            mesh = replace(mesh, colours=painted_colours(mesh, scene.vertex_paint, session.find))
        lost = left_out(surface)
        if lost:
            notes.append(f"glTF has no place for {', '.join(lost)}: export maps to have them")
        out = [Written(f"{file_stem(scene.name)}.glb", glb_bytes(mesh, gltf_maps(texels, surface), name=scene.name))]
    else:
        out = map_files(scene.name, texels, surface, bits)
    if progress:
        progress(1.0, "Done")
    return out, notes


def write_all(files: list[Written], folder: Path) -> None:
    """Write the files, each whole or not at all."""
    for file in files:
        write_whole(folder / file.name, file.data)
