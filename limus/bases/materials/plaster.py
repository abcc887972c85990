"""Plaster and render."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Plaster(BaseMaterial):
    """Lime or gypsum drawn on with a float: sweeps of the tool, sand that dragged, hairline shrinkage."""

    kind: Literal["plaster"] = "plaster"
    title: ClassVar[str] = "Plaster"
    summary: ClassVar[str] = "Floated render with sweeps of the tool"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.35, brittleness=0.8)

    color: tuple[float, float, float] = colour_field((0.58, 0.555, 0.50))
    roughness: float = roughness_field(0.9)
    sand: float = number(0.4, "Sand", "%", 0.0, 1.0)
    sweeps: float = number(0.5, "Sweeps", "%", 0.0, 1.0, about="Traces of the float")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Sweeps, sand and hairlines."""
        u, s = np.float32(self.uneven), np.float32(self.sand)
        wide, cloud = ground.noise(600, octaves=3, salt=1), ground.noise(90, octaves=5, gain=0.55, salt=2)
        bent = ground.moved(np.stack([ground.noise(260, octaves=2, salt=k) for k in (3, 4, 5)], axis=1) * 70.0)
        sweep = bent.noise(16, octaves=4, gain=0.6, salt=6, long=7) * self.sweeps
        grit = ground.noise(1.6, octaves=3, gain=0.7, salt=7)
        grains = ground.cells(1.4, salt=8, edges=False)
        seen = np.float32(ground.seen(1.4))
        ridge = step(sweep, 1.1, 2.2)
        relief = (
            1.0 * u * ground.noise(260, octaves=2, salt=9)
            + 0.22 * sweep
            + 0.35 * ridge
            + s * (0.05 * grit + seen * 0.16 * (0.5 - grains.distance / 1.4))
        )
        tone = (
            1
            + u * (0.035 * wide + 0.04 * cloud)
            + 0.025 * sweep
            + s * 0.03 * grit
            + s * seen * 0.12 * (grains.value - 0.5)
        )
        color = mixed(
            self.color,
            np.asarray(self.color, np.float32) * np.array([0.97, 0.93, 0.86], np.float32),
            step(cloud, -0.2, 1.8) * u,
        )
        rough = self.roughness - 0.05 * ridge + u * 0.03 * cloud
        return Skin(
            {
                "base_color": times(color, tone),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.3, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
