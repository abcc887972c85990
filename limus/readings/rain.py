"""Reading: rain."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Rain(Reading):
    """Driving rain reaching the point, relative to open level ground: 1 there, more on a wall that faces a strong
    wind, 0 on its lee side.
    """

    kind = "rain"
    order = 5
    words = ("dry", "wet")
    title = "Rain"
    reads = ("rain",)
    high = 1.5
    colours = "exposure"
    about = (
        "Driving rain reaching the point, relative to open level ground: 1 there, more on a wall that faces a "
        "strong wind, 0 on its lee side"
    )

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return place.weather().rain
