"""Plain values."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, roughness_field, uneven_field
from limus.bases.ground import Ground, Skin, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Plain(BaseMaterial):
    """A substance by its numbers, with hardly a grain of its own: what no other base is, or a ground to lay on."""

    kind: Literal["plain"] = "plain"
    title: ClassVar[str] = "Plain values"
    summary: ClassVar[str] = "Colour, gloss, index, scattering and film by their numbers"
    substance: ClassVar[Substance] = Substance("polymer", porosity=0.0, brittleness=0.3)

    color: tuple[float, float, float] = colour_field((0.5, 0.5, 0.5))
    roughness: float = roughness_field(0.5)
    metalness: float = number(0.0, "Metalness", "%", 0.0, 1.0)
    ior: float = number(1.5, "Index of refraction", "", 1.0, 3.0, (1.3, 2.4))
    depth_mm: float = number(
        0.0, "Scattering", "mm", 0.0, 1000.0, (0.0, 20.0), "How far light runs below the surface: wax, soap, marble"
    )
    film_nm: float = number(
        0.0, "Thin film", "nm", 0.0, 2000.0, (0.0, 900.0), "Colours of thin layers, as oil on a wet road; 0: none"
    )
    uneven: float = uneven_field(0.4)

    def lay(self, ground: Ground) -> Skin:
        """Values that hardly vary; a film is thicker here and thinner there, or it would have one colour."""
        u = np.float32(self.uneven)
        wide = ground.noise(260, octaves=3, salt=1) * ground.calm(260)
        cloud = ground.noise(36, octaves=6, gain=0.6, salt=2) * ground.calm(36)
        rough = self.roughness + u * (0.03 * wide + 0.04 * cloud)
        sheet: dict[str, np.ndarray] = {
            "base_color": times(self.color, 1 + u * (0.03 * wide + 0.03 * cloud)),
            "metalness": one(self.metalness),
            "roughness": np.clip(rough, 0.02, 1.0).astype(np.float32),
            "specular_ior": one(self.ior),
        }
        if self.depth_mm > 0:
            sheet |= {
                "subsurface_weight": one(0.9),
                "subsurface_color": one(self.color),
                "subsurface_radius": one(self.depth_mm),
            }
        if self.film_nm > 0:
            drift = ground.noise(90, octaves=5, gain=0.6, salt=3, long=2.0) * ground.calm(90)
            thick = self.film_nm * (1 + 0.22 * u * drift + 0.10 * u * cloud)
            sheet |= {
                "thin_film_weight": np.clip(0.75 + 0.35 * u * drift, 0.0, 1.0).astype(np.float32),
                "thin_film_thickness": np.clip(thick, 0.0, 2000.0).astype(np.float32),
                "thin_film_ior": one(1.45),
            }
        relief = u * (0.02 * cloud + 0.05 * ground.noise(120, octaves=2, salt=4))
        return Skin(sheet, relief.astype(np.float32))
