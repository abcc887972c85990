"""Reading: part number."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class PartNumber(Reading):
    """Number of the part, from 0, in the order of the file."""

    kind = "part"
    order = 24
    title = "Part number"
    colours = "numbers"
    about = "Number of the part, from 0, in the order of the file"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 whole numbers."""
        return place.texels.part.astype(np.float32)
