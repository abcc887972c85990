"""Where the sun is: standard solar geometry."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy

from limus.readings.setting import Setting

#: Days of the year that are looked at, evenly spread, and moments between sunrise and sunset of each.
DAYS, STEPS = 36, 96


def declination(day: float) -> float:
    """Declination of the sun in degrees (Cooper, "The absorption of radiation in solar stills", Solar Energy 12,
    1969).
    """
    return 23.45 * float(np.sin(np.radians(360.0 * (284 + day) / 365.0)))


def elevation(latitude: float, day: float, hour: float) -> float:
    """Degrees above the horizon at solar ``hour`` (12 is noon)."""
    return float(np.degrees(np.arcsin(np.clip(_local(latitude, day, np.array([hour]))[0, 2], -1, 1))))


def _local(latitude: float, day: float, hours: np.ndarray) -> np.ndarray:
    """(m, 3) unit vectors towards the sun: east, north, up (Duffie and Beckman, Solar Engineering of Thermal
    Processes, ch. 1).
    """
    d, lat = np.radians(declination(day)), np.radians(latitude)
    h = np.radians((hours - 12.0) * 15.0)
    east = -np.cos(d) * np.sin(h)
    north = np.cos(lat) * np.sin(d) - np.sin(lat) * np.cos(d) * np.cos(h)
    up = np.sin(lat) * np.sin(d) + np.cos(lat) * np.cos(d) * np.cos(h)
    return np.stack([east, north, up], axis=1)


def compass(setting: Setting, bearing_deg: float) -> np.ndarray:
    """(3,) unit vector of a compass bearing (0 north, 90 east) in the object's axes, y = 0.

    ``setting.north_deg`` turns the compass: at 0 north is -z and east +x, as on a plan seen from above with +z
    towards you.
    """
    a = np.radians(bearing_deg + setting.north_deg)
    return np.array([np.sin(a), 0.0, -np.cos(a)])


def daylight(latitude: float, day: float) -> float:
    """Hours from sunrise to sunset, 0..24 (Duffie and Beckman, equation 1.6.11: cos w = -tan(latitude)
    tan(declination)).
    """
    lat = np.radians(np.clip(latitude, -89.999, 89.999))
    cosine = -np.tan(lat) * np.tan(np.radians(declination(day)))
    return float(2.0 * np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))) / 15.0)


def sun_at(setting: Setting, day: float, hour: float) -> tuple[float, float]:
    """Where the sun stands on a day of the year at solar ``hour``: degrees about up from +z towards +x in the object's
    axes, and above the horizon (below 0: it is night).
    """
    local = _local(setting.latitude, day, np.array([hour]))[0]
    x, y, z = (
        local[0] * compass(setting, 90.0) + local[1] * compass(setting, 0.0) + local[2] * np.array([0.0, 1.0, 0.0])
    )
    return float(np.degrees(np.arctan2(x, z))), float(np.degrees(np.arcsin(np.clip(y, -1.0, 1.0))))


def sun_directions(setting: Setting) -> tuple[np.ndarray, np.ndarray]:
    """Towards the sun, over the day of the setting or over the year.

    Returns
    -------
    (days, STEPS, 3) float32 unit vectors at moments evenly spread from sunrise to sunset; (days,) float32 hours that
    each of them stands for, 0 in the polar night.
    """
    days = (setting.day,) if setting.day is not None else tuple((k + 0.5) * 365.0 / DAYS for k in range(DAYS))
    north, east = compass(setting, 0.0), compass(setting, 90.0)
    out, hours = [], []
    for day in days:
        length = daylight(setting.latitude, day)
        local = _local(setting.latitude, day, 12.0 + length * ((np.arange(STEPS) + 0.5) / STEPS - 0.5))
        out.append(local[:, :1] * east + local[:, 1:2] * north + local[:, 2:] * np.array([0.0, 1.0, 0.0]))
        hours.append(length / STEPS)
    return np.stack(out).astype(np.float32), np.array(hours, np.float32)


#: Degrees between the directions that the sphere is tabulated at.
_GRID = 2


@lru_cache(maxsize=64)
def _sphere(latitude: float, day: int | None, north_deg: float) -> np.ndarray:
    directions, hours = sun_directions(Setting(latitude=latitude, day=day, north_deg=north_deg))
    lit = directions[:, :, 1] > 0
    towards = directions[lit]
    weight = np.broadcast_to(hours[:, None], lit.shape)[lit]
    height, turn = np.radians(np.arange(-90, 91, _GRID)), np.radians(np.arange(0, 361, _GRID))
    ring = np.cos(height)[:, None]
    up = np.broadcast_to(np.sin(height)[:, None], (len(height), len(turn)))
    grid = np.stack([ring * np.cos(turn), up, ring * np.sin(turn)], axis=2).reshape(-1, 3).astype(np.float32)
    table = np.zeros(len(grid), np.float32)
    for start in range(0, len(grid) if len(towards) else 0, 2048):
        rows = slice(start, start + 2048)
        table[rows] = np.maximum(grid[rows] @ towards.T, 0.0) @ weight
    ground = float(np.maximum(towards[:, 1], 0.0) @ weight) if len(towards) else 0.0
    out: np.ndarray = (table / max(ground, 1e-30)).reshape(len(height), len(turn)).astype(np.float32)
    out.setflags(write=False)
    return out


def direct_sun(setting: Setting, normals: np.ndarray) -> np.ndarray:
    """(n,) float32: the sun that unhidden surfaces with unit ``normals`` (n, 3) catch against open level ground, over
    the day of the setting or over the year: integrals of the cosine over the time that it is above 0. Read from a table
    of the sphere in steps of two degrees, which is off by less than 2e-4 of level ground. 0 everywhere in the polar
    night.
    """
    table = _sphere(setting.latitude, setting.day, setting.north_deg)
    at = np.stack(
        [
            (np.degrees(np.arcsin(np.clip(normals[:, 1], -1.0, 1.0))) + 90.0) / _GRID,
            (np.degrees(np.arctan2(normals[:, 2], normals[:, 0])) % 360.0) / _GRID,
        ]
    )
    out: np.ndarray = scipy.ndimage.map_coordinates(table, at, order=1, mode="nearest", output=np.float32)
    return out
