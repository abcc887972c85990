"""Maps of a surface as a target writes them, for tests that look at pixels."""

from __future__ import annotations

import tempfile
from pathlib import Path

from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import ChannelMaps
from limus.targets.kinds.maps import Maps
from limus.targets.order import Order
from limus.targets.raster import write_rasters
from limus.targets.target import Making
from limus.targets.tiles import whole_bands
from limus.targets.written import Written


def map_files(
    name: str, texels: Texels, surface: Surface, bits: int = 8, target: type[ChannelMaps] = Maps
) -> list[Written]:
    """The files of that target, in memory."""
    kind, mesh = target(), texels.mesh
    making = Making(name, mesh, Order(target=kind.kind, resolution=texels.size, bits=bits))
    rasters = kind.rasters(making, texels, surface)
    with tempfile.TemporaryDirectory() as room:
        made = write_rasters(rasters, texels.size, whole_bands(texels, surface), Path(room))
        made_ = [Written(file.name, file.data) for file in made]
        return kind.files(making, texels, surface, rasters, made_)[0]
