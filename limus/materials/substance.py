"""What a substance is, as far as weathering asks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from limus.common.kernel import fading, kernel
from limus.common.parallel import for_ranges, for_slices

Family = Literal[
    "ferrous", "copper alloy", "zinc", "aluminium", "other metal", "mineral", "timber", "polymer", "textile", "glass",
    "coating", "oxide", "loose", "water", "snow", "growth", "veil",
]  # fmt: skip
#: family -> what it is called where it shows; a veil is no substance and never shows.
FAMILIES: dict[str, str] = {
    "ferrous": "iron or steel",
    "copper alloy": "copper alloy",
    "zinc": "zinc",
    "aluminium": "aluminium",
    "other metal": "other metal",
    "mineral": "stone, concrete or plaster",
    "timber": "timber",
    "polymer": "plastic or rubber",
    "textile": "cloth",
    "glass": "glass",
    "coating": "paint or primer",
    "oxide": "oxide",
    "loose": "dust or dirt",
    "water": "water",
    "snow": "snow",
    "growth": "growth",
}


@dataclass(frozen=True)
class Substance:
    """Physical flags.

    Attributes
    ----------
    hide_um : thickness in micrometres at which 1 - 1/e of what lies below is hidden; coats cover ``1 - exp(-t /
        hide_um)``.
    porosity : 0..1 share of open pores (wetting darkens by it). brittleness : 0 scuffs .. 1 flakes.
    clear : hides nothing; leaves every channel alone that it does not speak in. laid : a skin that was put on, whatever
        it is made of: it chips, peels and wears like paint.
    """

    family: Family
    hide_um: float = 10.0
    porosity: float = 0.0
    brittleness: float = 0.5
    clear: bool = False
    laid: bool = False


@kernel
def _covered(thickness, out, rate):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] = np.float32(1.0) - fading(max(thickness[i], np.float32(0.0)) * rate)


def covered(thickness_um: np.ndarray, substance: Substance) -> np.ndarray:
    """(n,) float32 0..1: how much a coat of this thickness hides, ``1 - exp(-t / hide_um)``."""
    out = np.empty(len(thickness_um), np.float32)
    for_slices(_covered, (np.ascontiguousarray(thickness_um, np.float32), out), np.float32(1.0 / substance.hide_um))
    return out


@kernel
def _thinned(start, end, thickness, gone, hide, out):  # type: ignore[no-untyped-def]
    one = np.float32(1.0)
    for i in range(start, end):
        t = thickness[i]
        if gone[i] <= 0 or t <= 0:
            out[i] = t
            continue
        left = (one - gone[i]) * (one - np.exp(-t / hide))
        out[i] = min(-np.log(one - left) * hide, t) if left > 0 else np.float32(0.0)


def thinned(thickness_um: np.ndarray, gone: np.ndarray, substance: Substance) -> np.ndarray:
    """(n,) float32 micrometres: a coat of which the share ``gone`` (n,) 0..1 of every texel was taken away.

    What is left covers ``1 - gone`` of what it covered before, so shares of area add up: half a texel laid bare shows
    as half. A coat with half its thickness would still hide nearly everything.
    """
    out = np.empty(len(thickness_um), np.float32)
    for_ranges(
        _thinned, len(out), np.ascontiguousarray(thickness_um, np.float32), gone, np.float32(substance.hide_um), out
    )
    return out


PAINT = Substance("coating", hide_um=12.0, porosity=0.02, brittleness=0.7)
PRIMER = Substance("coating", hide_um=10.0, porosity=0.05, brittleness=0.8)
OXIDE = Substance("oxide", hide_um=9.0, porosity=0.4, brittleness=0.6)
DUST = Substance("loose", hide_um=14.0, porosity=0.7, brittleness=0.0)
DIRT = Substance("loose", hide_um=18.0, porosity=0.5, brittleness=0.0)
UNDERCOAT = Substance("coating", hide_um=11.0, porosity=0.04, brittleness=0.75)
LACQUER = Substance("coating", hide_um=6.0, porosity=0.0, brittleness=0.6, clear=True)
DECAL = Substance("coating", hide_um=4.0, porosity=0.02, brittleness=0.4)
STAIN = Substance("loose", hide_um=8.0, porosity=0.3, brittleness=0.0)
SALT = Substance("loose", hide_um=30.0, porosity=0.6, brittleness=0.3)
GREASE = Substance("loose", hide_um=60.0, porosity=0.0, brittleness=0.0)
WATER = Substance("water", hide_um=12.0, porosity=0.0, brittleness=0.0, clear=True)
SNOW = Substance("snow", hide_um=1500.0, porosity=0.6, brittleness=0.1)
FROST = Substance("snow", hide_um=120.0, porosity=0.3, brittleness=0.2)
ALGAE = Substance("growth", hide_um=35.0, porosity=0.5, brittleness=0.0)
MOSS = Substance("growth", hide_um=900.0, porosity=0.9, brittleness=0.0)
LICHEN = Substance("growth", hide_um=60.0, porosity=0.5, brittleness=0.2)
MUD = Substance("loose", hide_um=60.0, porosity=0.45, brittleness=0.3)
LIME = Substance("loose", hide_um=30.0, porosity=0.3, brittleness=0.4)
#: What changes how a surface looks and is nothing itself: it hides nothing, has no height and is no coat in any list.
VEIL = Substance("veil", hide_um=1.0, clear=True)
