"""Where things grow: how damp, how shaded, how rough, and what holds on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.effects.effect import Event, ramp
from limus.readings.open_weather import RAIN_READS, SUN_READS, openness, rain_by_sky, sun_by_sky

#: What ``habitat`` looks at, see ``READS``.
HABITAT_READS = tuple(sorted({*RAIN_READS, *SUN_READS}))


#: Damp creeps no further than this from a crack into its lips, however large the object, mm (common practice, no
#: source).
CREEPS_MM = 25.0


@dataclass(frozen=True)
class Habitat:
    """Each (n,) float32 0..1. ``damp``: how wet it stays, from rain, run-off and shelter; ``shade``: how little sun
    it gets; ``light``: open sky;
    ``hold``: how rough and porous the surface is; ``joint``: in joints and cracks; ``hollow``: in corners.
    """

    damp: np.ndarray
    shade: np.ndarray
    light: np.ndarray
    hold: np.ndarray
    joint: np.ndarray
    hollow: np.ndarray


def habitat(event: Event, corner_mm: float, crack_mm: float) -> Habitat:
    """The surface before this layer as something that grows sees it.

    ``corner_mm`` : rounding of the corners that count. ``crack_mm`` : how far from a crack's lips it is damp where it
    is damp at all.
    """
    pile, made, pores = event.pile, event.step(_weather, corner_mm), event.porosity()
    rough = event.visible().get("roughness", np.float32(0.5))
    hold = np.clip(0.30 + pores * 4.0 + (rough - 0.45) * 0.8, 0.05, 1.0)
    joint = pile.marks.joint if pile.marks.joint is not None else np.zeros(len(made), np.float32)
    if pile.cleft is not None:
        joint = np.maximum(joint, _along(event, pile.cleft, made[:, 0], min(crack_mm, CREEPS_MM)))
    damp = np.clip(made[:, 0] + 0.35 * joint, 0.0, 1.2)
    hold = np.broadcast_to(hold, damp.shape).astype(np.float32)
    return Habitat(
        damp.astype(np.float32),
        made[:, 1].copy(),
        made[:, 2].copy(),
        hold,
        np.asarray(joint, np.float32),
        made[:, 3].copy(),
    )


def _weather(event: Event, corner_mm: float) -> np.ndarray:
    """(n, 4) float32: damp without joints, shade, open sky, hollows."""
    place = event.scope.place
    sun, rain = np.minimum(sun_by_sky(place), 1.4), np.minimum(rain_by_sky(place), 1.0)
    ran = event.run_down(rain, 30.0 * corner_mm)
    shade = 1.0 - np.minimum(sun / 1.1, 1.0)
    curve = place.measured.curvature(corner_mm)
    hollow = np.clip((-2.2) * curve, 0.0, 1.0)
    open_ = openness(place)
    # What the sun and the wind get at dries; what is right under cover never gets wet.
    damp = 0.40 * ran + 0.42 * shade + 0.30 * hollow - 0.7 * np.maximum(curve, 0)
    damp = damp * ramp(open_, 0.02, 0.22)
    return np.stack([damp, shade, open_, hollow], axis=1).astype(np.float32)


def _along(event: Event, cleft: np.ndarray, damp: np.ndarray, crack_mm: float) -> np.ndarray:
    """(n,) float32 0..1: by cracks, as wide as it is damp there, in patches: a net of one width all over is what
    nobody has ever seen.
    """
    patches = event.noise(8.0 * crack_mm, octaves=4, gain=0.6, salt=261)
    reach = crack_mm * np.clip(1.1 * damp + 0.45 * patches - 0.1, 0.0, 1.5)
    # What is narrower than a texel counts by its share of it.
    wide = np.maximum(reach, event.texel_mm)
    return np.asarray(np.clip(1.0 - cleft / wide, 0.0, 1.0) * reach / wide, np.float32)
