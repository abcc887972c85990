"""Rolled, drawn or turned metal: steel, brass, copper, aluminium."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class SheetMetal(BaseMaterial):
    """Streaks along the rolling direction, hairlines from handling, a mill skin that is thicker in places, hands and
    rags in the gloss.
    """

    kind: Literal["sheet_metal"] = "sheet_metal"
    title: ClassVar[str] = "Rolled metal"
    summary: ClassVar[str] = "Rolling streaks, hairlines, a trace of mill skin"
    substance: ClassVar[Substance] = Substance("ferrous")
    grained: ClassVar[bool] = True

    color: tuple[float, float, float] = colour_field((0.42, 0.415, 0.40))
    roughness: float = roughness_field(0.36)
    streaks: float = number(0.5, "Streaks", "%", 0.0, 1.0, about="Lines along the rolling direction")
    streak_mm: float = number(0.7, "Streak width", "mm", 0.05, 10.0, (0.1, 3.0), log=True)
    skin: float = number(0.3, "Mill skin", "%", 0.0, 1.0, about="Dark, smooth patches left by the rolls")
    skin_color: tuple[float, float, float] = colour_field((0.15, 0.155, 0.17), "Skin colour", "Of the mill skin")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Metal all over."""
        u, s = np.float32(self.uneven), np.float32(self.streaks)
        wide, hands = (
            ground.noise(260, octaves=3, salt=1) * ground.calm(260),
            ground.noise(48, octaves=8, gain=0.7, salt=2) * ground.calm(48),
        )
        fine = ground.noise(self.streak_mm, octaves=2, gain=0.7, salt=3, long=60)
        broad = ground.noise(self.streak_mm * 9, octaves=3, gain=0.6, salt=4, long=24)
        scratch = step(
            ground.noise(self.streak_mm * 0.8, octaves=2, salt=5, long=26, points=ground.points[:, [0, 2, 1]]), 1.7, 2.6
        )
        patch = ground.noise(55, octaves=8, gain=0.68, salt=6, long=4.0) + 0.45 * broad + 0.4 * wide
        skin = self.skin * (0.4 + 0.6 * ground.calm(90)) * step(patch, 1.5 - 2.4 * self.skin, 1.75 - 2.3 * self.skin)
        tone = 1 + u * (0.02 * wide + 0.035 * hands) + s * (0.05 * broad + 0.045 * fine) + 0.10 * scratch
        rough = (
            self.roughness
            + u * (0.035 * wide + 0.055 * hands)
            + s * (0.04 * broad + 0.045 * fine)
            - 0.12 * skin
            - 0.05 * scratch
        )
        # Sheets are never quite flat.
        relief = (
            0.05 * ground.noise(90, octaves=2, salt=7)
            + s * (0.0022 * fine + 0.004 * broad)
            - 0.006 * scratch
            + 0.004 * skin
        )
        color = mixed(self.color, self.skin_color, skin * 0.85)
        return Skin(
            {
                "base_color": times(color, tone),
                "metalness": one(1.0),
                "roughness": np.clip(rough, 0.04, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
