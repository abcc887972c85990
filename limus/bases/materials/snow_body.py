"""Snow as a body."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class SnowBody(BaseMaterial):
    """Packed by hand, shovel or wheel: crumbs pressed together, lumps and hollows, grains that glint, light that runs
    below the surface.
    """

    kind: Literal["snow_body"] = "snow_body"
    title: ClassVar[str] = "Packed snow"
    summary: ClassVar[str] = "Crumbs pressed together, lit from within"
    substance: ClassVar[Substance] = Substance("snow", hide_um=1500.0, porosity=0.5, brittleness=0.15)

    # Fresh snow has an albedo of 0.80 to 0.95, old snow of 0.40 to 0.70 (T. R. Oke, "Boundary Layer Climates", from
    # memory).
    color: tuple[float, float, float] = colour_field((0.80, 0.825, 0.85))
    crumb_mm: float = number(4.0, "Crumbs", "mm", 0.3, 60.0, (1.0, 20.0), "Lumps that were pressed together", log=True)
    loose: float = number(0.5, "Loose", "%", 0.0, 1.0, about="From pressed smooth to crumbly")
    dirt: float = number(0.05, "Grit", "%", 0.0, 1.0, about="What was packed in with it")
    depth_mm: float = number(6.0, "Scattering", "mm", 0.0, 100.0, (0.0, 20.0), "How far light runs in it")
    roughness: float = roughness_field(0.66)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """White, with crumbs."""
        u, loose = np.float32(self.uneven), np.float32(self.loose)
        wide = ground.noise(220, octaves=3, salt=1) * ground.calm(220)
        lump = ground.noise(26, octaves=4, gain=0.55, salt=2)
        crumb = ground.cells(self.crumb_mm, salt=3)
        seen = np.float32(ground.seen(self.crumb_mm))
        fine = ground.noise(0.35 * self.crumb_mm, octaves=3, gain=0.7, salt=4)
        ball = np.sqrt(np.clip(crumb.edge / (0.4 * self.crumb_mm), 0, 1))
        hollow = seen * loose * step(ball.astype(np.float32), 0.45, 0.05)
        grit = ground.speckle(0.8, 0.12 * self.dirt, vary=0.9, soft=0.3, salt=5)
        tone = 1 + u * (0.02 * wide + 0.015 * lump) - 0.06 * hollow + 0.02 * loose * fine
        color = times(self.color, (tone * (1 - 0.75 * grit)).astype(np.float32))
        rough = self.roughness + 0.08 * loose * fine + u * 0.03 * lump
        relief = (
            seen * loose * (0.28 * self.crumb_mm) * (ball - 0.6 + 0.4 * (crumb.value - 0.5))
            + 0.05 * self.crumb_mm * (0.3 + 0.7 * loose) * fine
            + 0.9 * u * lump
        )
        return Skin(
            {
                "base_color": np.clip(color, 0.0, 0.95).astype(np.float32),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.3, 1.0).astype(np.float32),
                "specular_ior": one(1.31),
                "subsurface_weight": one(0.85 if self.depth_mm > 0 else 0.0),
                "subsurface_color": one((0.86, 0.90, 0.94)),
                "subsurface_radius": one(self.depth_mm),
                "glint_density": one(0.25),
            },
            relief.astype(np.float32),
        )
