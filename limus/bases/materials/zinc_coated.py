"""Hot-dip galvanised steel."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.substance import Substance


class ZincCoated(BaseMaterial):
    """Spangle: crystals of zinc that each mirror another way, dulled where the coat has weathered, with runs of
    dross.
    """

    kind: Literal["zinc_coated"] = "zinc_coated"
    title: ClassVar[str] = "Galvanised"
    summary: ClassVar[str] = "Spangle of hot-dip zinc"
    substance: ClassVar[Substance] = Substance("zinc", porosity=0.01)

    color: tuple[float, float, float] = colour_field((0.50, 0.52, 0.54))
    roughness: float = roughness_field(0.42)
    spangle_mm: float = number(14.0, "Spangle", "mm", 0.5, 100.0, (3.0, 40.0), "Width of a crystal", log=True)
    contrast: float = number(0.7, "Contrast", "%", 0.0, 1.0, about="How much crystals differ")
    dull: float = number(0.2, "Dulled", "%", 0.0, 1.0, about="By white, matt carbonates")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Zinc all over."""
        u, k = np.float32(self.uneven), np.float32(self.contrast * ground.seen(self.spangle_mm * 0.5))
        # Crystals grow as feathers: their borders wander.
        bend = np.stack(
            [ground.noise(self.spangle_mm * 0.6, octaves=3, gain=0.6, salt=s) for s in (1, 2, 3)], axis=1
        ) * (0.13 * self.spangle_mm)
        big = ground.moved(bend).cells(self.spangle_mm, salt=4, edges=True)
        small = ground.moved(bend).cells(self.spangle_mm * 0.38, salt=5, edges=False)
        pick = step(big.value, 0.62, 0.63)
        value = big.value * 1.6 * (1 - pick) + small.value * pick
        feather = ground.noise(self.spangle_mm * 0.22, octaves=3, gain=0.65, salt=6, long=3)
        dull = (
            self.dull
            * ground.calm(120)
            * step(
                ground.noise(90, octaves=7, gain=0.66, salt=7) + 0.4 * feather,
                0.9 - 2.4 * self.dull,
                1.9 - 1.6 * self.dull,
            )
        )
        wide = ground.noise(200, octaves=3, salt=8)
        border = step(big.edge, 0.05 * self.spangle_mm, 0.0)
        tone = 1 + k * (0.75 * (value - 0.5) + 0.08 * feather) + u * 0.05 * wide - 0.12 * k * border
        rough = (
            self.roughness
            + k * (0.30 * (value - 0.5) + 0.10 * (small.value - 0.5) + 0.04 * feather)
            + 0.28 * dull
            + u * 0.03 * wide
        )
        drop = step(ground.noise(34, octaves=2, salt=9), 1.5, 2.8)
        relief = 0.012 * k * (value - 0.5) + 0.003 * feather + 0.03 * ground.noise(40, octaves=2, salt=10) + 0.22 * drop
        white = np.array([0.52, 0.535, 0.55], np.float32)
        return Skin(
            {
                "base_color": mixed(times(self.color, tone), white, dull * 0.8),
                "metalness": (1.0 - 0.75 * dull).astype(np.float32),
                "roughness": np.clip(rough, 0.08, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
