"""Source: hollows."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Hollows(Source):
    """Concave curvature at a radius: 0.5 in a straight square crease."""

    kind: Literal["hollows"] = "hollows"
    order: ClassVar[int] = 1
    title: ClassVar[str] = "Hollows"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "in hollows at {radius_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.03, 0.35)

    radius_mm: float = number(
        8.0, "Radius", "mm", 0.001, 100000.0, (1.0, 64.0), "Creases and corners up to this size stand out", log=True,
        grows=0.5,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32; values below 0 count as 0."""
        return -READINGS["curvature"].value(scope.place, self.radius_mm)
