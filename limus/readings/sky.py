"""Reading: sky."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Sky(Reading):
    """View factor to the unobstructed sky: an open plane tilted by b sees (1 + cos b) / 2."""

    kind = "sky"
    order = 3
    words = ("hidden", "open sky")
    title = "Sky"
    reads = ("rays",)
    unit = ""
    size = ""
    default_size_mm = 0.0
    low = 0.0
    high = 1.0
    colours = "exposure"
    about = "View factor to the unobstructed sky: an open plane tilted by b sees (1 + cos b) / 2"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return place.measured.sky
