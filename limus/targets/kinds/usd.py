"""Target: USD with PNG maps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from limus.formats.usd_write import UsdMap, usd_bytes
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import ChannelMaps, listing, written_channels
from limus.targets.raster import Raster
from limus.targets.target import Condition, Making
from limus.targets.written import Written

#: Title of a map -> input of the USD preview surface.
INPUTS = {
    "base-color": "diffuseColor", "roughness": "roughness", "metalness": "metallic", "normal": "normal",
    "ambient-occlusion": "occlusion", "clear-coat": "clearcoat", "clear-coat-roughness": "clearcoatRoughness",
    "opacity": "opacity", "emission-color": "emissiveColor", "specular-ior": "ior", "height": "displacement",
}  # fmt: skip


class UsdStage(ChannelMaps):
    """The object as a USD stage, its materials, and the maps."""

    kind: ClassVar[str] = "usd"
    order: ClassVar[int] = 7
    title: ClassVar[str] = "USD"
    about: ClassVar[str] = (
        "The object as a USD stage in metres with preview surfaces, and PNG maps; the relief goes along as "
        "displacement. Snapshots go along as variants."
    )
    lacks: ClassVar[str] = (
        "Fuzz, subsurface, thin film, transmission and whatever else the preview surface has no input for; their maps "
        "are written all the same"
    )
    takes: ClassVar[frozenset[str]] = ChannelMaps.takes | {"dither", "snapshots"}
    depths: ClassVar[tuple[int, ...]] = (8, 16)

    def beside(self, making: Making) -> list[str]:
        """The stage."""
        return [f"{making.naming.stem}.usdc"]

    def written_beside(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster]
    ) -> tuple[list[Written], list[str]]:
        """See ``beside``."""
        materials = _materials(making, rasters)
        stage = usd_bytes(making.mesh, {"": materials}, name=making.name)
        return [Written(self.beside(making)[0], stage)], _lost([surface])

    def files_of(self, conditions: Sequence[Condition]) -> tuple[list[Written], list[str]]:
        """One stage with a variant of its materials for each snapshot, the maps of each in a folder of its own."""
        making = conditions[0].making
        rasters = [raster for one in conditions for raster in one.rasters]
        made = [file for one in conditions for file in one.made]
        variants = {one.making.condition: _materials(one.making, one.rasters) for one in conditions}
        stage = Written(self.beside(making)[0], usd_bytes(making.mesh, variants, name=making.name))
        return [*made, stage, listing(making, rasters, made)], _lost([one.surface for one in conditions])


def _lost(surfaces: Sequence[Surface]) -> list[str]:
    used = {c.name for surface in surfaces for c in in_use(surface.sheet)}
    lost = [c.title for c in written_channels(used) if c.file not in INPUTS]
    return [f"The USD preview surface has no input for {', '.join(lost)}: their maps lie beside it"] if lost else []


def _materials(making: Making, rasters: Sequence[Raster]) -> list[dict[str, UsdMap]]:
    """For each map set the inputs of its surface, and what feeds them."""
    return [
        {
            INPUTS[title]: _used(raster, title, raster.files[k])
            for raster in rasters
            if (title := str(raster.about["channel"])) in INPUTS
        }
        for k in range(len(making.mesh.uv_domains))
    ]


def _used(raster: Raster, title: str, file: str) -> UsdMap:
    if title == "normal":
        return UsdMap(file, scale=2.0, bias=-1.0)
    about = raster.about
    span = about.get("height")
    if isinstance(span, dict):
        # Displacement is in units of the stage, metres.
        return UsdMap(file, scale=(span["white_mm"] - span["black_mm"]) / 1000, bias=span["black_mm"] / 1000)
    if "white" in about:
        low, high = float(str(about["black"])), float(str(about["white"]))
        return UsdMap(file, scale=high - low, bias=low)
    return UsdMap(file, srgb=about["colour"] == "sRGB")
