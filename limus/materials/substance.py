"""What a substance is, as far as weathering asks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from limus.parallel import for_ranges, kernel

Family = Literal[
    "ferrous",
    "copper alloy",
    "other metal",
    "mineral",
    "timber",
    "polymer",
    "textile",
    "coating",
    "oxide",
    "loose",
    "water",
    "veil",
]


@dataclass(frozen=True)
class Substance:
    """Physical flags.

    Attributes
    ----------
    hide_um : thickness in micrometres at which 1 - 1/e of what lies below is hidden; coats cover ``1 - exp(-t / hide_um)``.
    porosity : 0..1 share of open pores (wetting darkens by it). brittleness : 0 scuffs .. 1 flakes.
    clear : hides nothing; speaks through the clear-coat channels only.
    """

    family: Family
    hide_um: float = 10.0
    porosity: float = 0.0
    brittleness: float = 0.5
    clear: bool = False


@kernel
def _covered(start, end, thickness, hide, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = np.float32(1.0) - np.exp(-thickness[i] / hide) if thickness[i] > 0 else np.float32(0.0)


def covered(thickness_um: np.ndarray, substance: Substance) -> np.ndarray:
    """(n,) float32 0..1: how much a coat of this thickness hides, ``1 - exp(-t / hide_um)``."""
    out = np.empty(len(thickness_um), np.float32)
    for_ranges(_covered, len(out), np.ascontiguousarray(thickness_um, np.float32), np.float32(substance.hide_um), out)
    return out


PAINT = Substance("coating", hide_um=12.0, porosity=0.02, brittleness=0.7)
PRIMER = Substance("coating", hide_um=10.0, porosity=0.05, brittleness=0.8)
OXIDE = Substance("oxide", hide_um=9.0, porosity=0.4, brittleness=0.6)
DUST = Substance("loose", hide_um=14.0, porosity=0.7, brittleness=0.0)
DIRT = Substance("loose", hide_um=18.0, porosity=0.5, brittleness=0.0)
