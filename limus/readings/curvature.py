"""Reading: curvature."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Curvature(Reading):
    """1 - 2 f with f the part of a ball of this radius that lies inside: -1 deep in a crease, 0 flat, 0.5 a straight
    square edge, 1 a needle tip.
    """

    kind = "curvature"
    order = 1
    words = ("hollow", "edge")
    title = "Curvature"
    reads = ("rays",)
    unit = ""
    size = "radius"
    default_size_mm = 4.0
    grows = 0.5
    low = -1.0
    high = 1.0
    # A straight square edge is 0.5; little lies beyond.
    shown = (-0.6, 0.6)
    colours = "signed"
    about = (
        "1 - 2 f with f the part of a ball of this radius that lies inside: -1 deep in a crease, 0 flat, 0.5 a "
        "straight square edge, 1 a needle tip"
    )

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32; see about."""
        return place.measured.curvature(size_mm)
