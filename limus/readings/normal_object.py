"""Reading: normal in the axes of the file."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class NormalObject(Reading):
    """Direction the surface faces, in the axes of the file."""

    kind = "normal_object"
    order = 23
    title = "Normal, object"
    low = -1.0
    colours = "vector"
    components = ("x", "y", "z")
    about = "Direction the surface faces, in the axes of the file"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n, 3) float32 unit vectors."""
        return (place.texels.normal @ place.texels.mesh.turn.astype(np.float32)).astype(np.float32)
