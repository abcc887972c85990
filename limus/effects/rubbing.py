"""Effect: rubbing through."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.effects.films import THERE, of_paint, painted, paints_of
from limus.masks.coverage import level_for
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one


class Rubbing(Effect):
    """Hands, feet and cloth take the paint away bit by bit: thinner and thinner, through each coat in turn.

    Micrometres are taken from the top down, so the coats show as bands that run into one another, and what is laid
    bare is polished.
    """

    kind: Literal["rubbing"] = "rubbing"
    order: ClassVar[int] = 3
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Rubbing through"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "even"
    group: ClassVar[Group] = "Paint and its losses"
    photographed: ClassVar[dict[str, str]] = {"share": "coverage"}
    acts_on: ClassVar[tuple[str, ...]] = ("coating",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    summary: ClassVar[str] = "Smooth wear on handled edges and bulges, coat by coat, down to polished metal or wood"
    when: ClassVar[str] = (
        "For what hands, sleeves, boots or ropes pass over: handles, rails, lids, treads; or for a sanded look"
    )

    coverage: float = number(
        0.06, "Coverage", "%", 0.0, 1.0, (0.0, 0.4), "Share of the painted area that is worn through the topcoat",
        place="amount",
    )  # fmt: skip
    soft: float = number(0.45, "Softness", "%", 0.02, 1.0, about="How gradually it goes from untouched to worn through")
    distress_mm: float = number(
        14.0, "Distress size", "mm", 0.2, 1000.0, (1.0, 100.0), "Pattern that keeps the wear from being even", log=True,
        grows=0.6,
    )  # fmt: skip
    distress: float = number(0.5, "Distress", "%", 0.0, 1.0, about="How much that pattern has to say")
    polish: float = number(
        0.6, "Polished", "%", 0.0, 1.0, about="How much smoother the rubbed places are than the rest"
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """What stands out and can be reached; one side of the object more than the other."""
        return Recipe(
            terms=[
                term(Edges(radius_mm=size.mm(14.0, 0.75)), low=0.02, high=0.4),
                term(Edges(radius_mm=size.mm(60.0, 0.9)), low=0.02, high=0.4, combine="screen", amount=0.7),
                term(Sheltered(reach_mm=size.mm(40.0, 0.75)), low=0.1, high=0.6, invert=True),
                term(Noise(size_mm=size.mm(360.0, 1.0), octaves=3, seed=31), low=0.3, high=0.75, out_low=0.08),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Wear the coats down."""
        pile = event.pile
        paints = paints_of(pile)
        if not paints:
            return event.nothing("There is no paint to rub through: put a paint layer before it")
        wanted = self.coverage * event.strength
        if wanted <= 0:
            return event.nothing("The coverage is 0")
        there = event.step(painted)
        if not anywhere(event.mask * there > 0.004):
            return event.nothing("The mask is black wherever there is paint")
        wear = event.step(self._wear)
        can = event.mask > 0.004
        share, note = of_paint(event, wanted, can)
        level = level_for(wear, pile.texels.area * there * can, share)
        # At the level the topmost paint is just worn through, which is when half of what is below shows (ln 2 hiding
        # thicknesses are left); beyond it the coats below follow.
        top: np.ndarray = np.zeros(len(wear), np.float32)
        whole: np.ndarray = np.zeros(len(wear), np.float32)
        for k in range(paints[0], len(pile.coats)):
            coat = pile.coats[k]
            if coat.substance.family == "veil":
                continue
            whole = whole + coat.thickness
            # What lies on the topmost paint has to go first.
            top = np.where(coat.thickness > THERE, coat.thickness if k in paints else top + coat.thickness, top)
        through = np.maximum(top - np.float32(np.log(2.0) * pile.coats[paints[-1]].substance.hide_um), 0.0)
        slope = whole * (1.0 / max(self.soft * 0.35, 0.01))
        take = np.maximum(through + (wear - level) * slope, 0.0) * (event.mask > 0.004)
        left = take.astype(np.float32)
        coats = list(pile.coats)
        for k in reversed(range(len(coats))):
            coat = coats[k]
            if k < paints[0] or coat.substance.family == "veil":
                continue
            gone = np.minimum(left, coat.thickness)
            coats[k] = replace(coat, thickness=coat.thickness - gone)
            left = left - gone
        worn = replace(pile, coats=tuple(coats))
        most = np.maximum(through, 1.0)
        shown = (np.clip((take - most * 0.75) / (most * 0.5), 0.0, 1.0) * there).astype(np.float32)
        if self.polish > 0:
            touched = np.clip(take / most, 0.0, 1.0)
            worn = worn.with_coat(event.veil(touched * (0.75 * self.polish), {"roughness": one(0.22)}, "polish"))
        return Outcome(worn, shown, note)

    def _wear(self, event: Event) -> np.ndarray:
        wide = event.noise(self.distress_mm * 4.0, octaves=3, salt=71)
        fine = event.noise(self.distress_mm, octaves=5, gain=0.6, salt=72)
        grain = event.noise(max(self.distress_mm * 0.12, 0.3), octaves=2, salt=73)
        return event.mask + self.distress * (0.17 * wide + 0.12 * fine + 0.03 * grain)
