"""Target: PNG maps packed by a recipe of the user's."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import ClassVar

import numpy as np

from limus.materials.channels import CHANNELS
from limus.playing.chronicle import Surface
from limus.surface.texels import Texels
from limus.targets.channel_maps import LISTING, ChannelMap, listing, map_of, other_map
from limus.targets.finishing import finish_of
from limus.targets.raster import Raster, Tile
from limus.targets.recipe import OTHERS, Factor, PackedMap
from limus.targets.target import Making, Target
from limus.targets.written import Written

_OF_FILE = {channel.file: channel for channel in CHANNELS.values()}


def _map(title: str, surface: Surface, slack: float) -> ChannelMap:
    return other_map(title, surface, slack) if title in OTHERS else map_of(_OF_FILE[title], surface, slack)


class Packed(Target):
    """Channels and masks put together as somebody's renderer wants them."""

    kind: ClassVar[str] = "packed"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Packed maps"
    about: ClassVar[str] = (
        "PNG files of your own: say which channel or mask goes into which component, as it is or the other way round, "
        "or several multiplied."
    )
    lacks: ClassVar[str] = "What the recipe leaves out"
    takes: ClassVar[frozenset[str]] = frozenset({"names", "gutter", "gutter_mm", "dither", "recipe"})
    depths: ClassVar[tuple[int, ...]] = (8, 16)

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """One file for each map of the recipe and map set, and the list."""
        return [name for one in making.order.packing for name in self._named(making, one)] + [LISTING]

    @staticmethod
    def _named(making: Making, one: PackedMap) -> tuple[str, ...]:
        return making.naming.maps(one.name, ".png", making.size)

    def rasters(self, making: Making, texels: Texels, surface: Surface, slack: float = 0.0) -> list[Raster]:
        """One for each map of the recipe."""
        dtype = np.dtype(np.uint8 if making.bits == 8 else np.uint16)
        out = []
        for one in making.order.packing:
            held = {
                factor.map: _map(factor.map, surface, slack)
                for factors in one.components for factor in factors if factor.map
            }  # fmt: skip
            about = {
                "bits": making.bits, "colour": "sRGB" if one.srgb else "linear",
                "channels": {
                    letter: self._about(held, factors)
                    for letter, factors in zip("RGBA" if len(one.components) > 1 else "L", one.components, strict=False)
                },
            }  # fmt: skip
            out.append(
                Raster(
                    self._named(making, one), len(one.components), dtype, _encoder(making, one, held),
                    srgb=one.srgb, about=about,
                    finish=finish_of(dtype, colour=one.srgb, dither=making.order.dither, seed=one.name),
                    nothing=tuple(_nothing(held, factors) for factors in one.components),
                )
            )  # fmt: skip
        return out

    @staticmethod
    def _about(held: dict[str, ChannelMap], factors: Sequence[Factor]) -> list[dict[str, object]]:
        out = []
        for factor in factors:
            said: dict[str, object] = {"one_minus": True} if factor.turned else {}
            if factor.mask:
                said["mask"] = factor.mask
            elif factor.map:
                one = held[factor.map]
                said |= {"map": factor.map} | ({"component": "rgb"[factor.component]} if one.width == 3 else {})
                if (one.low, one.high) != (0.0, 1.0):
                    said |= {"black": round(one.low, 5), "white": round(one.high, 5), "unit": one.unit}
            else:
                said["number"] = factor.number
            out.append(said)
        return out

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """The maps and the list."""
        return [*made, listing(making, rasters, made)], []


def _nothing(held: dict[str, ChannelMap], factors: Sequence[Factor]) -> float:
    out = 1.0
    for factor in factors:
        value = 0.0 if factor.mask else held[factor.map].nothing[factor.component] if factor.map else factor.number
        out *= 1 - value if factor.turned else value
    return out


def _encoder(making: Making, one: PackedMap, held: dict[str, ChannelMap]) -> Callable[[Tile], np.ndarray]:
    def value(tile: Tile, factor: Factor) -> np.ndarray:
        if factor.mask:
            out = tile.masks[making.masks[factor.mask]]
        elif factor.map:
            scaled = held[factor.map].scaled(tile.surface)
            out = scaled[:, factor.component] if scaled.ndim == 2 else scaled
        else:
            out = np.full(1, factor.number, np.float32)
        return 1 - out if factor.turned else out

    def encode(tile: Tile) -> np.ndarray:
        columns = []
        for factors in one.components:
            product = value(tile, factors[0])
            for factor in factors[1:]:
                product = product * value(tile, factor)
            columns.append(product)
        longest = max(len(column) for column in columns)
        return np.stack([np.broadcast_to(column, (longest,)) for column in columns], axis=1).astype(np.float32)

    return encode
