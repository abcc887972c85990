"""Target: one GLB file."""

from __future__ import annotations

from collections.abc import Collection
from typing import ClassVar

import numpy as np

from limus.formats.gltf_write import GltfMaps, glb_bytes
from limus.formats.png import png_bytes
from limus.materials.channels import CHANNELS
from limus.materials.encode import encode_surface, in_use
from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.target import Target
from limus.targets.written import Written, file_stem

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


class Gltf(Target):
    """The object with its maps as metallic-roughness glTF 2.0."""

    kind: ClassVar[str] = "gltf"
    order: ClassVar[int] = 1
    title: ClassVar[str] = "GLB"
    about: ClassVar[str] = (
        "One file with the object and its maps: metallic-roughness, normal, ambient occlusion, clear coat where there is one. "
        "Opens in any renderer that reads glTF 2.0."
    )

    def names(self, name: str, mesh: Mesh, used: Collection[str]) -> list[str]:
        """One file."""
        return [f"{file_stem(name)}.glb"]

    def files(self, name: str, mesh: Mesh, texels: Texels, surface: Surface, bits: int) -> tuple[list[Written], list[str]]:
        """The GLB; a note where glTF has no place for a channel."""
        lost = left_out(surface)
        notes = [f"glTF has no place for {', '.join(lost)}: export maps to have them"] if lost else []
        data = glb_bytes(mesh, gltf_maps(texels, surface), name=name, where_it_was=True)
        return [Written(self.names(name, mesh, ())[0], data)], notes
