"""Source: speckle."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.speckle import speckle


class Speckle(Pattern):
    """Scattered dots."""

    kind: Literal["speckle"] = "speckle"
    order: ClassVar[int] = 33
    title: ClassVar[str] = "Speckle"
    sentence: ClassVar[str] = "speckle up to {size_mm}"

    size_mm: float = size_field(6.0, "Size", "Across the largest dot", soft=(0.5, 60.0), grows=0.5)
    amount: float = number(
        0.3, "Amount", "%", 0.0, 1.0, about="How many: at 100 % every place that can hold a dot does"
    )
    vary: float = number(0.6, "Variety", "", 0.0, 1.0, about="All alike, or down to nothing")
    softness: float = number(0.2, "Soft rim", "", 0.0, 1.0)
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        if self.size_mm < texels.texel_mm:
            # Too fine to be seen: what it covers on average.
            return np.full(len(texels), 0.5236 * self.amount * (1 - 0.75 * self.vary), np.float32)
        return speckle(
            texels.position, self.size_mm, amount=self.amount, vary=self.vary,
            soft=max(self.softness, min(1.0, 2 * texels.texel_mm / self.size_mm)), seed=self.salt(scope),
        )  # fmt: skip
