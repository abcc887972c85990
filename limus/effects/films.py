"""Which coats of a pile are paint, and what only lies on it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

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


def painted(pile: Pile, paints: list[int]) -> np.ndarray:
    """(n,) float32 0..1: how much the topmost paint of each place covers."""
    out = np.zeros(len(pile.skin), np.float32)
    for k in paints:
        coat = pile.coats[k]
        out = np.where(coat.thickness > THERE, covered(coat.thickness, coat.substance), out)
    return out


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
