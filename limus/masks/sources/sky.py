"""Source: sky."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Sky(Source):
    """View factor to the unobstructed sky."""

    kind: Literal["sky"] = "sky"
    order: ClassVar[int] = 4
    title: ClassVar[str] = "Sky"
    reading: ClassVar[str] = "sky"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "where the sky is seen"
    suggest: ClassVar[tuple[float, float]] = (0.2, 1.0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return READINGS["sky"].value(scope.place, 0.0)
