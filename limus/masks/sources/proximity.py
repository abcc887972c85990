"""Source: near other objects."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class ProximitySource(Source):
    """Near the neighbouring objects: 1 where they touch, 0 from the reach on."""

    kind: Literal["proximity"] = "proximity"
    order: ClassVar[int] = 6
    title: ClassVar[str] = "Near neighbours"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "near neighbours, within {reach_mm}"

    reach_mm: float = number(100.0, "Reach", "mm", 0.1, 100000.0, (5.0, 1000.0), "From this distance on it is black", log=True)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black everywhere without neighbours."""
        distance = READINGS["proximity"].value(scope.place, self.reach_mm)
        return np.clip(np.float32(1.0) - distance / np.float32(self.reach_mm), 0.0, 1.0).astype(np.float32)
