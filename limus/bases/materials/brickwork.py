"""Bricks in mortar."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.arrises import Side, arris_as_field, arris_field, arris_size_field, arris_way_field, broken_by
from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, between, mixed, step, times
from limus.common.fields import choice, number
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.patterns.outline import Character


class Brickwork(BaseMaterial):
    """Burnt bricks, each with a tone, level and tilt of its own, chipped at the arrises, in joints of sandy mortar."""

    kind: Literal["brickwork"] = "brickwork"
    title: ClassVar[str] = "Brickwork"
    summary: ClassVar[str] = "Bricks in mortar, laid to bond"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.25, brittleness=0.7)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.275, 0.112, 0.070), "Bricks")
    other: tuple[float, float, float] = colour_field((0.125, 0.052, 0.040), "Hard-burnt bricks", "Some of them")
    mortar: tuple[float, float, float] = colour_field((0.33, 0.30, 0.255), "Mortar")
    length_mm: float = number(225.0, "Length", "mm", 20.0, 2000.0, (100.0, 400.0), "From joint to joint")
    course_mm: float = number(75.0, "Course", "mm", 10.0, 1000.0, (40.0, 150.0), "From joint to joint")
    joint_mm: float = number(10.0, "Joint", "mm", 0.0, 100.0, (3.0, 20.0))
    bond: Literal["running", "third", "stack"] = choice(
        "running", "Bond", "How courses lie over each other", running="half over", third="third over",
        stack="straight over",
    )  # fmt: skip
    depth_mm: float = number(4.0, "Joint depth", "mm", 0.0, 30.0, (0.0, 12.0), "How far the mortar lies back")
    tone: float = number(0.6, "Tone", "%", 0.0, 1.0, about="How much bricks differ")
    level_mm: float = number(1.4, "Level", "mm", 0.0, 20.0, (0.0, 6.0), "How far bricks stand out or lie back")
    worn: float = number(0.4, "Worn arrises", "%", 0.0, 1.0)
    arris_mm: float = arris_field()
    arris_size_mm: float = arris_size_field()
    arris_as: Character = arris_as_field()
    arris_way: Side = arris_way_field()
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Bricks and mortar."""
        u = np.float32(self.uneven)
        ragged = ground.noise(16, octaves=4, gain=0.6, salt=1)
        bricks = ground.tiling(
            self.length_mm, self.course_mm, joint_mm=self.joint_mm, stagger={"running": 0.5, "third": 1 / 3,
                "stack": 0.0}[self.bond],
            loose=0.02, vary=0.05, corner_mm=3.0,
        )  # fmt: skip
        bite = self.worn * np.maximum(ground.noise(34, octaves=4, gain=0.6, salt=2) - 0.75, 0) * 6.5
        edge = bricks.edge + 0.9 * ragged - bite + broken_by(self, ground)
        soft = np.float32(0.6 + ground.texel_mm)
        brick = step(edge, -soft, soft)
        round_ = step(edge, 0.0, 5.0 + 4.0 * self.worn)
        a, b, c, d = (bricks.chance(k) for k in (1, 2, 3, 4))
        fire, grit = ground.noise(70, octaves=4, gain=0.6, salt=3), ground.noise(2.4, octaves=3, gain=0.7, salt=4)
        pits = ground.speckle(4.0, 0.16, vary=0.8, soft=0.5, salt=5)
        creases = step(ground.noise(6.0, octaves=3, gain=0.6, salt=6, long=5), 1.3, 2.2)
        tone = 1 + self.tone * 0.55 * (a - 0.5) + u * (0.12 * fire + 0.07 * grit) - 0.35 * pits - 0.18 * creases
        face = mixed(self.color, self.other, np.clip(step(b + 0.10 * fire, 0.76 - 0.2 * self.tone, 0.94) * 0.9, 0, 1))
        face = mixed(
            face,
            np.asarray(self.color, np.float32) * np.array([1.35, 1.55, 1.5], np.float32),
            step(c, 0.86, 0.97) * (0.6 * self.tone),
        )
        face = times(face, tone)
        # A bloom of lime here and there, from the joints inwards.
        bloom = step(ground.noise(110, octaves=4, gain=0.6, salt=7) + 0.5 * step(edge, 18, 0), 1.25, 2.4)
        face = mixed(face, np.array([0.42, 0.38, 0.34], np.float32), 0.32 * bloom * u)
        sand = ground.cells(1.8, salt=8, edges=False)
        seen = np.float32(ground.seen(1.8))
        mud = times(
            self.mortar,
            1 + u * (0.10 * ground.noise(120, octaves=3, salt=9) + 0.09 * grit) + seen * 0.35 * (sand.value - 0.5),
        )
        back = (
            self.depth_mm * (1 + 0.16 * ground.noise(60, octaves=3, salt=10))
            - 0.25 * grit
            - seen * 0.5 * (0.5 - sand.distance / 1.8)
        )
        smear = step(ground.noise(50, octaves=4, gain=0.6, salt=11), 1.5, 2.4) * step(edge, 7.0, 0.5)
        tilt = (c - 0.5) * bricks.across / np.maximum(bricks.half_width, 1) + (d - 0.5) * bricks.up / np.maximum(
            bricks.half_height, 1
        )
        high = (
            self.level_mm * ((a - 0.5) + 0.7 * tilt)
            - 1.8 * (1 - round_) ** 2
            + 0.28 * fire * u
            + 0.10 * grit
            - 0.8 * pits
            - 0.5 * creases
        )
        relief = (high + 0.5 * smear) * brick - back * (1 - brick)
        shown = np.clip(brick - 0.7 * smear, 0, 1)
        # The joint lies in its own shade.
        color = mixed(times(mud, 1 - 0.20 * step(bricks.edge, -1.5, 1.0) * min(self.depth_mm / 4, 1.5)), face, shown)
        rough = between(
            np.float32(0.95), (0.84 - 0.10 * step(b, 0.8, 0.95) - u * 0.04 * fire).astype(np.float32), shown
        )
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.3, 1.0)},
            relief.astype(np.float32), (1 - brick).astype(np.float32), a,
        )  # fmt: skip
