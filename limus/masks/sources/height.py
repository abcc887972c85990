"""Source: height above the ground."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class HeightSource(Source):
    """Height above the ground: a band, with a soft lower and upper end."""

    kind: Literal["height"] = "height"
    order: ClassVar[int] = 7
    title: ClassVar[str] = "Height"
    reading: ClassVar[str] = "height"
    sentence: ClassVar[str] = "between {from_mm} and {to_mm} above the ground"

    from_mm: float = number(0.0, "From", "mm", -1000000.0, 1000000.0, (0.0, 1000.0), "Lower end of the band", grows=1)
    to_mm: float = number(300.0, "To", "mm", -1000000.0, 1000000.0, (0.0, 1000.0), "Upper end of the band", grows=1)
    fade_mm: float = number(
        60.0, "Fades over", "mm", 0.0, 1000000.0, (0.0, 300.0), "Width of the fade at both ends", grows=1
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: 1 inside the band, half at its ends."""
        at = READINGS["height"].value(scope.place, 0.0)
        low, high = min(self.from_mm, self.to_mm), max(self.from_mm, self.to_mm)
        inside = np.minimum(at - low, high - at)
        return np.clip(0.5 + inside / max(self.fade_mm, 1e-3), 0.0, 1.0)
