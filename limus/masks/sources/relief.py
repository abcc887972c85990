"""Source: relief so far."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source


class ReliefSource(Source):
    """How high the surface stands at this moment of the chronicle: base relief, coats, and what was taken away."""

    kind: Literal["relief"] = "relief"
    order: ClassVar[int] = 42
    title: ClassVar[str] = "Relief so far"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "by the relief from {from_mm} to {to_mm}"
    looks_back: ClassVar[bool] = True

    from_mm: float = number(-0.1, "Black at", "mm", -1000.0, 1000.0, (-1.0, 1.0), "Relief that is black", grows=0)
    to_mm: float = number(0.2, "White at", "mm", -1000.0, 1000.0, (-1.0, 1.0), "Relief that is white", grows=0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        if scope.moment is None:
            return np.full(len(scope.place.texels), 0.5, np.float32)
        span = self.to_mm - self.from_mm
        relief = scope.moment.relief()
        return np.clip((relief - self.from_mm) / (span if abs(span) > 1e-9 else 1e-9), 0.0, 1.0)
