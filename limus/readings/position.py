"""Reading: position."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Position(Reading):
    """Place in the upright object, from the lowest corner of its box."""

    kind = "position"
    order = 21
    title = "Position"
    unit = "mm"
    high = 1000.0
    colours = "vector"
    components = ("x", "y", "z")
    about = "Place in the upright object, from the lowest corner of its box"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n, 3) float32 mm."""
        low = place.texels.mesh.bounds[0].astype(np.float32)
        return (place.texels.position - low) * 1000.0
