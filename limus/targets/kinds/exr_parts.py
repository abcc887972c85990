"""Target: all maps of a map set as parts of one OpenEXR file."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from typing import ClassVar

from limus.formats.exr_parts import exr_in_parts
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import LISTING, ChannelMaps, listing
from limus.targets.raster import Raster
from limus.targets.target import Making
from limus.targets.written import Written


class ExrParts(ChannelMaps):
    """One file for each map set, tiled, a part for each channel."""

    kind: ClassVar[str] = "exr-parts"
    order: ClassVar[int] = 4
    title: ClassVar[str] = "EXR in parts"
    about: ClassVar[str] = (
        "One OpenEXR file for each map set, in tiles, with a named part for each channel that something is in: the "
        "numbers themselves in half (16) or single (32) precision, as in the EXR maps."
    )
    lacks: ClassVar[str] = "Maps of different sizes"
    sizes: ClassVar[tuple[int, ...]] = (256, 512, 1024, 2048)
    depths: ClassVar[tuple[int, ...]] = (16, 32)
    takes: ClassVar[frozenset[str]] = frozenset({"names", "gutter", "gutter_mm"})
    form: ClassVar[str] = "exr"
    suffix: ClassVar[str] = ".exr"
    floats: ClassVar[int] = 16

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """One file for each map set, and the list."""
        return [*self.named(making, "maps"), LISTING]

    def looked_at(self, making: Making, file: str) -> str:
        """Its color."""
        whole = self.named(making, "maps")
        return self.named(making, "base-color")[whole.index(file)] if file in whole else file

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """Single maps put together; they are not delivered by themselves."""
        by_name = {file.name: file for file in made}
        out = []
        for k, name in enumerate(self.named(making, "maps")):
            parts = {str(raster.about["channel"]): by_name[raster.files[k]].data for raster in rasters}
            out.append(Written(name, exr_in_parts(parts)))
        about = json.loads(listing(making, rasters, made).data)
        about["files"] = {
            file.name: {
                "map_set": making.mesh.uv_domains[k], "name_in_file": making.mesh.uv_titles[k], "sha256": file.checksum,
                "parts": {str(raster.about["channel"]): dict(raster.about) for raster in rasters},
            }
            for k, file in enumerate(out)
        }  # fmt: skip
        text = json.dumps(about, indent=2, ensure_ascii=False, allow_nan=False)
        return [*out, Written(LISTING, text.encode())], []
