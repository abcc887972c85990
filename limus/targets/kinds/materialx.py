"""Target: MaterialX with OpenEXR maps."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from limus.formats.materialx_write import MapNode, materialx
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import ChannelMaps, written_channels
from limus.targets.raster import Raster
from limus.targets.target import Making
from limus.targets.written import Written, map_set_stems


class MaterialX(ChannelMaps):
    """OpenPBR surfaces in MaterialX documents, and their maps."""

    kind: ClassVar[str] = "materialx"
    order: ClassVar[int] = 6
    title: ClassVar[str] = "MaterialX"
    about: ClassVar[str] = (
        "A MaterialX document with an OpenPBR surface for each map set, and OpenEXR maps with the numbers themselves: "
        "every channel, the normal, and the relief as displacement in metres."
    )
    lacks: ClassVar[str] = "The object itself, glints, and ambient occlusion, whose map lies beside it"
    depths: ClassVar[tuple[int, ...]] = (16, 32)
    form: ClassVar[str] = "exr"
    suffix: ClassVar[str] = ".exr"
    floats: ClassVar[int] = 16

    def beside(self, making: Making) -> list[str]:
        """A document for each map set."""
        return [f"{making.naming.stem}_{stem}.mtlx" for stem in map_set_stems(making.mesh.uv_domains)]

    def written_beside(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster]
    ) -> tuple[list[Written], list[str]]:
        """See ``beside``."""
        channels = written_channels({c.name for c in in_use(surface.sheet)})
        inputs = {c.name: (c.input, c.openpbr_times) for c in channels if c.input}
        files = {str(raster.about["channel"]): raster.files for raster in rasters}
        out = []
        for k, name in enumerate(self.beside(making)):
            text = materialx(
                making.mesh.uv_domains[k],
                {c.name: c.plain() for c in channels},
                {c.name: MapNode(files[c.file][k]) for c in channels if c.input},
                inputs,
                normal=MapNode(files["normal"][k]),
                height=MapNode(files["height"][k]),
            )
            out.append(Written(name, text))
        lost = [c.title for c in channels if not c.input]
        return out, [f"OpenPBR has no place for {', '.join(lost)}"] if lost else []
