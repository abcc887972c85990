"""Stove enamel and glaze."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Enamel(BaseMaterial):
    """Glass burnt onto metal: a gentle orange peel, pinholes, specks that fell into the kiln, rims where it drew
    back.
    """

    kind: Literal["enamel"] = "enamel"
    title: ClassVar[str] = "Enamel"
    summary: ClassVar[str] = "Glossy glass skin with specks and pinholes"
    substance: ClassVar[Substance] = Substance("glass", porosity=0.0, brittleness=1.0)

    color: tuple[float, float, float] = colour_field((0.70, 0.70, 0.66))
    specks: tuple[float, float, float] = colour_field((0.03, 0.035, 0.045), "Specks")
    roughness: float = roughness_field(0.11)
    peel: float = number(0.4, "Orange peel", "%", 0.0, 1.0)
    speckled: float = number(0.12, "Specks share", "%", 0.0, 1.0)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """A nearly even skin."""
        u = np.float32(self.uneven)
        wide, mid = ground.noise(300, octaves=3, salt=1), ground.noise(45, octaves=3, salt=2)
        peel = ground.noise(7.0, octaves=2, gain=0.4, salt=3)
        speck = ground.speckle(0.9, 0.10 * self.speckled, vary=0.7, soft=0.5, salt=4)
        large = ground.speckle(3.2, 0.010 * self.speckled, vary=0.8, soft=0.3, salt=5)
        hole = ground.speckle(1.0, 0.012 * u, vary=0.6, soft=0.5, salt=6)
        color = times(self.color, 1 + u * (0.018 * wide + 0.012 * mid))
        color = mixed(color, self.specks, np.clip(np.maximum(speck, large) * 0.9 + 0.5 * hole, 0, 1))
        relief = (
            self.peel * 0.010 * peel
            + 0.02 * u * mid
            + 0.12 * u * ground.noise(140, octaves=2, salt=7)
            - 0.10 * hole
            + 0.03 * large
        )
        rough = (
            self.roughness
            + u * (0.02 * wide + 0.03 * mid)
            + 0.2 * hole
            + 0.05 * step(ground.noise(60, octaves=5, gain=0.6, salt=8), 1.0, 2.2) * u
        )
        return Skin(
            {
                "base_color": color,
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.03, 1.0).astype(np.float32),
                "specular_ior": one(1.52),
            },
            relief.astype(np.float32),
        )
