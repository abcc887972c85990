"""Target: OBJ with MTL and PNG maps, for chains that read nothing newer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from limus.formats.obj_write import MtlMaterial, mtl_bytes, obj_bytes
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import ChannelMaps, written_channels
from limus.targets.raster import Raster
from limus.targets.target import Making
from limus.targets.written import Written

#: Title of a map -> statement of an MTL file: those of 1995, and those for physically based materials that most
#: programs read (PBR extension of the format, T. Wilkinson and others, 2013; from memory).
STATEMENTS = {
    "base-color": "map_Kd", "roughness": "map_Pr", "metalness": "map_Pm", "normal": "norm", "height": "disp",
    "opacity": "map_d", "emission-color": "map_Ke", "clear-coat": "map_Pc", "clear-coat-roughness": "map_Pcr",
    "fuzz": "map_Ps",
}  # fmt: skip


class Obj(ChannelMaps):
    """The object as OBJ, its materials as MTL, and the maps."""

    kind: ClassVar[str] = "obj"
    order: ClassVar[int] = 8
    title: ClassVar[str] = "OBJ"
    about: ClassVar[str] = (
        "The object as OBJ with an MTL file and PNG maps, for chains that read nothing newer. Metres, y up."
    )
    lacks: ClassVar[str] = (
        "Vertex colours, and every channel that MTL has no statement for; their maps are written all the same"
    )
    takes: ClassVar[frozenset[str]] = ChannelMaps.takes | {"dither"}
    depths: ClassVar[tuple[int, ...]] = (8, 16)

    def beside(self, making: Making) -> list[str]:
        """The object and its materials."""
        return [f"{making.naming.stem}.obj", f"{making.naming.stem}.mtl"]

    def written_beside(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster]
    ) -> tuple[list[Written], list[str]]:
        """See ``beside``."""
        materials = []
        for k, name in enumerate(making.mesh.uv_domains):
            maps = {
                STATEMENTS[str(raster.about["channel"])]: raster.files[k]
                for raster in rasters
                if raster.about["channel"] in STATEMENTS
            }
            span = next((raster.about.get("height") for raster in rasters if raster.about["channel"] == "height"), None)
            materials.append(MtlMaterial(name, maps, span if isinstance(span, dict) else None))
        obj, mtl = self.beside(making)
        lost = [c.title for c in written_channels({c.name for c in in_use(surface.sheet)}) if c.file not in STATEMENTS]
        notes = [f"MTL has no statement for {', '.join(lost)}: their maps lie beside it"] if lost else []
        return [
            Written(obj, obj_bytes(making.mesh, mtl)),
            Written(mtl, mtl_bytes(materials)),
        ], notes
