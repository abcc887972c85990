"""Reading: normal in the world."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class NormalWorld(Reading):
    """Direction the surface faces, with y up."""

    kind = "normal_world"
    order = 22
    title = "Normal, world"
    low = -1.0
    colours = "vector"
    components = ("x", "y", "z")
    about = "Direction the surface faces, with y up"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n, 3) float32 unit vectors."""
        return place.texels.normal
