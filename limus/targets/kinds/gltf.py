"""Target: one GLB file."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

import numpy as np

from limus.formats.gltf_write import GltfMaps, glb_bytes
from limus.materials.channels import CHANNELS, is_even
from limus.materials.encode import ALWAYS, encode_texels, in_use, pictures_of
from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.raster import Raster, Tile, write_rasters
from limus.targets.target import Making, Target
from limus.targets.tiles import whole_bands
from limus.targets.written import Written, file_stem, map_set_stems

#: Opacity from this on is not worth blending for.
_OPAQUE = 0.998


#: Paths of textures in extensions -> the picture that they take; those of the core have places of their own.
_PATHS = {
    c.gltf: c.packed[0]
    for c in CHANNELS.values()
    if c.gltf.startswith("KHR") and c.gltf.endswith("Texture") and c.packed[0]
}
_CORE = {"pbrMetallicRoughness.baseColorTexture", "pbrMetallicRoughness.metallicRoughnessTexture", "emissiveTexture"}


def _slots(encoded: Collection[str]) -> dict[str, str]:
    return {path: picture for path, picture in _PATHS.items() if picture in encoded}


def _numbers(
    used: Collection[str], mean: Callable[[str], float], surface: Surface, texels: Texels
) -> dict[str, float | list[float]]:
    """Channels in use that glTF takes as one number or colour for a material."""
    out: dict[str, float | list[float]] = {}
    for name in ("specular_ior", "thin_film_ior"):
        if name in used:
            out[CHANNELS[name].gltf] = mean(name)
    if "emission_luminance" in used:
        # A full white of the picture stands for this many cd/m2; glTF counts in them.
        out[CHANNELS["emission_luminance"].gltf] = CHANNELS["emission_luminance"].full
    if "transmission_depth" in used and mean("transmission_depth") > 0:
        color = surface.channel("transmission_color")
        out["KHR_materials_volume.thicknessFactor"] = 0.0
        out[CHANNELS["transmission_depth"].gltf] = mean("transmission_depth") / 1000.0
        out[CHANNELS["transmission_color"].gltf] = [
            round(texels.share(np.ascontiguousarray(color[:, k], np.float32)), 4) for k in range(3)
        ]
    return out


@dataclass(frozen=True)
class _Plan:
    """What a GLB of a surface holds: ``carried`` pictures with their components, ``slots`` and ``numbers`` of its
    materials.
    """

    carried: dict[str, int]
    srgb: frozenset[str]
    slots: dict[str, str]
    numbers: dict[str, float | list[float]]
    opaque: bool


def _plan(texels: Texels, surface: Surface) -> _Plan:
    there_are = pictures_of(surface.sheet)
    used = {channel.name for channel in in_use(surface.sheet)}
    opaque = "opacity" not in used or float(surface.channel("opacity").min()) > _OPAQUE

    def mean(name: str) -> float:
        return round(texels.share(np.ascontiguousarray(surface.channel(name), np.float32)), 4)

    slots, numbers = _slots(there_are), _numbers(used, mean, surface, texels)
    # A coat follows the relief: without a normal texture of its own it would lie flat.
    if "KHR_materials_clearcoat.clearcoatTexture" in slots:
        slots["KHR_materials_clearcoat.clearcoatNormalTexture"] = "normal"
    if "KHR_materials_iridescence.iridescenceThicknessTexture" in slots:
        numbers["KHR_materials_iridescence.iridescenceThicknessMinimum"] = 0.0
        numbers["KHR_materials_iridescence.iridescenceThicknessMaximum"] = CHANNELS["thin_film_thickness"].full
    with_textures = {path.split(".")[0] for path in _PATHS}
    there = {path.split(".")[0] for path in slots}
    numbers = {
        path: v for path, v in numbers.items() if path.split(".")[0] in there or path.split(".")[0] not in with_textures
    }
    held = {name: [c for c in CHANNELS.values() if c.packed[0] == name] for name in there_are}
    alpha = {name for name, channels in held.items() if any(c.packed[1] + c.width == 4 for c in channels)}
    alpha -= {"base_color"} if opaque else set()
    srgb = {channel.packed[0] for channel in CHANNELS.values() if channel.colour}
    carried = {"orm", "normal", *slots.values(), *(c.packed[0] for c in CHANNELS.values() if c.gltf in _CORE)}
    return _Plan(
        {name: 4 if name in alpha else 3 for name in there_are if name in carried},
        frozenset(srgb), slots, numbers, opaque,
    )  # fmt: skip


def gltf_rasters(name: str, mesh: Mesh, texels: Texels, surface: Surface) -> list[Raster]:
    """The pictures of a GLB, beyond the standard three only where something is in them."""
    plan, stems = _plan(texels, surface), map_set_stems(mesh.uv_domains)
    held = pictures_of(surface.sheet)

    def encoder(picture: str, count: int) -> Callable[[Tile], np.ndarray]:
        def encode(tile: Tile) -> np.ndarray:
            of = tile.surface
            return encode_texels(picture, held[picture], of.sheet, of.normal, of.occlusion)[:, :count]

        return encode

    return [
        Raster(
            tuple(f"{file_stem(name)}_{stem}_{picture}.png" for stem in stems), count, np.dtype(np.uint8),
            encoder(picture, count), srgb=picture in plan.srgb, about={"picture": picture},
            even=picture not in ALWAYS and all(is_even(surface.sheet.get(c.name, c.plain()), c) for c in held[picture]),
        )
        for picture, count in plan.carried.items()
    ]  # fmt: skip


def gltf_maps(texels: Texels, surface: Surface) -> list[GltfMaps]:
    """PNG files for a GLB, one entry per map set, from all texels at once."""
    with tempfile.TemporaryDirectory() as room:
        rasters = gltf_rasters("", texels.mesh, texels, surface)
        made = write_rasters(rasters, texels.size, whole_bands(texels, surface), Path(room))
        return _gathered(texels, surface, rasters, made)


def _gathered(texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]) -> list[GltfMaps]:
    plan, files = _plan(texels, surface), {file.name: file for file in made}
    return [
        GltfMaps(
            {str(r.about["picture"]): files[r.files[k]].data for r in rasters}, plan.slots, plan.numbers, plan.opaque
        )
        for k in range(texels.pages)
    ]


def left_out(surface: Surface) -> list[str]:
    """Titles of channels in use that glTF 2.0 has no place for."""
    return [channel.title for channel in in_use(surface.sheet) if not channel.gltf]


class Gltf(Target):
    """The object with its maps as metallic-roughness glTF 2.0."""

    kind: ClassVar[str] = "gltf"
    order: ClassVar[int] = 1
    title: ClassVar[str] = "GLB"
    about: ClassVar[str] = (
        "One file with the object and its maps: metallic-roughness, normal, ambient occlusion, clear coat where "
        "there is one. "
        "Opens in any renderer that reads glTF 2.0."
    )

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """One file."""
        return [f"{making.naming.stem}.glb"]

    def rasters(self, making: Making, texels: Texels, surface: Surface, slack: float = 0.0) -> list[Raster]:
        """The pictures in it."""
        return gltf_rasters(making.name, making.mesh, texels, surface)

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """The GLB; a note where glTF has no place for a channel."""
        lost = left_out(surface)
        notes = [f"glTF has no place for {', '.join(lost)}: export maps to have them"] if lost else []
        textures = _gathered(texels, surface, rasters, made)
        data = glb_bytes(making.mesh, textures, name=making.name, where_it_was=True)
        return [Written(self.names(making, ())[0], data)], notes
