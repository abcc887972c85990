"""Reading: run-off."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Runoff(Reading):
    """Water running past, gathered from everything above and from drips, relative to its 99th percentile."""

    kind = "runoff"
    order = 6
    words = ("dry", "running")
    title = "Run-off"
    reads = ("runoff",)
    high = 1.0
    # Most of it runs in few places.
    shown = (0.0, 0.5)
    colours = "exposure"
    about = "Water running past, gathered from everything above and from drips, relative to its 99th percentile"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32, 0 dry, up to 8 in a narrow channel."""
        return place.weather().runoff
