"""Asphalt."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Asphalt(BaseMaterial):
    """Rolled: crushed stone of all sizes bound by bitumen, which wheels and weather have taken off the tops of the
    stones.
    """

    kind: Literal["asphalt"] = "asphalt"
    title: ClassVar[str] = "Asphalt"
    summary: ClassVar[str] = "Crushed stone in bitumen, worn to the stone"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.12, brittleness=0.5)

    color: tuple[float, float, float] = colour_field((0.028, 0.028, 0.029), "Bitumen")
    stone: tuple[float, float, float] = colour_field((0.155, 0.148, 0.138), "Stone", "Where it is bare")
    size_mm: float = number(9.0, "Stone", "mm", 1.0, 60.0, (4.0, 22.0), "Width of the larger ones", log=True)
    worn: float = number(0.55, "Worn", "%", 0.0, 1.0, about="From fresh and black to bare stones")
    open: float = number(0.35, "Open", "%", 0.0, 1.0, about="Gaps between the stones")
    roughness: float = roughness_field(0.78)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Stones of two sizes, pressed flat by the roller."""
        u, worn = np.float32(self.uneven), np.float32(self.worn)
        wide = ground.noise(1400, octaves=3, salt=1) * ground.calm(1400)
        cloud = ground.noise(160, octaves=5, gain=0.6, salt=2) * ground.calm(160)
        grit = ground.noise(0.16 * self.size_mm, octaves=3, gain=0.7, salt=3)
        bend = np.stack([ground.noise(self.size_mm, octaves=3, gain=0.6, salt=s) for s in (4, 5, 6)], axis=1)
        place = ground.moved(bend * (0.16 * self.size_mm))
        height = np.full(len(ground), -0.35, np.float32)
        bare = np.zeros(len(ground), np.float32)
        tone = np.ones(len(ground), np.float32)
        # The roller has pressed all tops to one height; what lies lower keeps its bitumen.
        rub = np.clip(worn + u * (0.22 * cloud + 0.18 * wide) * (worn * (1 - worn) * 4), 0, 1)
        for size, cut, salt in ((self.size_mm, 0.26, 7), (0.45 * self.size_mm, 0.20, 8)):
            stones = place.cells(size, salt=salt)
            there = step(stones.value, cut, cut + 0.02)
            rise = np.clip(stones.edge / (0.22 * size), 0, 1)
            top = (rise * there * (0.70 + 0.30 * ((stones.value * 7.7) % 1.0))).astype(np.float32)
            wins = (top > np.maximum(height, 0.04)).astype(np.float32) * there
            height = np.where(wins > 0.5, top, height)
            open_ = step((top + 0.10 * grit + 0.95 * rub).astype(np.float32), 1.05, 1.25) * wins
            bare = np.where(wins > 0.5, open_, bare)
            tone = np.where(wins > 0.5, 0.62 + 0.75 * ((stones.value * 31.3) % 1.0), tone).astype(np.float32)
        seen = np.full(len(ground), ground.seen(self.size_mm), np.float32)
        # Where stones are too small to be told apart, their mean.
        mean = 0.62 * rub.astype(np.float32) ** 1.4
        bare = seen * bare + (1 - seen) * mean
        tone = 1 + seen * (tone - 1)
        aged = mixed(self.color, np.array([0.075, 0.073, 0.070], np.float32), np.clip(0.75 * rub, 0, 1))
        dark = times(aged, (1 + 0.10 * grit + u * (0.08 * cloud + 0.06 * wide)).astype(np.float32))
        pale = times(self.stone, (tone + 0.07 * grit).astype(np.float32))
        color = mixed(dark, pale, np.clip(bare, 0, 1).astype(np.float32))
        gap = step(height, 0.12, -0.30) * self.open * seen
        rough = self.roughness + 0.10 * bare - 0.22 * (1 - rub) + u * 0.04 * cloud + 0.08 * gap
        relief = (
            seen * (0.16 * self.size_mm) * (np.minimum(height, 0.85) - 0.5 - 0.9 * gap)
            + 0.03 * self.size_mm * 0.5 * grit
            + 0.9 * u * ground.noise(700, octaves=3, salt=9)
        )
        return Skin(
            {
                "base_color": times(color, (1 - 0.35 * gap).astype(np.float32)),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.25, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
