"""Separate maps, one for each channel and map set, and the list of what they are."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from limus.common.colour import to_srgb
from limus.formats.png import quantise
from limus.materials.channels import CHANNELS, Channel
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.raster import Raster, Tile
from limus.targets.target import Target
from limus.targets.written import Written, file_stem, map_set_stems

#: Channels that are written whether anything is in them or not.
ALWAYS = ("base_color", "roughness", "metalness")
#: What is not a channel of a material and always written: titles of files.
MORE = ("ambient-occlusion", "normal", "height")


@dataclass(frozen=True)
class ChannelMap:
    """One map: its ``title``, what it shows of a surface, whether it is colour, from which number (black) to which
    (white) it runs, and in which unit; ``fine``: eight bits are too few for it.
    """

    title: str
    values: Callable[[Surface], np.ndarray]
    width: int = 1
    colour: bool = False
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    fine: bool = False


def written_channels(used: Collection[str]) -> list[Channel]:
    """Channels that get a map of their own."""
    return [channel for channel in CHANNELS.values() if channel.name in used or channel.name in ALWAYS]


def channel_maps(surface: Surface, slack: float = 0.0) -> list[ChannelMap]:
    """The maps of a surface: its channels in use, and what goes with them; see ``Target.rasters`` for ``slack``."""
    out = []
    for channel in written_channels({channel.name for channel in in_use(surface.sheet)}):

        def values(of: Surface, name: str = channel.name) -> np.ndarray:
            return np.asarray(of.channel(name))

        if channel.colour:
            out.append(ChannelMap(channel.file, values, 3, True))
            continue
        high = channel.high
        if (channel.low, channel.high) != (0.0, 1.0):
            top = float(values(surface).max())
            high = round(max(top + slack * (top - channel.low), channel.low + 1e-6), 5)
        out.append(ChannelMap(channel.file, values, channel.width, False, channel.low, high, channel.unit))
    low, high = float(surface.relief.min()), float(surface.relief.max())
    low, high = low - slack * (high - low), high + slack * (high - low)
    return [
        *out,
        ChannelMap("ambient-occlusion", lambda of: 1 - of.occlusion),
        ChannelMap("normal", lambda of: of.normal * 0.5 + 0.5, 3, fine=True),
        ChannelMap("height", lambda of: of.relief, low=low, high=low + max(high - low, 1e-6), unit="mm", fine=True),
    ]


class ChannelMaps(Target):
    """What maps in any format have in common.

    ``form`` is one of ``formats.rows.FORMS``, ``suffix`` what its files end in. From ``floats`` bits on they hold the
    numbers themselves, in linear light and in their units.
    """

    form: ClassVar[str] = "png"
    suffix: ClassVar[str] = ".png"
    floats: ClassVar[int] = 99

    def _file(self, name: str, stem: str, title: str) -> str:
        return f"{file_stem(name)}_{stem}_{title}{self.suffix}"

    def names(self, name: str, mesh: Mesh, used: Collection[str]) -> list[str]:
        """One file for each channel and map set, and the list."""
        titles = [channel.file for channel in written_channels(used)] + list(MORE)
        stems = map_set_stems(mesh.uv_domains)
        return [self._file(name, stem, title) for title in titles for stem in stems] + ["maps.json"]

    def rasters(
        self, name: str, mesh: Mesh, texels: Texels, surface: Surface, bits: int, slack: float = 0.0
    ) -> list[Raster]:
        """One for each channel."""
        stems = map_set_stems(mesh.uv_domains)
        out = []
        for one in channel_maps(surface, slack):
            depth = bits if bits >= self.floats else max(bits, 16) if one.fine else bits
            out.append(
                Raster(
                    tuple(self._file(name, stem, one.title) for stem in stems),
                    one.width,
                    self._dtype(depth),
                    self._encoder(one, depth),
                    self.form,
                    one.colour and depth < self.floats,
                    ("R", "G", "B") if one.width == 3 else ("Y",),
                    self._about(one, depth, depth >= self.floats),
                )
            )
        return out

    def _dtype(self, depth: int) -> np.dtype[Any]:
        if depth >= self.floats:
            return np.dtype(np.float16 if depth == 16 else np.float32)
        return np.dtype(np.uint8 if depth == 8 else np.uint16)

    def _encoder(self, one: ChannelMap, depth: int) -> Callable[[Tile], np.ndarray]:
        def encode(tile: Tile) -> np.ndarray:
            values = one.values(tile.surface)
            if depth >= self.floats:
                return values
            if one.colour:
                values = to_srgb(values)
            elif (one.low, one.high) != (0.0, 1.0):
                values = (values - one.low) / (one.high - one.low)
            return quantise(np.ascontiguousarray(values), depth)

        return encode

    @staticmethod
    def _about(one: ChannelMap, depth: int, floats: bool) -> dict[str, object]:
        about: dict[str, object] = {
            "channel": one.title, "bits": depth, "colour": "sRGB" if one.colour and not floats else "linear"
        }  # fmt: skip
        if floats:
            return about | {"numbers": "as they are" + (f", {one.unit}" if one.unit else "")}
        if one.title == "height":
            return about | {"height": {"black_mm": round(one.low, 5), "white_mm": round(one.high, 5)}}
        if (one.low, one.high) != (0.0, 1.0):
            about |= {"black": one.low, "white": one.high, "unit": one.unit}
        return about

    def files(
        self, name: str, mesh: Mesh, size: int, texels: Texels, surface: Surface, rasters: Sequence[Raster],
        made: Sequence[Written],
    ) -> tuple[list[Written], list[str]]:  # fmt: skip
        """The maps, and ``maps.json``."""
        listing: dict[str, object] = {}
        about: dict[str, object] = {"object": name, "resolution": size, "normal": "tangent space, green up (glTF)"}
        for raster in rasters:
            said = dict(raster.about)
            about |= {"height": said.pop("height")} if "height" in said else {}
            for k, file in enumerate(raster.files):
                listing[file] = said | {"map_set": mesh.uv_domains[k], "name_in_file": mesh.uv_titles[k]}
        text = json.dumps(about | {"files": listing}, indent=2, ensure_ascii=False, allow_nan=False)
        return [*made, Written("maps.json", text.encode())], []
