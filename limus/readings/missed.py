"""Reading: misses of the twin."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Missed(Reading):
    """White where no surface of the high-poly twin was found within reach."""

    kind = "missed"
    order = 26
    words = ("found", "missed")
    title = "Twin misses"
    reads = ("rays",)
    about = "White where no surface of the high-poly twin was found within reach"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 0 or 1."""
        return place.measured.missed

    @classmethod
    def missing(cls, place: Place) -> str:
        """Without a twin nothing can be missed."""
        return "" if place.measured.around.twin is not None else "There is no high-poly twin"
