"""Reading: height above ground."""

from __future__ import annotations

import numpy as np

from limus.readings.reading import Place, Reading


class Height(Reading):
    """Millimetres above the setting's ground."""

    kind = "height"
    order = 9
    title = "Height"
    reads = ("setting.ground_mm",)
    unit = "mm"
    high = 1000.0
    about = "Millimetres above the ground of the setting"

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 mm."""
        ground = place.setting.ground_mm
        if ground is None:
            ground = float(place.texels.mesh.bounds[0, 1]) * 1000.0
        return (place.texels.position[:, 1] * 1000.0 - ground).astype(np.float32)
