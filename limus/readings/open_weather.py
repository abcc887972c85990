"""Rain and sun by direction and open sky: what effects look at that must work before anything but the rays has been
measured.

The readings *rain* and *sun* trace the wind and the sun's path and are exact; they take their time, so recipes ask
for them and effects do not.
"""

from __future__ import annotations

import numpy as np

from limus.readings.driving_rain import rain_vector
from limus.readings.reading import Place
from limus.readings.sun_path import direct_sun

#: What each looks at, see ``READS``.
RAIN_READS = ("rays", "setting.north_deg", "setting.wind_from_deg", "setting.wind_speed", "setting.rain_mm")
SUN_READS = ("rays", "setting.north_deg", "setting.latitude", "setting.day")


def openness(place: Place) -> np.ndarray:
    """(n,) float32 0..1: the sky that is seen against what a free surface of this slope would see, (1 + cos b) / 2."""
    free = (1.0 + place.texels.normal[:, 1]) * 0.5
    return np.clip(np.asarray(place.measured.sky, np.float32) / np.maximum(free, 0.02), 0.0, 1.0)


def rain_by_sky(place: Place) -> np.ndarray:
    """(n,) float32: rain caught against open level ground, hidden by as much as the sky is."""
    vector = rain_vector(place.setting).astype(np.float32)
    return np.asarray(np.maximum(place.texels.normal @ vector, 0.0) * openness(place), np.float32)


def sun_by_sky(place: Place) -> np.ndarray:
    """(n,) float32: direct sun against open level ground, hidden by as much as the sky is."""
    return np.asarray(direct_sun(place.setting, place.texels.normal) * openness(place), np.float32)
