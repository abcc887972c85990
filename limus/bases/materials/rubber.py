"""Rubber."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Rubber(BaseMaterial):
    """Moulded: a dull, fine skin with marks of the mould, a grey bloom that comes out of it, scuffs."""

    kind: Literal["rubber"] = "rubber"
    title: ClassVar[str] = "Rubber"
    summary: ClassVar[str] = "Moulded skin with bloom and scuffs"
    substance: ClassVar[Substance] = Substance("polymer", porosity=0.02, brittleness=0.05)

    color: tuple[float, float, float] = colour_field((0.022, 0.022, 0.023))
    bloom: float = number(0.4, "Bloom", "%", 0.0, 1.0, about="Grey film of wax and sulphur")
    grain_mm: float = number(0.7, "Grain", "mm", 0.1, 10.0, (0.3, 3.0), "Of the mould", log=True)
    roughness: float = roughness_field(0.66)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Dull all over."""
        u, b = np.float32(self.uneven), np.float32(self.bloom)
        wide, cloud = (
            ground.noise(240, octaves=3, salt=1) * ground.calm(240),
            ground.noise(40, octaves=8, gain=0.7, salt=2) * ground.calm(40),
        )
        grain = ground.noise(self.grain_mm * 2, octaves=2, gain=0.6, salt=3)
        scuff = step(ground.noise(3.0, octaves=3, gain=0.6, salt=4, long=12), 1.7, 2.7) * step(cloud, -0.3, 1.5)
        film = b * step(0.8 * cloud + 0.6 * wide, -1.6, 1.6)
        color = mixed(
            times(self.color, 1 + u * (0.10 * wide + 0.07 * grain)),
            np.array([0.085, 0.083, 0.08], np.float32),
            np.clip(0.45 * film + 0.5 * scuff * u, 0, 1),
        )
        rough = self.roughness + u * (0.05 * cloud + 0.03 * grain) + 0.14 * film - 0.10 * scuff
        return Skin(
            {
                "base_color": color,
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.2, 1.0).astype(np.float32),
                "specular_ior": one(1.52),
            },
            (0.014 * grain + 0.12 * u * ground.noise(90, octaves=2, salt=5) - 0.03 * scuff).astype(np.float32),
        )
