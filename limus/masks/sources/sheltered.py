"""Source: sheltered places."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class Sheltered(Source):
    """Occlusion: the part of the hemisphere hidden within a reach."""

    kind: Literal["sheltered"] = "sheltered"
    order: ClassVar[int] = 2
    title: ClassVar[str] = "Sheltered places"
    reading: ClassVar[str] = "occlusion"
    reading_size: ClassVar[str] = "reach_mm"
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = "in sheltered places within {reach_mm}"
    suggest: ClassVar[tuple[float, float]] = (0.1, 0.8)

    reach_mm: float = number(
        64.0, "Reach", "mm", 0.1, 100000.0, (4.0, 256.0), "Only what stands nearer than this shelters", log=True,
        grows=0.75,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32; values below 0 count as 0."""
        return READINGS["occlusion"].value(scope.place, self.reach_mm)
