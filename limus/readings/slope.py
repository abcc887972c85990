"""Reading: slope."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Slope(Reading):
    """Degrees between the normal and world up: 0 faces up, 90 vertical, 180 faces down."""

    kind = "slope"
    order = 8
    words = ("up", "down")
    title = "Slope"
    unit = "°"
    high = 180.0
    about = "Degrees between the surface's normal and up: 0 faces up, 90 vertical, 180 faces down"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 degrees, from the interpolated normal."""
        return np.degrees(np.arccos(np.clip(place.texels.normal[:, 1], -1.0, 1.0))).astype(np.float32)
