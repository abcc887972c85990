"""Separate maps, one for each channel and map set, and the list of what they are."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from limus.materials.channels import CHANNELS, Channel
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.finishing import finish_of
from limus.targets.raster import Raster, Tile
from limus.targets.target import Making, Target
from limus.targets.written import Written

#: Channels that are written whether anything is in them or not.
ALWAYS = ("base_color", "roughness", "metalness")
#: What is not a channel of a material and always written: titles of files.
MORE = ("ambient-occlusion", "normal", "height")
LISTING = "maps.json"


@dataclass(frozen=True)
class ChannelMap:
    """One map: its ``title``, what it shows of a surface, whether it is colour, from which number (black) to which
    (white) it runs, and in which unit; ``fine``: eight bits are too few for it. ``nothing`` stands beyond a gutter.
    """

    title: str
    values: Callable[[Surface], np.ndarray]
    width: int = 1
    colour: bool = False
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    fine: bool = False
    nothing: tuple[float, ...] = (0.0,)

    def scaled(self, of: Surface) -> np.ndarray:
        """(n, c) or (n,) of a surface, from black 0 to white 1, in linear light."""
        values = self.values(of)
        if (self.low, self.high) == (0.0, 1.0):
            return values
        return (values - self.low) / (self.high - self.low)


def written_channels(used: Collection[str]) -> list[Channel]:
    """Channels that get a map of their own."""
    return [channel for channel in CHANNELS.values() if channel.name in used or channel.name in ALWAYS]


def channel_maps(surface: Surface, slack: float = 0.0) -> list[ChannelMap]:
    """The maps of a surface: its channels in use, and what goes with them; see ``Target.rasters`` for ``slack``."""
    return [
        *(map_of(c, surface, slack) for c in written_channels({one.name for one in in_use(surface.sheet)})),
        *(other_map(title, surface, slack) for title in MORE),
    ]


def map_of(channel: Channel, surface: Surface, slack: float = 0.0) -> ChannelMap:
    """The map of one channel, whatever is in it."""

    def values(of: Surface) -> np.ndarray:
        return np.asarray(of.channel(channel.name))

    if channel.colour:
        return ChannelMap(channel.file, values, 3, True, nothing=(0.0,) * 3)
    high = channel.high
    if (channel.low, channel.high) != (0.0, 1.0):
        top = float(values(surface).max())
        high = round(max(top + slack * (top - channel.low), channel.low + 1e-6), 5)
    return ChannelMap(
        channel.file, values, channel.width, False, channel.low, high, channel.unit, nothing=(0.0,) * channel.width
    )


def other_map(title: str, surface: Surface, slack: float = 0.0) -> ChannelMap:
    """One of ``MORE``."""
    if title == "normal":
        return ChannelMap("normal", lambda of: of.normal * 0.5 + 0.5, 3, fine=True, nothing=(0.5, 0.5, 1.0))
    if title == "ambient-occlusion":
        return ChannelMap("ambient-occlusion", lambda of: 1 - of.occlusion, nothing=(1.0,))
    low, high = float(surface.relief.min()), float(surface.relief.max())
    low, high = low - slack * (high - low), high + slack * (high - low)
    white = low + max(high - low, 1e-6)
    # Beyond a gutter the height is that of a surface without relief, where the range has it.
    flat = min(max(-low / (white - low), 0.0), 1.0)
    return ChannelMap("height", lambda of: of.relief, low=low, high=white, unit="mm", fine=True, nothing=(flat,))


class ChannelMaps(Target):
    """What maps in any format have in common.

    ``form`` is one of ``formats.rows.FORMS``, ``suffix`` what its files end in. From ``floats`` bits on they hold the
    numbers themselves, in linear light and in their units.
    """

    form: ClassVar[str] = "png"
    suffix: ClassVar[str] = ".png"
    floats: ClassVar[int] = 99
    takes: ClassVar[frozenset[str]] = frozenset({"names", "sizes", "gutter", "gutter_mm"})

    def maps(self, surface: Surface, slack: float = 0.0) -> list[ChannelMap]:
        """The maps that it writes."""
        return channel_maps(surface, slack)

    def titles(self, used: Collection[str]) -> list[str]:
        """Titles of ``maps``, told from the channels in use."""
        return [channel.file for channel in written_channels(used)] + list(MORE)

    def beside(self, making: Making) -> list[str]:
        """Names of what goes with the maps, before the list."""
        return []

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """One file for each channel and map set, what goes with them, and the list."""
        return [
            *(name for title in self.titles(used) for name in self.named(making, title)),
            *self.beside(making),
            LISTING,
        ]

    def named(self, making: Making, title: str) -> tuple[str, ...]:
        """The files of one map."""
        return making.naming.maps(title, self.suffix, making.size // making.order.shrink(title))

    def rasters(self, making: Making, texels: Texels, surface: Surface, slack: float = 0.0) -> list[Raster]:
        """One for each channel."""
        out = []
        for one in self.maps(surface, slack):
            depth = making.bits if making.bits >= self.floats else max(making.bits, 16) if one.fine else making.bits
            floats, shrink, dtype = depth >= self.floats, making.order.shrink(one.title), self._dtype(depth)
            srgb = one.colour and not floats
            finish = finish_of(
                dtype,
                colour=srgb,
                unit_length=one.title == "normal" and shrink > 1,
                dither=making.order.dither,
                seed=one.title,
            )
            # Beyond a gutter numbers themselves are none.
            nothing = (0.0,) * one.width if floats and one.title != "normal" else one.nothing
            names = ("R", "G", "B") if one.width == 3 else ("Y",)
            about = self._about(one, depth, floats, making.size // shrink)
            files, encode = self.named(making, one.title), self._encoder(one, floats)
            out.append(
                Raster(
                    files, one.width, dtype, encode, self.form, srgb, names, about,
                    finish=finish, shrink=shrink, nothing=nothing,
                )
            )  # fmt: skip
        return out

    def _dtype(self, depth: int) -> np.dtype[Any]:
        if depth >= self.floats:
            return np.dtype(np.float16 if depth == 16 else np.float32)
        return np.dtype(np.uint8 if depth == 8 else np.uint16)

    @staticmethod
    def _encoder(one: ChannelMap, floats: bool) -> Callable[[Tile], np.ndarray]:
        return lambda tile: one.values(tile.surface) if floats else one.scaled(tile.surface)

    @staticmethod
    def _about(one: ChannelMap, depth: int, floats: bool, size: int) -> dict[str, object]:
        about: dict[str, object] = {
            "channel": one.title, "bits": depth, "colour": "sRGB" if one.colour and not floats else "linear",
            "size": size,
        }  # fmt: skip
        if floats:
            return about | {"numbers": "as they are" + (f", {one.unit}" if one.unit else "")}
        if one.title == "height":
            return about | {"height": {"black_mm": round(one.low, 5), "white_mm": round(one.high, 5)}}
        if (one.low, one.high) != (0.0, 1.0):
            about |= {"black": one.low, "white": one.high, "unit": one.unit}
        return about

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """The maps, what goes with them, and ``maps.json``."""
        beside, notes = self.written_beside(making, texels, surface, rasters)
        return [*made, *beside, listing(making, rasters, made)], notes

    def written_beside(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster]
    ) -> tuple[list[Written], list[str]]:
        """The files of ``beside``, and what there is to say of them."""
        return [], []


def listing(making: Making, rasters: Sequence[Raster], made: Sequence[Written]) -> Written:
    """``maps.json``: what each file is, with the SHA-256 of its bytes."""
    mesh = making.mesh
    entries: dict[str, object] = {}
    about: dict[str, object] = {
        "object": making.name, "resolution": making.size, "normal": "tangent space, green up (glTF)"
    }  # fmt: skip
    sums = {file.name: file.checksum for file in made}
    for raster in rasters:
        said = dict(raster.about)
        if not making.condition and "height" in said:
            about["height"] = said.pop("height")
        for k, file in enumerate(raster.files):
            entries[file] = said | {
                "map_set": mesh.uv_domains[k], "name_in_file": mesh.uv_titles[k], "sha256": sums[file]
            }  # fmt: skip
    text = json.dumps(about | {"files": entries}, indent=2, ensure_ascii=False, allow_nan=False)
    return Written(LISTING, text.encode())
