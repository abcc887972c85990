"""Reading: vertex colour."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class VertexColour(Reading):
    """Colours stored at the vertices of the file, linear."""

    kind = "vertex_colour"
    order = 20
    title = "Vertex colour"
    reads = ("colours",)
    colours = "colour"
    painted = True
    components = ("R", "G", "B", "A")
    about = "Colours stored at the vertices of the file, linear"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n, 4) float32 0..1; white where the file brought none."""
        return place.vertex_colour

    @classmethod
    def missing(cls, place: Place) -> str:
        """Without vertex colours there is nothing to look at."""
        if place.colours is not None or place.texels.mesh.colours is not None:
            return ""
        return "The file brought no vertex colours, and none are painted"
