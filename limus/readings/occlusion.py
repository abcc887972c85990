"""Reading: occlusion."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Occlusion(Reading):
    """Cosine-weighted part of the hemisphere hidden within this reach: 0 open, 1 closed."""

    kind = "occlusion"
    order = 2
    words = ("open", "closed")
    title = "Occlusion"
    reads = ("rays",)
    unit = ""
    size = "reach"
    default_size_mm = 64.0
    grows = 0.75
    low = 0.0
    high = 1.0
    colours = "grey"
    about = "Cosine-weighted part of the hemisphere hidden within this reach: 0 open, 1 closed"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return place.measured.occlusion(size_mm)
