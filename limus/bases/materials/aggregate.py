"""Exposed aggregate."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Aggregate(BaseMaterial):
    """Pebbles of several sizes and stones, washed free of the cement between them."""

    kind: Literal["aggregate"] = "aggregate"
    title: ClassVar[str] = "Exposed aggregate"
    summary: ClassVar[str] = "Washed concrete with its pebbles"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.12, brittleness=0.8)

    color: tuple[float, float, float] = colour_field((0.27, 0.255, 0.23), "Cement")
    pebble: tuple[float, float, float] = colour_field((0.23, 0.19, 0.145), "Pebbles", "Most of them")
    other: tuple[float, float, float] = colour_field((0.36, 0.345, 0.32), "Other pebbles", "Some of them")
    size_mm: float = number(13.0, "Pebble", "mm", 2.0, 80.0, (5.0, 40.0), "Width of the larger ones", log=True)
    washed: float = number(0.55, "Washed out", "%", 0.0, 1.0, about="How far the cement lies below them")
    roughness: float = roughness_field(0.72)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Pebbles of two sizes in cement."""
        u = np.float32(self.uneven)
        bend = np.stack([ground.noise(self.size_mm * 0.7, octaves=3, gain=0.55, salt=s) for s in (1, 2, 3)], axis=1) * (
            0.10 * self.size_mm
        )
        place = ground.moved(bend)
        grit = ground.noise(1.3, octaves=3, gain=0.7, salt=4)
        height = np.full(len(ground), -1.0, np.float32)
        color = times(self.color, 1 + 0.08 * ground.noise(90, octaves=3, salt=5) + 0.10 * grit)
        rough = np.full(len(ground), 0.94, np.float32)
        free = np.zeros(len(ground), np.float32)
        rim = 0.02 * self.size_mm * 0.5 + 0.5 * ground.texel_mm
        for size, cut, salt in ((self.size_mm, 0.34, 6), (self.size_mm * 0.42, 0.30, 7)):
            stones = place.cells(size, salt=salt)
            # A pebble is rounded: the farther from its border, the higher; every third place holds none.
            there = step(stones.value, cut, cut + 0.01)
            rise = np.clip(stones.edge / (0.34 * size), 0, 1)
            dome = (np.sqrt(np.clip(1 - (1 - rise) ** 2, 0, 1)) * there).astype(np.float32)
            top = dome * (0.6 + 0.8 * ((stones.value * 7.3) % 1.0)) * (size / self.size_mm) ** 0.6
            wins = (top > np.maximum(height, 0.12)).astype(np.float32) * there
            wins *= step(stones.edge, 0.04 * size - rim, 0.04 * size + rim)
            kind = (stones.value * 13.7) % 1.0
            vein = step(ground.noise(size * 0.5, octaves=4, gain=0.6, salt=salt + 30, long=3), 1.1, 1.9) * (kind > 0.6)
            stone = mixed(self.pebble, self.other, step(kind, 0.55, 0.72))
            stone = mixed(stone, np.array([0.105, 0.10, 0.10], np.float32), step(kind, 0.90, 0.905))
            stone = mixed(stone, np.array([0.27, 0.15, 0.095], np.float32), step(kind, 0.14, 0.13))
            stone = times(
                stone,
                0.72
                + 0.55 * ((stones.value * 29.1) % 1.0)
                + 0.07 * ground.noise(size * 0.3, octaves=3, gain=0.6, salt=salt + 20)
                + 0.4 * vein,
            )
            color = mixed(color, stone, wins)
            rough = between(rough, self.roughness - 0.22 * kind.astype(np.float32), wins)
            height = np.where(wins > 0.5, top, height)
            free = np.maximum(free, wins)
        high = np.where(free > 0, np.maximum(height, 0), 0).astype(np.float32)
        deep = np.float32(0.36 * self.size_mm * self.washed)
        relief = deep * (high - 0.6) + (1 - free) * 0.10 * grit + 0.4 * ground.noise(180, octaves=2, salt=8)
        # Where pebbles are too small to be told apart, their mean.
        seen = np.full(len(ground), ground.seen(self.size_mm), np.float32)
        mean = (
            0.42 * np.asarray(self.pebble, np.float32)
            + 0.22 * np.asarray(self.other, np.float32)
            + 0.30 * np.asarray(self.color, np.float32)
        )
        color = mixed(mean.astype(np.float32), color, seen)
        relief = relief * seen
        shade = 1 - 0.45 * self.washed * (1 - free) + u * 0.06 * ground.noise(400, octaves=3, salt=9)
        return Skin(
            {"base_color": times(color, shade), "metalness": one(0.0), "roughness": np.clip(rough, 0.25,
                1.0).astype(np.float32)},
            relief.astype(np.float32), (1 - free).astype(np.float32),
        )  # fmt: skip
