"""Set-ups of light: what stands all round, and one key light with shadows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

#: Linear radiance (n, 3) from azimuth and elevation (n,), degrees; 1 is a white wall in the workshop.
Sky = Callable[[np.ndarray, np.ndarray], np.ndarray]
_GROUND = np.array([0.2, 0.19, 0.17])


@dataclass(frozen=True)
class Setup:
    """A set-up.

    Attributes
    ----------
    sky : the surroundings. around, key : how strong they and the key light are. tint : (3,) of the key light.
    exposure : what the picture is multiplied by before its tone curve. azimuth, elevation : where the key light stands
        by itself, degrees; azimuth about up from +z towards +x.
    """

    title: str
    sky: Sky
    around: float
    key: float
    tint: tuple[float, float, float]
    exposure: float
    azimuth: float
    elevation: float


def _soft(x: np.ndarray, low: float, high: float) -> np.ndarray:
    t = np.clip((x - low) / (high - low), 0.0, 1.0)
    return np.asarray(t * t * (3 - 2 * t))


def _pane(az: np.ndarray, el: np.ndarray, a0: float, e0: float, a: float, b: float) -> np.ndarray:
    """1 inside a window of half sizes (a, b) about (a0, e0), degrees, with a soft frame."""
    d = np.abs((az - a0 + 540) % 360 - 180)
    return np.asarray((1 - _soft(d, a - 3, a + 3)) * (1 - _soft(np.abs(el - e0), b - 3, b + 3)))


def _workshop(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    """An overcast sky through one tall window, two small ones opposite and a long roof light, a pale room, a grey
    floor.
    """
    level = np.where(el > 0, 0.36 + 0.16 * _soft(el, 0, 80), 0.2 + 0.08 * _soft(-el, 0, 60))
    warm = np.where(el > 0, 0.0, 0.05)
    window = _pane(az, el, -55, 30, 34, 26)
    level = level + window * 3.0 * np.where(np.abs((az + 55 + 360) % 23 - 11.5) < 1.2, 0.35, 1.0)
    level = level + _pane(az, el, 120, 62, 60, 12) * 1.8
    rungs = np.where(np.abs(el - 21) < 1.1, 0.3, 1.0)
    level = level + (_pane(az, el, 58, 21, 13, 17) + _pane(az, el, 104, 21, 13, 17)) * 3.2 * rungs
    warm = warm - window * 0.04
    return np.stack([level * (1 + warm), level, level * (1 - warm)], axis=-1)


def _over_ground(above: np.ndarray, el: np.ndarray, ground: np.ndarray = _GROUND) -> np.ndarray:
    return np.where((el < 0)[..., None], ground, above)


def _overcast(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    """Three times as bright overhead as at the horizon: the sky of CIE S 011 (Moon and Spencer, 1942)."""
    sine = np.sin(np.radians(np.maximum(el, 0)))
    return _over_ground((0.9 * (1 + 2 * sine) / 3)[..., None] * np.array([0.97, 1, 1.04]), el)


def _clear(top: tuple[float, ...], rim: tuple[float, ...]) -> Sky:
    def sky(az: np.ndarray, el: np.ndarray) -> np.ndarray:
        return _over_ground(np.array(rim) + (np.array(top) - rim) * _soft(el, 0, 55)[..., None], el)

    return sky


def _dusk(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    band = (1 - _soft(el, 0, 16)) * (0.35 + 0.65 * np.maximum(0, np.cos(np.radians(az + 60))))
    low, high = np.array([0.06, 0.09, 0.18]), np.array([0.95, 0.42, 0.18])
    return _over_ground(low + (high - low) * band[..., None], el, _GROUND * 0.25)


def _dark(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    return np.where((el > 0)[..., None], np.array([0.045, 0.045, 0.05]), np.array([0.03, 0.03, 0.03]))


def _tubes(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    """Five tubes along a ceiling."""
    across = np.cos(np.radians(az)) * (90 - el)
    lamp = np.where((el > 25) & (np.abs((across + 97.5) % 39 - 19.5) < 4.5), 7.0, 0.0)
    level = np.where(el > 0, 0.22, 0.13) + lamp * _soft(el, 25, 32)
    return np.asarray(level[..., None] * np.array([1, 0.97, 0.9]))


def _below(az: np.ndarray, el: np.ndarray) -> np.ndarray:
    return np.where((el < -8)[..., None], np.full(3, 3.4), np.array([0.16, 0.16, 0.17]))


_NOON = _clear((0.22, 0.42, 0.95), (0.62, 0.72, 0.86))
_EVENING = _clear((0.2, 0.3, 0.55), (0.75, 0.6, 0.45))
#: By name, the one that a picture begins with first; those of the view (``web/src/view3d/lights.ts``).
SETUPS: dict[str, Setup] = {
    "north": Setup("North window", _workshop, 0.85, 2.7, (1, 1, 1), 0.66, -35, 48),
    "overcast": Setup("Overcast", _overcast, 1.25, 0.25, (1, 1, 1), 0.8, -20, 70),
    "noon": Setup("Clear noon", _NOON, 0.6, 4.4, (1, 0.96, 0.88), 0.56, 25, 62),
    "low-sun": Setup("Low sun", _EVENING, 0.7, 4.2, (1, 0.66, 0.36), 0.72, -52, 14),
    "dusk": Setup("Dusk", _dusk, 2.0, 0.5, (0.5, 0.62, 1), 1.3, 120, 40),
    "tubes": Setup("Row of lamps", _tubes, 0.95, 0.9, (1, 0.96, 0.88), 0.66, 10, 78),
    "grazing": Setup("Grazing lamp", _dark, 2.2, 7.5, (1, 0.9, 0.76), 0.9, -74, 8),
    "table": Setup("From below", _below, 0.55, 0.3, (1, 1, 1), 0.66, 0, 80),
}


def panorama(setup: Setup, width: int = 256) -> np.ndarray:
    """(width / 2, width, 3) float32 linear: the surroundings, azimuth -180 to 180 from left to right, elevation -90 to
    90 from the first row to the last.
    """
    height = width // 2
    az = (np.arange(width) + 0.5) / width * 360 - 180
    el = (np.arange(height) + 0.5) / height * 180 - 90
    return np.asarray(setup.sky(*np.meshgrid(az, el)), np.float32)
