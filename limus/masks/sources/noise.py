"""Source: noise in space."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import choice, number
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.noise import noise


class Noise(Pattern):
    """Gradient noise in space: 0..1, spread evenly, so that a level of 0.3 hides about 30 %."""

    kind: Literal["noise"] = "noise"
    order: ClassVar[int] = 30
    title: ClassVar[str] = "Noise"
    sentence: ClassVar[str] = "noise of {size_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.2, 0.8)

    form: Literal["fractal", "ridged", "billow"] = choice(
        "fractal", "Form", "Soft, with sharp crests, or in rounded heaps", fractal="fractal", ridged="ridged",
        billow="billow",
    )  # fmt: skip
    size_mm: float = size_field(90.0, "Size", "Distance between the widest blotches", grows=0.75)
    octaves: int = Field(
        4,
        ge=1,
        le=10,
        title="Detail",
        description="Octaves: each adds detail half as large",
        json_schema_extra={"unit": "octaves", "soft": [1, 8], "control": "slider"},
    )
    gain: float = number(
        0.5, "Roughness", "", 0.05, 0.95, (0.3, 0.8), "How strong the fine detail is against the wide blotches"
    )
    warp: float = number(
        0.0, "Turbulence", "", 0.0, 3.0, (0.0, 1.0), "How far another noise pulls this one about, in widths of it"
    )
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        return noise(
            texels.position, self.size_mm, form=self.form, octaves=self.octaves, gain=self.gain, warp=self.warp,
            seed=self.salt(scope), texel_mm=texels.texel_mm,
        )  # fmt: skip
