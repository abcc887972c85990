"""Source: position along an axis."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.direction import Directed, Towards, towards_field
from limus.masks.source import Scope, Source


class Ramp(Directed, Source):
    """Position along a direction, in millimetres from where the object begins on that side."""

    kind: Literal["ramp"] = "ramp"
    order: ClassVar[int] = 8
    title: ClassVar[str] = "Position"
    reading: ClassVar[str] = "position"
    sentence: ClassVar[str] = "from {from_mm} to {to_mm} along {towards}"

    towards: Towards = towards_field("up", "The direction it is measured along")
    from_mm: float = number(0.0, "From", "mm", -100000.0, 100000.0, (0.0, 1000.0), "Black up to here", grows=1)
    to_mm: float = number(300.0, "To", "mm", -100000.0, 100000.0, (0.0, 1000.0), "White from here on", grows=1)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        along = self.direction(scope)
        low, high = texels.mesh.bounds
        first = float(np.minimum(along * low, along * high).sum())
        at = (texels.position @ along - first) * 1000.0
        span = self.to_mm - self.from_mm
        return np.clip((at - self.from_mm) / (span if abs(span) > 1e-6 else 1e-6), 0.0, 1.0).astype(np.float32)
