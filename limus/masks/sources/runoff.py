"""Source: run-off."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Runoff(Source):
    """Where water runs down, gathered from above and from drips."""

    kind: Literal["runoff"] = "runoff"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Run-off"
    reading: ClassVar[str] = "runoff"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "where water runs down"
    suggest: ClassVar[tuple[float, float]] = (0.05, 0.8)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return np.minimum(READINGS["runoff"].value(scope.place, 0.0), 1.0)
