"""Reading: island number."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class IslandNumber(Reading):
    """Number of the UV island, from 0."""

    kind = "island"
    order = 25
    title = "Island number"
    colours = "numbers"
    about = "Number of the UV island, from 0"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 whole numbers."""
        return place.texels.island.astype(np.float32)
