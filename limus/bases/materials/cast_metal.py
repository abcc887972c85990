"""Metal cast in sand: iron, bronze."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class CastMetal(BaseMaterial):
    """The skin of the mould: fine grain, lumps, pits where sand or gas was; smoother and lighter where it was
    handled.
    """

    kind: Literal["cast_metal"] = "cast_metal"
    title: ClassVar[str] = "Cast metal"
    summary: ClassVar[str] = "Sand-cast skin with grain, lumps and pits"
    substance: ClassVar[Substance] = Substance("ferrous", porosity=0.02, brittleness=0.7)

    color: tuple[float, float, float] = colour_field((0.335, 0.325, 0.31))
    roughness: float = roughness_field(0.5)
    grain_mm: float = number(1.1, "Grain", "mm", 0.1, 10.0, (0.3, 4.0), "Size of the sand", log=True)
    grain_relief_mm: float = number(0.05, "Grain relief", "mm", 0.0, 1.0, (0.0, 0.2), "From valley to crest")
    pits: float = number(0.35, "Pits", "%", 0.0, 1.0, about="Holes left by gas and sand")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Metal all over; what differs is tone, gloss and relief."""
        u = np.float32(self.uneven)
        wide, part = ground.noise(160, octaves=3, salt=1), ground.noise(34, octaves=7, gain=0.66, salt=2)
        lumps, grain = (
            ground.noise(9, octaves=2, salt=3),
            ground.noise(self.grain_mm * 2.2, octaves=2, gain=0.6, salt=4),
        )
        sand = ground.cells(self.grain_mm * 1.6, salt=9, edges=False).distance / (self.grain_mm * 1.6)
        fine = np.float32(ground.seen(self.grain_mm * 1.6))
        # Pits come in groups where the sand was loose.
        loose = step(part, -0.2, 1.4)
        pits = ground.speckle(2.6, 0.55 * self.pits, vary=0.8, soft=0.55, salt=5) * (0.25 + 0.75 * loose)
        pits = np.maximum(pits, ground.speckle(7.0, 0.10 * self.pits, vary=0.6, soft=0.7, salt=6) * loose)
        mould = step(ground.noise(60, octaves=7, gain=0.64, salt=7), 0.4, 1.9)
        wide, part, mould = wide * ground.calm(160), part * ground.calm(34), mould * ground.calm(60)
        relief = self.grain_relief_mm * (
            0.20 * grain + fine * 0.55 * (0.5 - sand) + 0.35 * lumps
        ) - 0.28 * pits * np.float32(self.pits > 0)
        dark = step(grain - fine * sand * 1.2, -0.2, -1.6)
        tone = (
            1
            + u * (0.09 * wide + 0.07 * part + 0.05 * lumps + 0.04 * grain)
            - u * 0.18 * dark
            - 0.45 * pits
            - u * 0.14 * mould
        )
        rough = (
            self.roughness + u * (0.05 * wide + 0.05 * part + 0.03 * grain + 0.10 * mould + 0.05 * dark) + 0.25 * pits
        )
        warm = mixed(
            self.color,
            np.asarray(self.color, np.float32) * np.array([0.94, 0.90, 0.84], np.float32),
            np.clip(u * (0.7 * mould + 0.4 * pits), 0, 1),
        )
        return Skin(
            {
                "base_color": times(warm, tone),
                "metalness": one(1.0),
                "roughness": np.clip(rough, 0.05, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
