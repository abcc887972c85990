"""Glass."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Glass(BaseMaterial):
    """Cast or drawn: light goes through and is tinted on its way; seeds, waves and a film of handling."""

    kind: Literal["glass"] = "glass"
    title: ClassVar[str] = "Glass"
    summary: ClassVar[str] = "Clear or tinted, with waves and seeds"
    substance: ClassVar[Substance] = Substance("glass", brittleness=1.0)

    color: tuple[float, float, float] = colour_field(
        (0.72, 0.90, 0.84), "Tint", "What is left of white after the depth"
    )
    depth_mm: float = number(
        20.0, "Tint depth", "mm", 0.0, 1000.0, (1.0, 100.0), "Way through the glass after which the tint is reached"
    )
    clear: float = number(0.95, "Clear", "%", 0.0, 1.0, about="Share of the light that goes through")
    roughness: float = roughness_field(0.05)
    waves: float = number(0.4, "Waves", "%", 0.0, 1.0, about="As in old panes")
    seeds: float = number(0.25, "Seeds", "%", 0.0, 1.0, about="Bubbles")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Through and through."""
        u = np.float32(self.uneven)
        film = step(ground.noise(70, octaves=5, gain=0.6, salt=1), 0.2, 2.2)
        wave = ground.noise(60, octaves=2, gain=0.4, salt=2, long=2.5)
        seed = ground.speckle(2.6, 0.05 * self.seeds, vary=0.8, soft=0.5, salt=3)
        milky = np.clip(0.07 * film * u + 0.25 * seed, 0, 1)
        return Skin(
            {
                "base_color": mixed((0.86, 0.90, 0.89), (0.55, 0.56, 0.55), film * 0.3 * u),
                "metalness": one(0.0),
                "roughness": np.clip(self.roughness + u * 0.10 * film + 0.15 * seed, 0.02, 1.0).astype(np.float32),
                "specular_ior": one(1.52),
                "transmission_weight": np.clip(self.clear * (1 - milky), 0, 1).astype(np.float32),
                "transmission_color": one(self.color),
                "transmission_depth": one(self.depth_mm),
            },
            (self.waves * 0.06 * wave - 0.05 * seed).astype(np.float32),
        )
