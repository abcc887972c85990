"""Effect: rubbing through."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Group, Kind, Outcome
from limus.fields import number
from limus.masks.coverage import level_for
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import SHEEN, covered
from limus.object_size import ONE_METRE, ObjectSize
from limus.strata.pile import Coat


class Rubbing(Effect):
    """Hands, feet and cloth take the paint away bit by bit: thinner and thinner, through each coat in turn.

    Micrometres are taken from the top down, so the coats show as bands that run into one another, and what is laid bare is polished.
    """

    kind: Literal["rubbing"] = "rubbing"
    order: ClassVar[int] = 3
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Rubbing through"
    group: ClassVar[Group] = "Paint and its losses"
    acts_on: ClassVar[tuple[str, ...]] = ("coating",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    sets_coverage: ClassVar[bool] = True
    summary: ClassVar[str] = "Smooth wear on handled edges and bulges, coat by coat, down to polished metal or wood"
    when: ClassVar[str] = "For what hands, sleeves, boots or ropes pass over: handles, rails, lids, treads; or for a sanded look"

    coverage: float = number(
        0.06, "Coverage", "%", 0.0, 1.0, (0.0, 0.4), "Share of the painted area that is worn through the topcoat", place="amount"
    )
    soft: float = number(0.45, "Softness", "%", 0.02, 1.0, about="How gradually it goes from untouched to worn through")
    distress_mm: float = number(
        14.0, "Distress size", "mm", 0.2, 1000.0, (1.0, 100.0), "Pattern that keeps the wear from being even", log=True, grows=0.6
    )
    distress: float = number(0.5, "Distress", "%", 0.0, 1.0, about="How much that pattern has to say")
    polish: float = number(0.6, "Polished", "%", 0.0, 1.0, about="How much smoother the rubbed places are than the rest")

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
        nothing = np.zeros(len(event.mask), np.float32)
        paints = [k for k, c in enumerate(pile.coats) if c.substance.family == "coating"]
        if not paints:
            return Outcome(pile, nothing, "There is no paint to rub through: put a paint layer before it")
        wanted = self.coverage * event.strength
        if wanted <= 0:
            return Outcome(pile, nothing, "The coverage is 0")
        top = pile.coats[paints[-1]]
        painted = event.before("rub painted", [], lambda: covered(top.thickness, top.substance))
        if not (event.mask * painted > 0.004).any():
            return Outcome(pile, nothing, "The mask is black wherever there is paint")
        wear = event.kept(["wear", event.mask_key, self.distress, self.distress_mm], lambda: self._wear(event))
        weight = pile.texels.area * painted * (event.mask > 0.004)
        area = pile.texels.share(painted)
        reachable = float(weight.sum(dtype=np.float64)) / max(pile.texels.total_area, 1e-30)
        level = level_for(wear, weight, min(wanted * area / max(reachable, 1e-30), 1.0))
        # At the level just the topcoat is worn through; beyond, the coats below follow.
        whole = float(
            sum(
                np.median(pile.coats[k].thickness[pile.coats[k].thickness > 0.5]) if (pile.coats[k].thickness > 0.5).any() else 0.0
                for k in paints
            )
        )
        first = float(np.median(top.thickness[top.thickness > 0.5])) if (top.thickness > 0.5).any() else 1.0
        # What hides is the last two hiding thicknesses of a film, so half of it shows through at ln 2 of one.
        through = first - np.log(2.0) * top.substance.hide_um
        slope = whole / max(self.soft * 0.35, 0.01)
        take = np.maximum(np.float32(through) + (wear - np.float32(level)) * np.float32(slope), np.float32(0.0)) * (
            event.mask > 0.004
        )
        left = take.astype(np.float32)
        coats = list(pile.coats)
        for k in reversed(range(len(coats))):
            coat = coats[k]
            if k < paints[0] or coat.substance.family == "veil":
                continue
            gone = np.minimum(left, coat.thickness)
            coats[k] = replace(coat, thickness=coat.thickness - gone)
            left = left - gone
        shown = (
            np.clip(
                np.float32(1.0) - covered(coats[paints[-1]].thickness, top.substance) / np.maximum(painted, np.float32(1e-3)),
                0.0,
                1.0,
            )
            * painted
        )
        if self.polish > 0:
            touched = np.clip(take / np.float32(max(through, 1.0)), 0.0, 1.0)
            smooth = Coat(
                event.layer,
                f"{event.name}: polish",
                SHEEN,
                -np.log1p(-touched * np.float32(0.75 * self.polish)),
                {"roughness": one(0.22)},
            )
            coats.append(smooth)
        note = ""
        if wanted * area > reachable * 1.001:
            note = f"The place is smaller than the coverage asked for: {reachable / area:.1%} instead of {wanted:.1%} of the paint"
        return Outcome(replace(pile, coats=tuple(coats)), shown, note)

    def _wear(self, event: Event) -> np.ndarray:
        wide = event.noise(self.distress_mm * 4.0, octaves=3, salt=71)
        fine = event.noise(self.distress_mm, octaves=5, gain=0.6, salt=72)
        grain = event.noise(max(self.distress_mm * 0.12, 0.3), octaves=2, salt=73)
        return event.mask + np.float32(self.distress) * (
            np.float32(0.17) * wide + np.float32(0.12) * fine + np.float32(0.03) * grain
        )
