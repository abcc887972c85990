"""Source: convex edges."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Edges(Source):
    """Convex curvature at a radius: 0.5 on a straight square edge."""

    kind: Literal["edges"] = "edges"
    order: ClassVar[int] = 0
    title: ClassVar[str] = "Convex edges"
    reading: ClassVar[str] = "curvature"
    reading_size: ClassVar[str] = "radius_mm"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "on convex edges at {radius_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.03, 0.35)

    radius_mm: float = number(
        4.0, "Radius", "mm", 0.001, 100000.0, (1.0, 64.0), "Edges whose rounding is smaller than this stand out",
        log=True, grows=0.5,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32; values below 0 count as 0."""
        return READINGS["curvature"].value(scope.place, self.radius_mm)
