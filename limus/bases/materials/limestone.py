"""Limestone."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Limestone(BaseMaterial):
    """Sawn or rubbed: grains like roe, broken shells, beds that lie as they settled, soft seams and small hollows."""

    kind: Literal["limestone"] = "limestone"
    title: ClassVar[str] = "Limestone"
    summary: ClassVar[str] = "Roe-like grains, shells and beds"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.22, brittleness=0.75)

    color: tuple[float, float, float] = colour_field((0.50, 0.445, 0.345))
    vein: tuple[float, float, float] = colour_field((0.40, 0.295, 0.165), "Seams", "Ochre seams and beds")
    grain_mm: float = number(0.9, "Grain", "mm", 0.1, 10.0, (0.3, 3.0), "Of its roe", log=True)
    bed_mm: float = number(60.0, "Beds", "mm", 5.0, 5000.0, (20.0, 400.0), "From bed to bed", log=True)
    beds: float = number(0.4, "Bedding", "%", 0.0, 1.0, about="How far beds and seams show")
    shells: float = number(0.35, "Shells", "%", 0.0, 1.0, about="Broken shells, a little prouder than the rest")
    roughness: float = roughness_field(0.82)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Through the whole block."""
        u, b, s = np.float32(self.uneven), np.float32(self.beds), np.float32(self.shells)
        wide = ground.noise(420, octaves=3, salt=1) * ground.calm(420)
        cloud = ground.noise(48, octaves=6, gain=0.6, salt=2) * ground.calm(48)
        grit = ground.noise(self.grain_mm, octaves=3, gain=0.65, salt=3)
        roe = ground.cells(self.grain_mm, salt=4, edges=False)
        seen = np.float32(ground.seen(self.grain_mm))
        # Beds lie level and go on sideways.
        level = ground.points * np.array([0.11, 1.0, 0.11], np.float32)
        flat = ground.noise(self.bed_mm, octaves=4, gain=0.55, salt=5, points=level) * ground.calm(self.bed_mm)
        seam = step(np.abs(flat - 0.4).astype(np.float32), 0.16, 0.02) * b
        shell = ground.noise(4.5, octaves=2, gain=0.5, salt=6, long=2.4)
        broken = step(np.abs(shell).astype(np.float32), 0.06, 0.01) * step(cloud, -0.4, 1.0) * s
        pit = ground.speckle(2.2, 0.035 * u, vary=0.9, soft=0.4, salt=7)
        tone = 1 + u * (0.05 * wide + 0.05 * cloud + 0.03 * grit) + 0.07 * b * flat + seen * 0.10 * (roe.value - 0.5)
        color = mixed(times(self.color, tone.astype(np.float32)), self.vein, np.clip(0.75 * seam, 0, 1))
        color = mixed(color, np.array([0.62, 0.57, 0.47], np.float32), np.clip(0.6 * broken, 0, 1))
        rough = self.roughness + u * 0.03 * cloud - 0.10 * broken + 0.05 * seam
        relief = (
            0.05 * self.grain_mm * grit
            + seen * (0.10 * self.grain_mm) * (0.5 - roe.distance / self.grain_mm)
            + 0.10 * broken
            - 0.22 * seam
            - 0.45 * pit
            + 0.35 * u * ground.noise(200, octaves=2, salt=8)
        )
        return Skin(
            {
                "base_color": times(color, (1 - 0.35 * pit).astype(np.float32)),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.3, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
