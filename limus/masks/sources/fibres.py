"""Source: fibres."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.direction import Directed, Towards, towards_field
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.noise import evened, fractal, warped


class Fibres(Directed, Pattern):
    """Noise drawn out along a direction: grain, brush marks, streaks."""

    kind: Literal["fibres"] = "fibres"
    order: ClassVar[int] = 34
    title: ClassVar[str] = "Fibres"
    sentence: ClassVar[str] = "fibres {size_mm} wide"
    suggest: ClassVar[tuple[float, float]] = (0.3, 0.8)

    size_mm: float = size_field(4.0, "Width", "Distance between fibres", soft=(0.3, 60.0), grows=0.5)
    length: float = number(
        12.0, "Length", "widths", 1.0, 500.0, (2.0, 60.0), "How long they are against their width", log=True
    )
    towards: Towards = towards_field("up", "The direction they run in")
    waver: float = number(0.3, "Waver", "", 0.0, 2.0, (0.0, 1.0), "How far they stray from the straight")
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        points, seed = texels.position, self.salt(scope)
        long = self.size_mm * self.length
        if self.waver > 0:
            points = warped(points, long, self.waver * self.size_mm * 2, seed=seed + 5, texel_mm=texels.texel_mm)
        along = self.direction(scope)
        drawn = points - (points @ along * (1.0 - 1.0 / self.length))[:, None] * along
        return evened(fractal(drawn.astype(np.float32), self.size_mm, octaves=3, seed=seed, texel_mm=texels.texel_mm))
