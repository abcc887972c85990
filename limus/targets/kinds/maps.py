"""Target: PNG maps, one for each channel and map set."""

from __future__ import annotations

from typing import ClassVar

from limus.targets.channel_maps import ChannelMaps


class Maps(ChannelMaps):
    """Separate maps, and a list of what they are."""

    kind: ClassVar[str] = "maps"
    order: ClassVar[int] = 2
    title: ClassVar[str] = "Maps"
    about: ClassVar[str] = (
        "One PNG for each channel that something is in. Colour is sRGB, everything else linear; normal and height "
        "are 16 bit. "
        "maps.json names them and gives the range of the height in mm."
    )
    takes: ClassVar[frozenset[str]] = ChannelMaps.takes | {"dither"}
    depths: ClassVar[tuple[int, ...]] = (8, 16)
