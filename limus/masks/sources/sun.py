"""Source: sun."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Sun(Source):
    """Direct sun over the day or the year of the setting; open level ground is 1."""

    kind: Literal["sun"] = "sun"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Sun"
    reading: ClassVar[str] = "sun"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "where the sun reaches"
    suggest: ClassVar[tuple[float, float]] = (0.1, 1.2)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return READINGS["sun"].value(scope.place, 0.0)
