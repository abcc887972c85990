"""What a substance is, as far as weathering asks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Family = Literal["ferrous", "copper alloy", "other metal", "mineral", "timber", "polymer", "textile", "coating", "oxide", "loose", "veil"]


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


PAINT = Substance("coating", hide_um=12.0, porosity=0.02, brittleness=0.7)
PRIMER = Substance("coating", hide_um=10.0, porosity=0.05, brittleness=0.8)
OXIDE = Substance("oxide", hide_um=9.0, porosity=0.4, brittleness=0.6)
DUST = Substance("loose", hide_um=14.0, porosity=0.7, brittleness=0.0)
DIRT = Substance("loose", hide_um=18.0, porosity=0.5, brittleness=0.0)
