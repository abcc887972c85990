"""Target: TIFF maps, one for each channel and map set."""

from __future__ import annotations

from typing import ClassVar

from limus.targets.channel_maps import ChannelMaps


class TiffMaps(ChannelMaps):
    """Separate maps of 16 bits, or with the numbers themselves."""

    kind: ClassVar[str] = "tiff"
    order: ClassVar[int] = 3
    title: ClassVar[str] = "TIFF maps"
    about: ClassVar[str] = (
        "One TIFF for each channel that something is in. With 16 bits colour is sRGB and the rest linear; with 32 they "
        "are the numbers themselves, linear and in their units, the height in mm."
    )
    depths: ClassVar[tuple[int, ...]] = (16, 32)
    form: ClassVar[str] = "tiff"
    suffix: ClassVar[str] = ".tif"
    floats: ClassVar[int] = 32
