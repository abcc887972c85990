"""Effect: peeling."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, raised
from limus.effects.films import THERE, allowed_by, breakable, of_paint, painted, paints_of, without
from limus.masks.coverage import SoftLevels
from limus.masks.recipe import Recipe, term
from limus.masks.shape import smoothstep
from limus.masks.sources.low import LowDown
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.slope import SlopeSource
from limus.patterns.fractures import mean_over
from limus.surface.blur import blur

#: Half the width of the edge of a sheet, in the potential.
WIDTH = 0.01


class Peeling(Effect):
    """Sheets of paint come off along the cracks of the coat.

    The topmost paint breaks along a network of cracks; whole sheets of it are released where sun or damp got under it.
    What is left stands up along the torn line, and further cracks run on into what still holds.
    """

    kind: Literal["peeling"] = "peeling"
    order: ClassVar[int] = 2
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Peeling"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "late"
    group: ClassVar[Group] = "Paint and its losses"
    photographed: ClassVar[dict[str, str]] = {"share": "coverage", "size": "sheet_mm"}
    acts_on: ClassVar[tuple[str, ...]] = ("coating",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer", "mineral")
    figures: ClassVar[str] = "Growth by the square of time: common practice, no source"
    summary: ClassVar[str] = "Sheets of the topmost paint let go along its cracks and curl at the torn line"
    when: ClassVar[str] = "For thick or old paint that lost its hold: sunny walls, damp feet, paint on timber and zinc"

    coverage: float = number(
        0.12, "Coverage", "%", 0.0, 1.0, (0.0, 0.6), "Share of the painted area that has come off", place="amount"
    )
    sheet_mm: float = number(
        24.0, "Sheet size", "mm", 0.5, 1000.0, (3.0, 120.0), "Width of a sheet", log=True, grows=0.6
    )
    crack_mm: float = number(
        0.35, "Cracks", "mm", 0.0, 10.0, (0.0, 2.0), "Width of the cracks in what still holds", grows=0.4
    )
    curl_mm: float = number(0.7, "Curl", "mm", 0.0, 50.0, (0.0, 4.0), "How far the torn line stands up", grows=0.5)
    through: float = number(
        0.35, "Takes the primer along", "%", 0.0, 1.0,
        about="Share of the peeled area where the coats below went as well",
    )  # fmt: skip

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Where the sun bakes or damp rises, in a few wide regions."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.35, high=0.9, out_low=0.35),
                term(LowDown(top_mm=size.mm(220.0, 1.0)), combine="screen", amount=0.7),
                term(Sheltered(reach_mm=size.mm(60.0, 0.75)), low=0.3, high=0.9, combine="add", amount=0.3),
                term(Noise(size_mm=size.mm(300.0, 1.0), octaves=4, seed=21), low=0.35, high=0.75),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Take the sheets off the topmost paint of the pile."""
        pile = event.pile
        paints = paints_of(pile)
        if not paints:
            return event.nothing("There is no paint to peel: put a paint layer before it")
        there = event.step(painted)
        wanted = self.coverage * event.strength
        if wanted <= 0:
            return event.nothing("The coverage is 0")
        allowed = event.step(allowed_by)
        if not anywhere(allowed * there > 0.004):
            return event.nothing("The mask is black wherever there is paint")
        potential, edge = event.step(self._potential)
        share, note = of_paint(event, wanted, allowed)
        levels: SoftLevels = event.step(self._levels)
        level = levels.level(share)
        gone = event.antialiased(smoothstep(potential, level - WIDTH, level + WIDTH) * allowed)
        # Cracks run on around what came off and die away.
        around = np.clip((potential - (level - 0.22)) * 5.0, 0.0, 1.0) * allowed
        half = max(0.5 * self.crack_mm, 0.25 * pile.texels.texel_mm)
        crack = np.clip(1.0 - edge / (half * 1.5), 0.0, 1.0) * around * min(0.5 * self.crack_mm / half, 1.0)
        top_gone = np.maximum(gone, crack * 0.85)
        deeper = event.noise(self.sheet_mm * 1.3, octaves=4, salt=65)
        below = np.clip((deeper - _quantile(self.through)) * 6.0, 0.0, 1.0)
        deep = (gone > 1e-3) * event.antialiased(below)
        # The topmost paint of a place goes; those below it where the sheet took them along.
        taken: dict[int, np.ndarray] = {}
        over = np.zeros(len(gone), bool)
        for k in reversed(paints):
            taken[k] = np.where(over, deep, top_gone).astype(np.float32)
            over |= pile.coats[k].thickness > THERE
        out = without(pile, taken, top_gone)
        if self.curl_mm > 0:
            width = max(0.11 * self.sheet_mm, 1.5 * pile.texels.texel_mm)
            near = blur(pile.texels, gone, width)
            held = np.clip(0.55 + 0.6 * event.noise(self.sheet_mm * 0.8, octaves=3, salt=66), 0.0, 1.0)
            curl = np.square(np.minimum(near * 1.9, 1.0)) * (1.0 - gone) * there * held
            out = raised(out, curl * min(self.curl_mm, 0.12 * self.sheet_mm))
        return Outcome(out, top_gone * there, note)

    def _levels(self, event: Event) -> SoftLevels:
        return SoftLevels(event.step(self._potential)[0], event.step(breakable), WIDTH)

    def _potential(self, event: Event) -> tuple[np.ndarray, np.ndarray]:
        """(n,) nearly even within each sheet, and (n,) mm to the nearest crack."""
        pieces = event.fractures(self.sheet_mm, bend=0.22, salt=61)
        out = mean_over(pieces.number[0], event.mask, event.texels.area) * 0.9
        for k, value in enumerate(pieces.value):
            out += (value - 0.5) * (0.42, 0.16, 0.07)[k]
        # A tear does not follow the crack all the way: bits of the sheet hold on.
        out += event.noise(self.sheet_mm * 0.35, octaves=3, gain=0.6, salt=62) * 0.035
        out += event.noise(self.sheet_mm * 5.0, octaves=3, salt=63) * 0.10
        return out, event.cells(self.sheet_mm * 0.55, salt=64, edges=True).edge


def _quantile(share: float) -> float:
    """The value that a noise of deviation 1 exceeds on this share of the surface (logistic stand-in for the normal
    distribution).
    """
    share = min(max(share, 1e-4), 1 - 1e-4)
    return float(np.log((1 - share) / share) / 1.702)
