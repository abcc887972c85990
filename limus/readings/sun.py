"""Reading: sun."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Sun(Reading):
    """Direct sun over the day or the year, relative to open level ground."""

    kind = "sun"
    order = 4
    words = ("shade", "sunny")
    title = "Sun"
    reads = ("sun",)
    high = 1.5
    colours = "exposure"
    about = "Direct sun over the day or the year, relative to open level ground"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return place.weather().sun
