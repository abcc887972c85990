"""Granite."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, mixed, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Granite(BaseMaterial):
    """Grains of feldspar, quartz and mica that go through the whole stone; sawn, hammered or polished."""

    kind: Literal["granite"] = "granite"
    title: ClassVar[str] = "Granite"
    summary: ClassVar[str] = "Grains of three minerals, sawn or polished"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.01, brittleness=0.9)

    color: tuple[float, float, float] = colour_field((0.46, 0.43, 0.40), "Feldspar")
    quartz: tuple[float, float, float] = colour_field((0.27, 0.265, 0.26), "Quartz")
    mica: tuple[float, float, float] = colour_field((0.022, 0.022, 0.024), "Mica")
    grain_mm: float = number(4.5, "Grain", "mm", 0.3, 40.0, (1.0, 15.0), "Width of a grain", log=True)
    dark: float = number(0.16, "Mica share", "%", 0.0, 1.0, (0.0, 0.5))
    polish: float = number(0.15, "Polish", "%", 0.0, 1.0, about="0 hammered, 1 polished")
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Grains and what the tool left."""
        g, u = self.grain_mm, np.float32(self.uneven)
        bend = np.stack([ground.noise(g * 0.8, octaves=3, gain=0.6, salt=s) for s in (1, 2, 3)], axis=1) * (0.22 * g)
        place = ground.moved(bend)
        large, small = place.cells(g, salt=4, edges=False), place.cells(g * 0.45, salt=5, edges=False)
        flakes = place.cells(g * 0.6, salt=6, edges=False)
        gather = ground.noise(g * 9, octaves=3, salt=7)
        pale = (large.value * 5.7) % 1.0
        stone = times(self.color, 0.80 + 0.42 * pale + 0.05 * ground.noise(g * 0.3, octaves=2, salt=8))
        glassy = step(large.value, 0.64, 0.66)
        stone = mixed(stone, times(self.quartz, 0.75 + 0.5 * small.value), glassy * 0.85)
        # Mica lies in small flakes, in clusters.
        edge = 1.0 - self.dark * (1 + 0.45 * np.tanh(gather))
        black = step(flakes.value - edge.astype(np.float32), -0.01, 0.012) * np.float32(self.dark > 0)
        seen = np.float32(ground.seen(g))
        mean = np.asarray(self.color, np.float32) * 0.62 + np.asarray(self.quartz, np.float32) * 0.28 + 0.001
        stone = mixed(
            np.broadcast_to(mean * (1 - self.dark), stone.shape),
            mixed(stone, self.mica, black),
            np.full(len(ground), seen, np.float32),
        )
        wide = ground.noise(500, octaves=4, salt=9)
        raw = (1 - self.polish) ** 1.5
        tool = ground.noise(11, octaves=4, gain=0.6, salt=10)
        relief = raw * (
            0.20 * tool
            + 0.10 * ground.noise(2.2, octaves=3, gain=0.7, salt=11)
            + 0.12 * (small.value - 0.5)
            + 0.5 * ground.noise(120, octaves=2, salt=12) * u
        )
        relief = relief - 0.10 * raw * black - 0.004 * (large.value - 0.5)
        rough = (
            (0.10 + 0.68 * raw)
            - 0.05 * glassy
            + 0.10 * black * (1 - raw)
            - 0.12 * black * raw
            + u * 0.03 * wide
            + raw * 0.04 * tool
        )
        return Skin(
            {
                "base_color": times(stone, 1 + u * 0.05 * wide + raw * 0.04 * tool),
                "metalness": one(0.0),
                "roughness": np.clip(rough, 0.06, 1.0).astype(np.float32),
            },
            relief.astype(np.float32),
        )
