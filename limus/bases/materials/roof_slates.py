"""Slates laid on a roof."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.arrises import Side, arris_as_field, arris_field, arris_size_field, arris_way_field, broken_by
from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.bases.materials.slate import Slate, riven
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.patterns.outline import Character


class RoofSlates(BaseMaterial):
    """Slates lapping one another, each split, toned and tilted in its own way, with a ragged lower edge."""

    kind: Literal["roof_slates"] = "roof_slates"
    title: ClassVar[str] = "Roof slates"
    summary: ClassVar[str] = "Lapped slates, each its own"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.01, brittleness=0.9)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.060, 0.066, 0.075))
    width_mm: float = number(250.0, "Width", "mm", 20.0, 2000.0, (100.0, 500.0))
    course_mm: float = number(200.0, "Course", "mm", 20.0, 2000.0, (80.0, 400.0), "What shows of each slate's height")
    gap_mm: float = number(4.0, "Gap", "mm", 0.0, 50.0, (0.0, 12.0))
    thick_mm: float = number(6.0, "Thickness", "mm", 0.5, 40.0, (2.0, 15.0))
    tone: float = number(0.6, "Tone", "%", 0.0, 1.0, about="How much slates differ")
    level_mm: float = number(1.5, "Level", "mm", 0.0, 20.0, (0.0, 6.0), "How far slates tilt")
    arris_mm: float = arris_field()
    arris_size_mm: float = arris_size_field()
    arris_as: Character = arris_as_field()
    arris_way: Side = arris_way_field()
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Slates, higher at their lower edge."""
        t = ground.tiling(self.width_mm, self.course_mm, joint_mm=0.0, stagger=0.5, loose=0.06, vary=0.12)
        a, b, c, d = (t.chance(k) for k in (1, 2, 3, 4))
        # A piece of stone of its own for each slate.
        own = np.stack([a, b, c], axis=1) * 9000.0
        face = riven(ground.moved(own), Slate(color=self.color, uneven=self.uneven, step_mm=0.45, terraces=0.6))
        ragged = ground.noise(14, octaves=4, gain=0.6, salt=31)
        broken = broken_by(self, ground)
        side = t.half_width - np.abs(t.across) - self.gap_mm / 2 + 0.8 * ragged + broken
        lower = t.up + t.half_height + 1.4 * ragged - 3.0 * (d - 0.3) + broken
        inside = step(side, -0.5 - ground.texel_mm, 0.5 + ground.texel_mm) * step(
            lower, -0.5 - ground.texel_mm, 0.5 + ground.texel_mm
        )
        slope = (t.half_height - t.up) / (2 * t.half_height)
        tilt = (b - 0.5) * t.across / t.half_width + (c - 0.5) * t.up / t.half_height
        high = self.thick_mm * (slope + 0.05) + self.level_mm * tilt + face.relief
        arris = np.exp(-np.clip(np.minimum(side, lower), 0, None) / 2.2).astype(np.float32) * inside
        relief = between((-0.2 * self.thick_mm + 0.15 * face.relief).astype(np.float32), high - 0.9 * arris, inside)
        tint = (
            np.stack([1 + 0.15 * (b - 0.5), np.ones_like(b), 1 - 0.12 * (b - 0.5)], axis=1) * (0.55 + 0.9 * a)[:, None]
        )
        color = np.clip(face.sheet["base_color"] * (1 + self.tone * (tint - 1)), 0, 1).astype(np.float32)
        color = mixed(
            color,
            np.asarray(self.color, np.float32) * np.array([1.55, 1.2, 1.15], np.float32),
            step(c, 0.88, 0.9) * (0.8 * self.tone),
        )
        color = times(color, 1 + 0.5 * arris * (ragged > -0.2))
        color = times(color, 0.25 + 0.75 * inside)
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": face.sheet["roughness"]},
            relief.astype(np.float32),
            (1 - inside).astype(np.float32),
            a,
        )
