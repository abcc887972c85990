"""Roofing felt."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class RoofFelt(BaseMaterial):
    """Bitumen sheet strewn with crushed slate, lapped in courses, granules lost along folds."""

    kind: Literal["roof_felt"] = "roof_felt"
    title: ClassVar[str] = "Roofing felt"
    summary: ClassVar[str] = "Granules on bitumen"
    substance: ClassVar[Substance] = Substance("polymer", porosity=0.1, brittleness=0.4)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.085, 0.09, 0.088), "Granules")
    bitumen: tuple[float, float, float] = colour_field((0.018, 0.017, 0.016), "Bitumen")
    granule_mm: float = number(1.6, "Granules", "mm", 0.2, 6.0, (0.5, 3.0), log=True)
    bare: float = number(0.15, "Bare", "%", 0.0, 1.0, about="Where granules are lost")
    course_mm: float = number(900.0, "Course", "mm", 50.0, 5000.0, (200.0, 1500.0), "From lap to lap")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Granules, bare places and laps."""
        u, g = np.float32(self.uneven), self.granule_mm
        grains = ground.cells(g, salt=1, edges=False)
        seen = np.float32(ground.seen(g))
        wide, fold = ground.noise(380, octaves=4, salt=2), ground.noise(120, octaves=3, salt=3, long=2.5)
        lost = step(
            ground.noise(50, octaves=5, gain=0.62, salt=4) + 0.45 * fold, 2.3 - 1.9 * self.bare, 3.0 - 1.9 * self.bare
        )
        lost = np.clip(lost + seen * step(grains.value, 0.95 - 0.2 * self.bare, 0.955 - 0.2 * self.bare), 0, 1)
        t = ground.tiling(20000, self.course_mm, stagger=0.5)
        up = t.up + t.half_height + 2.5 * ground.noise(140, octaves=3, salt=5)
        lap = np.exp(-np.clip(up, 0, None) / 26.0).astype(np.float32)
        lip = step(up, 4.0, 0.5)
        pick = (grains.value * 11.3) % 1.0
        tint = np.stack([1 + 0.25 * (pick - 0.5), np.ones_like(pick), 1 - 0.15 * (pick - 0.5)], axis=1)
        stone = np.clip(
            np.asarray(self.color, np.float32) * (1 + seen * (tint * (0.45 + 1.1 * grains.value)[:, None] - 1)), 0, 1
        )
        stone = times(stone.astype(np.float32), 1 + u * (0.16 * wide + 0.07 * fold))
        color = mixed(stone, self.bitumen, np.clip(lost * 0.92 + 0.5 * lip, 0, 1))
        relief = seen * 0.45 * g * (0.6 - grains.distance / g) * (1 - lost) - 0.25 * lost + 1.4 * u * fold + 2.2 * lap
        rough = between(
            (0.93 + 0.0 * lost).astype(np.float32),
            (0.46 + 0.12 * ground.noise(20, octaves=3, salt=6)).astype(np.float32),
            lost,
        )
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.2, 1.0).astype(np.float32)},
            relief.astype(np.float32),
            lip,
            t.chance(1),
        )
