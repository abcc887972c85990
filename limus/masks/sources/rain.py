"""Source: rain."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Rain(Source):
    """Driving rain reaching the surface; open level ground is 1."""

    kind: Literal["rain"] = "rain"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Rain"
    reading: ClassVar[str] = "rain"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "where the rain beats"
    suggest: ClassVar[tuple[float, float]] = (0.1, 1.0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return READINGS["rain"].value(scope.place, 0.0)
