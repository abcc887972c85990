"""Moulded plastic."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Plastic(BaseMaterial):
    """From a mould: its eroded or polished grain, streaks where the melt ran together, hollows where it shrank; or
    sprayed with paint that drew to an orange peel.
    """

    kind: Literal["plastic"] = "plastic"
    title: ClassVar[str] = "Plastic"
    summary: ClassVar[str] = "Moulded, with its grain, flow and shrinkage; or painted"
    substance: ClassVar[Substance] = Substance("polymer", porosity=0.0, brittleness=0.2)

    color: tuple[float, float, float] = colour_field((0.055, 0.06, 0.066))
    roughness: float = roughness_field(0.42)
    grain_mm: float = number(0.8, "Grain", "mm", 0.05, 20.0, (0.2, 3.0), "Of the mould's skin", log=True)
    grain: float = number(0.5, "Depth of grain", "%", 0.0, 1.0, about="0: from a polished mould")
    flow: float = number(0.35, "Flow", "%", 0.0, 1.0, about="Streaks of the melt, and where two fronts met")
    painted: float = number(0.0, "Painted", "%", 0.0, 1.0, about="A coat that levels the grain to an orange peel")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """One colour, with what the tool left."""
        u, p = np.float32(self.uneven), np.float32(self.painted)
        wide = ground.noise(240, octaves=3, salt=1) * ground.calm(240)
        hands = ground.noise(42, octaves=7, gain=0.68, salt=2) * ground.calm(42)
        pebble = ground.cells(self.grain_mm, salt=3, edges=False)
        fine = ground.noise(self.grain_mm * 1.6, octaves=2, gain=0.6, salt=4)
        seen = np.float32(ground.seen(self.grain_mm))
        bumps = seen * (0.55 - pebble.distance / self.grain_mm) + 0.35 * fine
        run = ground.noise(70, octaves=5, gain=0.6, salt=5, long=6.0) * ground.calm(70)
        weld = step(np.abs(ground.noise(210, octaves=2, salt=6)).astype(np.float32), 0.05, 0.015) * ground.calm(210)
        peel = ground.noise(2.6, octaves=2, gain=0.4, salt=7)
        flow = np.float32(self.flow)
        tone = 1 + u * (0.02 * wide + 0.025 * hands) + flow * (0.05 * run - 0.10 * weld) * (1 - p)
        rough = (
            self.roughness
            + u * (0.03 * wide + 0.05 * hands)
            + flow * (0.05 * run + 0.06 * weld) * (1 - p)
            + 0.05 * self.grain * (1 - p) * fine
        )
        deep = 0.045 * self.grain_mm * self.grain * (1 - 0.85 * p)
        relief = (
            deep * bumps
            + p * 0.006 * peel
            - flow * 0.012 * weld * (1 - p)
            + 0.14 * u * ground.noise(110, octaves=2, salt=8)
        )
        sheet: dict[str, np.ndarray] = {
            "base_color": times(self.color, tone),
            "metalness": one(0.0),
            "roughness": np.clip(rough, 0.05, 1.0).astype(np.float32),
            "specular_ior": one(1.49),
        }
        return Skin(sheet, relief.astype(np.float32))
