"""Which coats of a pile are paint, and what only lies on it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from limus.effects.effect import Event
from limus.materials.substance import DECAL, covered, thinned
from limus.strata.pile import Pile

#: Micrometres from which on a paint counts as being there.
THERE = np.float32(0.5)


def paints_of(pile: Pile) -> list[int]:
    """Numbers of the coats that are paint or another skin that was laid on, oldest first. Lacquer and decals lie on
    paint and go with it; where there is nothing else, they are meant.
    """
    coatings = [k for k, c in enumerate(pile.coats) if c.substance.family == "coating" or c.substance.laid]
    solid = [k for k in coatings if not pile.coats[k].substance.clear and pile.coats[k].substance is not DECAL]
    return solid or coatings


def painted(event: Event) -> np.ndarray:
    """(n,) float32 0..1: how much the topmost paint of each place covers; a step of its own."""
    pile = event.pile
    out = np.zeros(len(pile.skin), np.float32)
    for k in paints_of(pile):
        coat = pile.coats[k]
        out = np.where(coat.thickness > THERE, covered(coat.thickness, coat.substance), out)
    return out


def allowed_by(event: Event) -> np.ndarray:
    """(n,) float32 0..1. Black hides: where the recipe is black nothing breaks, whatever the noise says."""
    return np.minimum(event.mask * 40.0, 1.0)


def breakable(event: Event) -> np.ndarray:
    """(n,) float32 m²: paint of each texel that can break."""
    out: np.ndarray = event.texels.area * event.step(painted) * event.step(allowed_by)
    return out


def of_paint(event: Event, wanted: float, can: np.ndarray) -> tuple[float, str]:
    """How much of what can go has to, so that the share ``wanted`` of the painted area does, 0..1; and a note where
    that is more than all of it. ``can`` (n,) 0..1: where it can.
    """
    there: np.ndarray = event.step(painted)
    area, reachable = event.texels.share(there), event.texels.share(there * can)
    note = ""
    if wanted * area > reachable * 1.001:
        note = (
            f"The place is smaller than the coverage asked for: {reachable / area:.1%} instead of {wanted:.1%} of the "
            "paint"
        )
    return min(wanted * area / max(reachable, 1e-30), 1.0), note


def without(pile: Pile, taken: dict[int, np.ndarray], riding: np.ndarray) -> Pile:
    """The pile without shares (n,) of some coats, by their number; whatever is no paint and lies above the oldest of
    them loses ``riding``.
    """
    first = min(taken, default=len(pile.coats))
    coats = list(pile.coats)
    paints = set(paints_of(pile))
    for k, coat in enumerate(coats):
        gone = taken.get(k)
        if gone is None and k > first and k not in paints:
            gone = riding
        if gone is not None:
            coats[k] = replace(coat, thickness=thinned(coat.thickness, gone, coat.substance))
    return replace(pile, coats=tuple(coats))
