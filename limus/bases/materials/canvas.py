"""Woven cloth."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.bases.base_material import BaseMaterial, colour_field, uneven_field
from limus.bases.ground import Ground, Skin, step, times
from limus.common.fields import number
from limus.materials.channels import one
from limus.materials.substance import Substance


class Canvas(BaseMaterial):
    """Plain weave: yarns of uneven thickness over and under each other, slubs, fuzz, folds."""

    kind: Literal["canvas"] = "canvas"
    title: ClassVar[str] = "Canvas"
    summary: ClassVar[str] = "Plain weave of uneven yarn"
    substance: ClassVar[Substance] = Substance("textile", porosity=0.8, brittleness=0.0)
    solid: ClassVar[bool] = False

    color: tuple[float, float, float] = colour_field((0.37, 0.325, 0.235), "Yarn")
    yarn_mm: float = number(1.1, "Yarn", "mm", 0.1, 20.0, (0.3, 5.0), "From yarn to yarn", log=True)
    slubs: float = number(0.5, "Slubs", "%", 0.0, 1.0, about="Thick places in the yarn")
    folds_mm: float = number(0.8, "Folds", "mm", 0.0, 30.0, (0.0, 5.0), "Height of soft folds")
    fuzz: float = number(0.25, "Fuzz", "%", 0.0, 1.0)
    uneven: float = uneven_field()

    def lay(self, ground: Ground) -> Skin:
        """Warp along y, weft along x."""
        assert ground.x_mm is not None and ground.y_mm is not None
        u, d = np.float32(self.uneven), self.yarn_mm
        flat = np.stack([ground.x_mm, ground.y_mm, np.zeros_like(ground.x_mm)], axis=1).astype(np.float32) * 0.001
        across = flat[:, [1, 0, 2]]
        x = ground.x_mm / d + 0.16 * ground.noise(d * 9, octaves=3, salt=1, points=across, long=3)
        y = ground.y_mm / d + 0.16 * ground.noise(d * 9, octaves=3, salt=2, points=flat, long=3)
        i, j = np.floor(x), np.floor(y)
        warp_seed, weft_seed = _chance(i, 11, ground.seed), _chance(j, 12, ground.seed)
        fx, fy = x - i - 0.5, y - j - 0.5
        over = np.where((i + j) % 2 == 0, np.float32(1), np.float32(-1))
        slub = np.float32(self.slubs)
        thick_a = (
            0.40
            + 0.10
            * slub
            * ground.noise(
                d * 14,
                octaves=3,
                salt=3,
                points=np.stack([flat[:, 1], warp_seed * 3, warp_seed], axis=1).astype(np.float32),
            )
            + 0.06 * (warp_seed - 0.5)
        )
        thick_b = (
            0.40
            + 0.10
            * slub
            * ground.noise(
                d * 14,
                octaves=3,
                salt=4,
                points=np.stack([flat[:, 0], weft_seed * 3, weft_seed], axis=1).astype(np.float32),
            )
            + 0.06 * (weft_seed - 0.5)
        )
        round_a = np.sqrt(np.clip(1 - (fx / thick_a) ** 2, 0, 1))
        round_b = np.sqrt(np.clip(1 - (fy / thick_b) ** 2, 0, 1))
        high_a = round_a * 0.5 + 0.42 * over * np.cos(np.pi * fy)
        high_b = round_b * 0.5 - 0.42 * over * np.cos(np.pi * fx)
        high_a, high_b = np.where(round_a > 0, high_a, -1.0), np.where(round_b > 0, high_b, -1.0)
        top = np.maximum(np.maximum(high_a, high_b), -0.55)
        seen = np.float32(ground.seen(d))
        first = high_a > high_b
        # Fibres run slantwise round the yarn.
        twist = np.sin(2 * np.pi * (3.0 * fx + 1.6 * fy * np.where(first, 1, -1) + 2.2 * fy))
        tone = (
            1
            + seen * (0.42 * (top - 0.35) + 0.06 * twist + 0.22 * (np.where(first, warp_seed, weft_seed) - 0.5))
            + u * (0.05 * ground.noise(200, octaves=3, salt=5) + 0.05 * ground.noise(26, octaves=4, gain=0.6, salt=6))
        )
        hole = seen * step(top.astype(np.float32), -0.25, -0.5)
        color = times(self.color, (tone * (1 - 0.7 * hole)).astype(np.float32))
        relief = seen * 0.38 * d * top + self.folds_mm * ground.noise(150, octaves=3, gain=0.45, salt=7)
        return Skin(
            {
                "base_color": color,
                "metalness": one(0.0),
                "roughness": np.full(len(ground), 0.92, np.float32),
                "fuzz_weight": one(self.fuzz),
                "fuzz_color": one(tuple(min(1.0, 1.5 * c) for c in self.color)),
                "fuzz_roughness": one(0.6),
            },
            relief.astype(np.float32),
        )


def _chance(k: np.ndarray, salt: int, seed: int) -> np.ndarray:
    """(n,) float32 0..1 for whole numbers ``k``."""
    x = np.sin(k * 12.9898 + salt * 78.233 + seed * 3.17) * 43758.5453
    return (x - np.floor(x)).astype(np.float32)
