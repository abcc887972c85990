"""Concrete as it leaves the form."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Concrete(BaseMaterial):
    """Cement skin: clouds of tone, air holes, sand that shows, seams of the boards it was cast against."""

    kind: Literal["concrete"] = "concrete"
    title: ClassVar[str] = "Concrete"
    summary: ClassVar[str] = "Cast skin with clouds, air holes and sand"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.15, brittleness=0.8)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.285, 0.275, 0.255))
    roughness: float = roughness_field(0.86)
    sand: float = number(0.35, "Sand", "%", 0.0, 1.0, about="How far the cement skin is gone and the sand shows")
    holes: float = number(0.4, "Air holes", "%", 0.0, 1.0, about="From a pinhead to a fingertip")
    boards_mm: float = number(
        0.0, "Form boards", "mm", 0.0, 2000.0, (0.0, 300.0), "Width of the boards it was cast against; 0: smooth panels"
    )
    uneven: float = uneven_field()

    @property
    def is_solid(self) -> bool:
        """Only the traces of boards lie in a plane."""
        return self.boards_mm == 0

    def lay(self, ground: Ground) -> Skin:
        """Cement, sand and holes."""
        u, s = np.float32(self.uneven), np.float32(self.sand)
        wide, cloud = ground.noise(900, octaves=3, salt=1), ground.noise(170, octaves=8, gain=0.66, salt=2)
        blot, grit = ground.noise(30, octaves=6, gain=0.7, salt=3), ground.noise(1.8, octaves=3, gain=0.7, salt=4)
        worn = np.clip(step(0.7 * cloud + 0.5 * blot, 1.8 - 3.4 * self.sand, 2.6 - 2.6 * self.sand), 0, 1) * s
        grains = ground.cells(1.9, salt=5, edges=False)
        lump = ground.seen(1.9) * (0.55 - grains.distance / 1.9)
        # Air holes gather where the form held the bubbles; large ones are few.
        gather = step(cloud + 0.6 * ground.noise(300, octaves=2, salt=14), -0.6, 1.2)
        hole: np.ndarray = np.zeros(len(ground), np.float32)
        for size, amount, salt in ((2.4, 0.20, 6), (5.5, 0.10, 7), (13.0, 0.035, 8)):
            hole = np.maximum(
                hole,
                ground.speckle(size, amount * self.holes * 1.4, vary=0.7, soft=0.35, salt=salt)
                * min(size / 7.0, 1.0) ** 0.4,
            )
        hole = hole * (0.2 + 0.8 * gather)
        relief = (
            0.35 * u * ground.noise(220, octaves=2, salt=9)
            + 0.05 * blot
            + 0.022 * grit
            + worn * (0.34 * lump - 0.12)
            - 1.1 * hole
        )
        # Water ran down the form and left paler and darker streaks with sharp rims.
        run = ground.noise(
            60, octaves=6, gain=0.6, salt=12, points=(ground.points * np.array([1.0, 0.16, 1.0], np.float32))
        )
        rim = step(run, 0.55, 0.75) * 0.06 - step(run, 1.25, 1.35) * 0.05
        tone = 1 + u * (0.045 * wide + 0.04 * cloud + 0.05 * blot + rim) + (0.03 + 0.06 * s) * grit
        joint = None
        if self.boards_mm > 0 and ground.y_mm is not None and ground.x_mm is not None:
            boards = ground.tiling(2600, self.boards_mm, stagger=0.5, loose=1.0, vary=0.4)
            level, shade = boards.chance(1) - 0.5, boards.chance(2) - 0.5
            fins = np.exp(-((boards.edge / (1.6 + ground.texel_mm)) ** 2)) * step(
                ground.noise(90, octaves=3, salt=10), -0.6, 0.7
            )
            flat = np.stack([ground.x_mm, ground.y_mm, np.zeros_like(ground.x_mm)], axis=1).astype(np.float32) * 0.001
            flat[:, 2] = boards.chance(3)
            grain = ground.noise(5.0, octaves=3, gain=0.65, salt=11, long=22, points=flat)
            relief = relief + 2.6 * level + 0.30 * grain + 1.9 * fins
            tone = tone + u * (0.26 * shade + 0.05 * grain) - 0.16 * step(boards.edge, 4.0, 0.0)
            joint = step(boards.edge, 2.0, 0.5)
        # Sand is browner and its grains differ; cement skin is greyer.
        grey = np.asarray(self.color, np.float32)
        sandy = grey * np.array([1.05, 0.97, 0.85], np.float32)
        color = mixed(mixed(grey, grey * np.array([1.02, 1.0, 0.965], np.float32), step(blot, -0.5, 1.5)), sandy, worn)
        color = times(color, tone + worn * 0.5 * (grains.value - 0.5) * ground.seen(1.9))
        color = times(color, 1 - 0.62 * step(hole, 0.1, 0.9))
        rough = self.roughness - u * (0.05 * cloud + 0.03 * blot) * (1 - worn) + 0.06 * worn
        return Skin(
            {"base_color": color, "metalness": one(0.0), "roughness": np.clip(rough, 0.3, 1.0).astype(np.float32)},
            relief.astype(np.float32),
            joint,
        )
