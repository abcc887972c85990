"""Source: low down."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class LowDown(Source):
    """Near the ground."""

    kind: Literal["low"] = "low"
    order: ClassVar[int] = 6
    title: ClassVar[str] = "Low down"
    reads: ClassVar[tuple[str, ...]] = ("setting.ground_mm",)
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "low down, below {top_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.0, 1.0)

    top_mm: float = number(
        150.0, "Top", "mm", 0.001, 1000000.0, (10.0, 1000.0), "At the ground the value is 1, from this height on 0",
        log=True, grows=0.75,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32; values below 0 count as 0."""
        return 1.0 - np.clip(READINGS["height"].value(scope.place, 0.0) / self.top_mm, 0.0, 1.0)
