"""Source: fractal noise."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.fields import number
from limus.masks.source import Scope, Source
from limus.patterns.noise import evened, fractal


class Noise(Source):
    """Fractal gradient noise in space: 0..1, spread evenly, so that a level of 0.3 hides about 30 %."""

    kind: Literal["noise"] = "noise"
    order: ClassVar[int] = 10
    title: ClassVar[str] = "Noise"
    group: ClassVar[str] = "Patterns"
    sentence: ClassVar[str] = "noise of {size_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.2, 0.8)

    size_mm: float = number(90.0, "Size", "mm", 0.05, 100000.0, (2.0, 300.0), "Distance between the widest blotches", log=True)
    octaves: int = Field(
        4,
        ge=1,
        le=10,
        title="Detail",
        description="Octaves: each adds detail half as large",
        json_schema_extra={"unit": "octaves", "soft": [1, 8], "control": "slider"},
    )
    gain: float = number(0.5, "Roughness", "", 0.05, 0.95, (0.3, 0.8), "How strong the fine detail is against the wide blotches")
    seed: int = Field(
        0,
        ge=0,
        le=2**31 - 1,
        title="Seed",
        description="Another number gives another pattern",
        json_schema_extra={"control": "seed"},
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        return evened(
            fractal(
                scope.place.texels.position, self.size_mm, octaves=self.octaves, gain=self.gain, seed=scope.seed * 7919 + self.seed
            )
        )
