"""Reading: distance to the neighbours."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading
from limus.surface.nearest import distance_to


class Proximity(Reading):
    """Millimetres to the nearest point of a neighbouring object, cut off at the reach."""

    kind = "proximity"
    order = 10
    words = ("touching", "far")
    title = "Proximity"
    reads = ("neighbours",)
    unit = "mm"
    size = "reach"
    default_size_mm = 500.0
    grows = 1.0
    about = "Distance to the nearest neighbouring object, cut off at this reach"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 mm, 0 .. reach; the reach everywhere without neighbours."""
        near = place.measured.around.neighbours
        if near is None:
            return np.full(len(place.texels), size_mm, np.float32)
        return distance_to(place.texels.position, near.positions, near.triangles, size_mm / 1000.0) * 1000.0

    @classmethod
    def missing(cls, place: Place) -> str:
        """Nothing stands by."""
        return "" if place.measured.around.neighbours is not None else "There are no neighbours"
