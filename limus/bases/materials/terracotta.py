"""Fired clay."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Terracotta(BaseMaterial):
    """Unglazed: drawn or thrown, so that fine ridges go round; grog and grit in the clay, a flush from the fire, a pale
    breath of lime.
    """

    kind: Literal["terracotta"] = "terracotta"
    title: ClassVar[str] = "Terracotta"
    summary: ClassVar[str] = "Fired clay with grog, ridges and the flush of the kiln"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.3, brittleness=0.85)
    grained: ClassVar[bool] = True

    color: tuple[float, float, float] = colour_field((0.36, 0.145, 0.075))
    flush: float = number(0.5, "Flush", "%", 0.0, 1.0, about="Darker and paler clouds from the kiln")
    grog: float = number(0.45, "Grog", "%", 0.0, 1.0, about="Specks of fired clay and sand")
    ridges: float = number(0.35, "Ridges", "%", 0.0, 1.0, about="Of the wheel, the hand or the die, along the piece")
    lime: float = number(0.2, "Lime", "%", 0.0, 1.0, about="A pale bloom that came out in drying")
    roughness: float = roughness_field(0.84)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Clay through and through."""
        u, g = np.float32(self.uneven), np.float32(self.grog)
        fire = ground.noise(190, octaves=4, gain=0.55, salt=1) * ground.calm(190)
        cloud = ground.noise(28, octaves=6, gain=0.6, salt=2) * ground.calm(28)
        grit = ground.noise(0.9, octaves=3, gain=0.7, salt=3)
        ridge = ground.noise(4.5, octaves=3, gain=0.55, salt=4, long=30)
        speck = ground.speckle(1.1, 0.16 * self.grog, vary=0.8, soft=0.3, salt=5)
        dark = ground.speckle(0.9, 0.07 * self.grog, vary=0.8, soft=0.3, salt=6)
        hole = ground.speckle(1.4, 0.03 * self.grog, vary=0.8, soft=0.4, salt=7)
        flush = np.float32(self.flush)
        clay = mixed(
            times(self.color, (1 + 0.16 * flush * fire + u * (0.05 * cloud + 0.06 * grit)).astype(np.float32)),
            np.asarray(self.color, np.float32) * np.array([1.18, 1.42, 1.6], np.float32),
            np.clip(0.5 * flush * step(fire, 0.3, 1.8), 0, 1),
        )
        clay = mixed(clay, np.array([0.44, 0.27, 0.17], np.float32), np.clip(0.8 * g * speck, 0, 1))
        clay = mixed(clay, np.array([0.10, 0.045, 0.03], np.float32), np.clip(0.8 * g * dark, 0, 1))
        bloom = self.lime * step((0.7 * cloud + 0.6 * fire + 0.25 * ridge).astype(np.float32), 0.1, 1.7)
        color = mixed(clay, np.array([0.55, 0.50, 0.45], np.float32), np.clip(0.55 * bloom, 0, 1))
        rough = self.roughness + u * 0.03 * cloud + 0.05 * bloom - 0.04 * self.ridges * ridge
        relief = (
            0.10 * self.ridges * ridge
            + 0.03 * grit
            + g * (0.05 * speck - 0.16 * hole)
            + 0.45 * u * ground.noise(130, octaves=2, salt=8)
        )
        return Skin(
            {
                "base_color": times(color, (1 - 0.4 * g * hole).astype(np.float32)),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.3, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
