"""Where the sun is: standard solar geometry."""

from __future__ import annotations

import numpy as np

from limus.setting import Setting

#: Middle of each month as a day of the year.
MONTHS = (15, 46, 74, 105, 135, 166, 196, 227, 258, 288, 319, 349)
#: Moments of a day that are looked at.
STEPS = 48


def declination(day: float) -> float:
    """Declination of the sun in degrees (Cooper, "The absorption of radiation in solar stills", Solar Energy 12, 1969)."""
    return 23.45 * float(np.sin(np.radians(360.0 * (284 + day) / 365.0)))


def elevation(latitude: float, day: float, hour: float) -> float:
    """Degrees above the horizon at solar ``hour`` (12 is noon)."""
    return float(np.degrees(np.arcsin(np.clip(_local(latitude, day, np.array([hour]))[0, 2], -1, 1))))


def _local(latitude: float, day: float, hours: np.ndarray) -> np.ndarray:
    """(m, 3) unit vectors towards the sun: east, north, up (Duffie and Beckman, Solar Engineering of Thermal Processes, ch. 1)."""
    d, lat = np.radians(declination(day)), np.radians(latitude)
    h = np.radians((hours - 12.0) * 15.0)
    east = -np.cos(d) * np.sin(h)
    north = np.cos(lat) * np.sin(d) - np.sin(lat) * np.cos(d) * np.cos(h)
    up = np.sin(lat) * np.sin(d) + np.cos(lat) * np.cos(d) * np.cos(h)
    return np.stack([east, north, up], axis=1)


def compass(setting: Setting, bearing_deg: float) -> np.ndarray:
    """(3,) unit vector of a compass bearing (0 north, 90 east) in the object's axes, y = 0.

    ``setting.north_deg`` turns the compass: at 0 north is -z and east +x, as on a plan seen from above with +z towards you.
    """
    a = np.radians(bearing_deg + setting.north_deg)
    return np.array([np.sin(a), 0.0, -np.cos(a)])


def sun_directions(setting: Setting) -> np.ndarray:
    """(days, STEPS, 3) float32 towards the sun over one day, or over the twelve months; y <= 0 where it is down."""
    days = (setting.day,) if setting.day is not None else MONTHS
    hours = (np.arange(STEPS) + 0.5) * 24.0 / STEPS
    north, east = compass(setting, 0.0), compass(setting, 90.0)
    out = []
    for day in days:
        local = _local(setting.latitude, day, hours)
        out.append(local[:, :1] * east + local[:, 1:2] * north + local[:, 2:] * np.array([0.0, 1.0, 0.0]))
    return np.stack(out).astype(np.float32)
