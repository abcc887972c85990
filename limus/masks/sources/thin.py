"""Source: thin places."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Thin(Source):
    """Thin places: 1 minus thickness over a limit."""

    kind: Literal["thin"] = "thin"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Thin places"
    reading: ClassVar[str] = "thickness"
    reading_size: ClassVar[str] = "limit_mm"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "where it is thinner than {limit_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.0, 1.0)

    limit_mm: float = number(
        20.0, "Limit", "mm", 0.1, 10000.0, (1.0, 128.0), "At this thickness the value is 0, at no thickness 1",
        log=True, grows=1,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32; values below 0 count as 0."""
        return 1.0 - np.clip(READINGS["thickness"].value(scope.place, 1e9) / self.limit_mm, 0.0, 1.0)
