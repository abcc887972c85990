"""Reading: thickness."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Thickness(Reading):
    """Way through the solid below the point, mean over a cone of 30 degrees in all, capped."""

    kind = "thickness"
    order = 7
    words = ("thin", "thick")
    title = "Thickness"
    reads = ("rays",)
    unit = "mm"
    size = "reach"
    default_size_mm = 128.0
    grows = 1.0
    low = 0.0
    high = 128.0
    colours = "grey"
    about = "Way through the solid below the point, mean over a cone of 30 degrees in all, capped"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return np.minimum(place.measured.thickness, size_mm)
