"""Target: PNG maps, one for each channel and map set."""

from __future__ import annotations

import json
from collections.abc import Collection
from typing import ClassVar

import numpy as np

from limus.common.colour import to_srgb
from limus.formats.png import png_bytes, quantise
from limus.materials.channels import CHANNELS, Channel
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.target import Target
from limus.targets.written import Written, file_stem, map_set_stems

#: Channels that are written whether anything is in them or not.
ALWAYS = ("base_color", "roughness", "metalness")
#: What is not a channel of a material and always written: titles of files.
MORE = ("ambient-occlusion", "normal", "height")


def _written(used: Collection[str]) -> list[Channel]:
    return [channel for channel in CHANNELS.values() if channel.name in used or channel.name in ALWAYS]


def _file(name: str, stem: str, title: str) -> str:
    return f"{file_stem(name)}_{stem}_{title}.png"


def map_files(name: str, texels: Texels, surface: Surface, bits: int = 8) -> list[Written]:
    """Separate PNG maps, one per channel and map set; channels that nothing uses are not written.

    Colour is sRGB; data maps are linear, from the low to the high end of the range that stands in ``maps.json``. Normal
    and height are 16 bit whatever ``bits`` says: 8 bit steps show in both. Height runs from the lowest to the highest
    relief of the object.
    """
    out: list[Written] = []
    low, high = float(surface.relief.min()), float(surface.relief.max())
    span = max(high - low, 1e-6)
    fields: list[tuple[str, np.ndarray, int, bool, tuple[float, float, str] | None]] = []
    used = {channel.name for channel in in_use(surface.sheet)}
    for channel in _written(used):
        values = np.asarray(surface.channel(channel.name))
        if channel.colour:
            fields.append((channel.file, to_srgb(values), bits, True, None))
            continue
        top = (
            channel.high if (channel.low, channel.high) == (0.0, 1.0) else max(float(values.max()), channel.low + 1e-6)
        )
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
            file = _file(name, stem, title)
            out.append(Written(file, png_bytes(pages[k], srgb=srgb)))
            entry: dict[str, object] = {
                "channel": title, "map_set": mesh.uv_domains[k], "name_in_file": mesh.uv_titles[k], "bits": depth,
                "colour": "sRGB" if srgb else "linear",
            }  # fmt: skip
            if ends is not None:
                entry |= {"black": ends[0], "white": ends[1], "unit": ends[2]}
            listing[file] = entry
    about["files"] = listing
    out.append(Written("maps.json", json.dumps(about, indent=2, ensure_ascii=False, allow_nan=False).encode()))
    return out


class Maps(Target):
    """Separate maps, and a list of what they are."""

    kind: ClassVar[str] = "maps"
    order: ClassVar[int] = 2
    title: ClassVar[str] = "Maps"
    about: ClassVar[str] = (
        "One PNG for each channel that something is in. Colour is sRGB, everything else linear; normal and height "
        "are 16 bit. "
        "maps.json names them and gives the range of the height in mm."
    )
    depths: ClassVar[tuple[int, ...]] = (8, 16)

    def names(self, name: str, mesh: Mesh, used: Collection[str]) -> list[str]:
        """One file for each channel and map set, and the list."""
        titles = [channel.file for channel in _written(used)] + list(MORE)
        return [_file(name, stem, title) for title in titles for stem in map_set_stems(mesh.uv_domains)] + ["maps.json"]

    def files(
        self, name: str, mesh: Mesh, texels: Texels, surface: Surface, bits: int
    ) -> tuple[list[Written], list[str]]:
        """The maps."""
        return map_files(name, texels, surface, bits), []
