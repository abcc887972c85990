"""Stone setts."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.arrises import Side, arris_as_field, arris_field, arris_size_field, arris_way_field, broken_by
from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.bases.materials.granite import Granite
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.patterns.outline import Character


class Setts(BaseMaterial):
    """Split stones in rows of uneven widths, rounded by wheels and feet, with sand between them."""

    kind: Literal["setts"] = "setts"
    title: ClassVar[str] = "Setts"
    summary: ClassVar[str] = "Paving of rounded stones"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.03, brittleness=0.8)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.27, 0.255, 0.24), "Stones")
    sand: tuple[float, float, float] = colour_field((0.125, 0.105, 0.08), "Sand")
    width_mm: float = number(150.0, "Length", "mm", 20.0, 1000.0, (60.0, 300.0), "From joint to joint")
    row_mm: float = number(105.0, "Row", "mm", 20.0, 1000.0, (60.0, 300.0))
    joint_mm: float = number(12.0, "Joint", "mm", 0.0, 100.0, (3.0, 25.0))
    dome_mm: float = number(9.0, "Rounding", "mm", 0.0, 60.0, (0.0, 20.0), "How far the middle stands above the rim")
    tone: float = number(0.6, "Tone", "%", 0.0, 1.0, about="How much stones differ")
    level_mm: float = number(4.0, "Level", "mm", 0.0, 40.0, (0.0, 15.0), "How far stones stand out or lie back")
    arris_mm: float = arris_field()
    arris_size_mm: float = arris_size_field()
    arris_as: Character = arris_as_field()
    arris_way: Side = arris_way_field()
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Stones and sand."""
        u = np.float32(self.uneven)
        stones = ground.tiling(
            self.width_mm,
            self.row_mm,
            joint_mm=self.joint_mm,
            stagger=0.5,
            loose=1.0,
            vary=0.45,
            corner_mm=0.16 * self.row_mm,
        )
        ragged = ground.noise(32, octaves=3, gain=0.55, salt=1)
        edge = stones.edge + 2.6 * ragged + broken_by(self, ground)
        a, b, c, d = (stones.chance(k) for k in (1, 2, 3, 4))
        deep = np.minimum(stones.half_width, stones.half_height)
        rise = np.clip(edge / np.maximum(deep * 0.75, 1), 0, 1)
        dome = np.sqrt(np.clip(1 - (1 - rise) ** 2.4, 0, 1)).astype(np.float32)
        stone = step(edge, -0.8 - ground.texel_mm, 0.8 + ground.texel_mm)
        granite = Granite(grain_mm=3.4, polish=0.3, color=self.color, quartz=_darker(self.color, 0.62), dark=0.14).lay(
            ground
        )
        worn = step(dome, 0.55, 0.95)
        tint = np.stack([0.80 + 0.5 * a, 0.80 + 0.5 * a + 0.04 * (b - 0.5), 0.80 + 0.5 * a + 0.12 * (b - 0.5)], axis=1)
        face = np.clip(granite.sheet["base_color"] * (1 + self.tone * (tint - 1)), 0, 1).astype(np.float32)
        face = mixed(
            face,
            np.asarray(self.color, np.float32) * np.array([0.95, 0.72, 0.58], np.float32),
            step(c, 0.86, 0.9) * (0.7 * self.tone),
        )
        grit = ground.noise(2.2, octaves=3, gain=0.7, salt=2)
        grains = ground.cells(2.6, salt=3, edges=False)
        seen = np.float32(ground.seen(2.6))
        soil = times(
            self.sand,
            1 + 0.16 * grit + seen * 0.7 * (grains.value - 0.5) + u * 0.14 * ground.noise(160, octaves=3, salt=4),
        )
        dirt = step(edge, 0.16 * self.row_mm, 0.0) * step(ragged, -1.4, 1.4) * 0.55
        tilt = (c - 0.5) * stones.across / np.maximum(stones.half_width, 1) + (d - 0.5) * stones.up / np.maximum(
            stones.half_height, 1
        )
        high = (
            self.dome_mm * (dome - 1)
            + self.level_mm * ((b - 0.5) + 0.8 * tilt)
            + 2.2 * granite.relief
            + 0.9 * ragged * u
        )
        low = (
            -self.dome_mm * 0.95
            + 1.1 * ground.noise(70, octaves=3, salt=5)
            + 0.35 * grit
            - seen * 0.5 * (grains.distance / 2.6 - 0.5)
        )
        relief = np.maximum(high * stone + (low - 4) * (1 - stone), low)
        shown = step(high - low, -0.4, 1.2) * stone
        color = mixed(soil, mixed(face, soil, dirt.astype(np.float32)), shown)
        rough = between(np.float32(0.97), (0.80 - 0.26 * worn + 0.05 * ragged).astype(np.float32), shown)
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.3, 1.0)},
            relief.astype(np.float32), (1 - shown).astype(np.float32), a,
        )  # fmt: skip


def _darker(color: tuple[float, float, float], by: float) -> tuple[float, float, float]:
    return (color[0] * by, color[1] * by, color[2] * by)
