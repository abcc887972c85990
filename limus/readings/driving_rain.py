"""How much rain a surface catches, by its direction."""

from __future__ import annotations

import numpy as np

from limus.readings.setting import Setting
from limus.readings.sun_path import compass

#: Hours with rain in a year, from which the mean intensity follows (common practice, no source).
WET_HOURS = 700.0


def wall_share(wind_speed: float, rain_mm_per_hour: float) -> float:
    """Rain on a wall that faces the wind over rain on open ground: 2/9 v r^(8/9) / r (ISO 15927-3, from memory)."""
    if rain_mm_per_hour <= 0:
        return 0.0
    return float(2.0 / 9.0 * wind_speed * rain_mm_per_hour ** (8.0 / 9.0) / rain_mm_per_hour)


def rain_vector(setting: Setting) -> np.ndarray:
    """(3,) where rain comes from: its dot product with an outward unit normal is the rain caught, relative to open
    ground.

    Up it is 1, so that a level surface catches 1; towards the wind it is ``wall_share``, so that a wall at the angle q
    to the wind catches 2/9 v r^(8/9) cos q and one on the lee side nothing.
    """
    share = wall_share(setting.wind_speed, setting.rain_mm / WET_HOURS)
    return np.array([0.0, 1.0, 0.0]) + share * compass(setting, setting.wind_from_deg)
