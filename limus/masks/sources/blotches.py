"""Source: blotches."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.shape import smoothstep
from limus.masks.source import Scope
from limus.patterns.noise import noise


class Blotches(Pattern):
    """Patches with a definite rim, covering a given share."""

    kind: Literal["blotches"] = "blotches"
    order: ClassVar[int] = 32
    title: ClassVar[str] = "Blotches"
    sentence: ClassVar[str] = "blotches of {size_mm}"

    size_mm: float = size_field(60.0, "Size", "Distance between blotches", grows=0.75)
    amount: float = number(0.4, "Amount", "%", 0.0, 1.0, about="Share that they cover, about")
    ragged: float = number(0.4, "Ragged", "", 0.0, 1.0, about="Smooth outlines, or frayed ones")
    softness: float = number(0.15, "Soft rim", "", 0.0, 1.0, (0.0, 0.6))
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        field = noise(
            texels.position, self.size_mm, octaves=2 + round(5 * self.ragged), gain=0.3 + 0.3 * self.ragged,
            warp=0.35 * self.ragged,
            seed=self.salt(scope), texel_mm=texels.texel_mm,
        )  # fmt: skip
        level, half = 1.0 - self.amount, 0.5 * max(self.softness, 0.01)
        return smoothstep(field, level - half, level + half)
