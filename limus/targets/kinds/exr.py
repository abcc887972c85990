"""Target: OpenEXR maps, one for each channel and map set."""

from __future__ import annotations

from typing import ClassVar

from limus.targets.channel_maps import ChannelMaps


class ExrMaps(ChannelMaps):
    """Separate maps with the numbers themselves."""

    kind: ClassVar[str] = "exr"
    order: ClassVar[int] = 4
    title: ClassVar[str] = "EXR maps"
    about: ClassVar[str] = (
        "One OpenEXR for each channel that something is in, with the numbers themselves in half (16) or single (32) "
        "precision: linear light, units of the channel, the height in mm. Normals run from 0 to 1 as in the PNG."
    )
    depths: ClassVar[tuple[int, ...]] = (16, 32)
    form: ClassVar[str] = "exr"
    suffix: ClassVar[str] = ".exr"
    floats: ClassVar[int] = 16
