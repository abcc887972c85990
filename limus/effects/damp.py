"""How anything looks when it is damp or wet: what every effect does that brings water."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from limus.common.kernel import kernel
from limus.effects.effect import Event, film_um
from limus.materials.channels import Sheet, one
from limus.materials.optics import WATER_INSIDE, WATER_IOR, reflectance_at_normal
from limus.materials.substance import VEIL, WATER
from limus.strata.alteration import Alteration, shown
from limus.strata.pile import Coat, Pile
from limus.surface.blur import blur

#: A film of water evens out relief that is no deeper than this, mm: drops hold on to it by surface tension (common
#: practice, no source).
EVENS_MM = 0.35
#: Porosity from which on a surface soaks up as much water as darkens it fully.
SOAKS = 0.10
#: Share of a texel that a film of water covers at most: all of it would take a film without end.
FULL = 0.995


@kernel
def _wet(start, end, color, roughness, metal, porosity, damp, film, soaks, outside, inside, out_color, out_rough):  # type: ignore[no-untyped-def]
    one_, nought = np.float32(1.0), np.float32(0.0)
    for i in range(start, end):
        lum = np.float32(0.2126) * color[i, 0] + np.float32(0.7152) * color[i, 1] + np.float32(0.0722) * color[i, 2]
        wet = one_ - (one_ - outside) * (one_ - lum) / (one_ - inside * lum)
        # What is nearly black stays as it is: the light that the water itself mirrors is its clear coat's.
        ratio = min(wet / max(lum, np.float32(1e-5)), one_)
        # Pores soak; a rough surface darkens under a film even where it has none.
        rough = min(max((roughness[i] - np.float32(0.3)) * np.float32(2.0), nought), one_)
        soak = min(porosity[i] / soaks, one_)
        share = (one_ - metal[i]) * max(
            damp[i] * soak, max(film[i], np.float32(0.35) * damp[i]) * np.float32(0.75) * rough
        )
        share = min(max(share, nought), one_)
        by = one_ + (ratio - one_) * share
        for c in range(3):
            out_color[i, c] = min(color[i, c] * by, color[i, c])
        smooth = min(roughness[i], np.float32(0.12))
        # What is all pores keeps its own roughness: water stands in it, not on it.
        r = roughness[i] * (one_ - np.float32(0.15) * share * max(one_ - porosity[i], nought))
        out_rough[i] = r + (smooth - r) * min(max(film[i], nought), one_)


@dataclass(frozen=True)
class Wetting:
    """Darker by ``optics.wet_albedo`` where it soaks (hue kept), smoother under a film.

    ``damp``, ``film`` : (n,) float32 0..1, water in the pores and on the surface; ``porosity`` (n,) 0..1 of what was
    wetted.
    """

    damp: np.ndarray
    film: np.ndarray
    porosity: np.ndarray

    reads: ClassVar[tuple[str, ...]] = ("base_color", "roughness", "metalness")
    speaks: ClassVar[tuple[str, ...]] = ("base_color", "roughness")

    def values(self, below: Sheet, here: slice) -> dict[str, np.ndarray]:
        """See ``Alteration``."""
        count = here.stop - here.start
        color, rough = np.empty((count, 3), np.float32), np.empty(count, np.float32)
        _wet(
            0, count, *(shown(below, name, count) for name in self.reads), self.porosity[here], self.damp[here],
            self.film[here], np.float32(SOAKS), np.float32(reflectance_at_normal(WATER_IOR)), np.float32(WATER_INSIDE),
            color, rough,
        )  # fmt: skip
        return {"base_color": color, "roughness": rough}

    def at(self, rows: np.ndarray) -> Wetting:
        """See ``Alteration``."""
        return Wetting(self.damp[rows], self.film[rows], self.porosity[rows])


def wetting(pile: Pile, damp: np.ndarray, film: np.ndarray) -> Wetting:
    """What (n,) ``damp`` and ``film`` do to what shows of the pile."""
    return Wetting(*(np.ascontiguousarray(one, np.float32) for one in (damp, film, pile.porosity())))


def wetted(event: Event, wet: Alteration, damp: np.ndarray, film: np.ndarray) -> Coat:
    """The veil that makes what lies below it look wet, where there is water."""
    there = np.where((damp > 1e-4) | (film > 1e-4), np.float32(12.0), np.float32(0.0))
    return Coat(event.layer, event.name, VEIL, there, {}, event.uses, "damp", wet)


def water_coat(
    event: Event, film: np.ndarray, more_mm: np.ndarray | None = None, *, name: str = "", piece: str = "film"
) -> Coat:
    """A film of water with a surface of its own.

    ``film`` (n,) 0..1 how much of a texel it covers; ``more_mm`` (n,) how deep it is besides.
    """
    thickness = film_um(np.minimum(film, FULL), WATER.hide_um)
    if more_mm is not None:
        thickness = thickness + more_mm * 1000.0
    sheet = {
        "coat_weight": one(1.0),
        "coat_roughness": one(0.03),
        "coat_ior": one(WATER_IOR),
        "coat_color": one((1.0, 1.0, 1.0)),
    }
    return event.coat(name or event.name, WATER, thickness, sheet, piece)


def evened_mm(event: Event, pile: Pile, film: np.ndarray) -> np.ndarray:
    """(n,) float32 mm of water that a film holds in the small hollows of the relief."""
    relief = pile.relief()
    texel = event.texel_mm
    smooth = blur(pile.texels, relief, max(1.5, 1.5 * texel))
    return (np.clip(smooth - relief, 0.0, EVENS_MM) * film).astype(np.float32)
