"""Effect: chipping."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome, raised
from limus.fields import choice, number
from limus.masks.coverage import level_for
from limus.masks.recipe import Recipe, term
from limus.masks.shape import smoothstep
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise

#: Flaked area in percent by class, ISO 4628-5 (quantity classes 0 to 5; from memory).
FLAKING_GRADES: dict[str, float] = {"0": 0.0, "1": 0.1, "2": 0.3, "3": 1.0, "4": 3.0, "5": 15.0}


class Chipping(Effect):
    """Paint broken away: the topcoat over the whole chip, deeper coats only towards its middle, down to the bare base.

    A potential is made of the recipe and of noise at the size of the chips; the level above which it breaks follows from the wanted
    coverage of the painted area. Coats break at their interfaces, so each has a level of its own: primer shows at the rim, the base
    in the middle, and nobody masks anything.
    """

    kind: Literal["chipping"] = "chipping"
    order: ClassVar[int] = 1
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Chipping"
    summary: ClassVar[str] = "Paint broken off edges, and here and there on faces, through the primer to the bare base"
    sets_coverage: ClassVar[bool] = True

    size_mm: float = number(6.0, "Chip size", "mm", 0.2, 200.0, (1.0, 40.0), "Typical width of a chip", log=True)
    by: Literal["coverage", "grade"] = choice(
        "coverage",
        "Amount by",
        "Set the amount as a share of the painted area, or as a class of flaking",
        hints={"place": "amount"},
        coverage="coverage",
        grade="flaking grade",
    )
    coverage: float = number(
        0.08,
        "Coverage",
        "%",
        0.0,
        1.0,
        (0.0, 0.4),
        "Share of the painted area that has lost its topcoat",
        place="amount",
        when={"by": "coverage"},
    )
    grade: Literal["0", "1", "2", "3", "4", "5"] = choice(
        "4", "Flaking grade", "Quantity class of ISO 4628-5", hints={"place": "amount", "when": {"by": "grade"}}, **{k: f"{k} ({v:g} %)" for k, v in FLAKING_GRADES.items()}
    )  # fmt: skip
    depth: float = number(0.7, "Depth", "%", 0.0, 1.0, about="Share of a chip that goes through every coat to the bare base")
    ragged: float = number(0.55, "Ragged outline", "%", 0.0, 1.0, about="Fine break-up of the outline")
    cluster: float = number(0.5, "Clustered", "%", 0.0, 1.0, about="Chips keep together and leave whole stretches untouched")
    rim_um: float = number(40.0, "Lifted rim", "µm", 0.0, 1000.0, (0.0, 200.0), "How far the paint stands up around a chip")

    @classmethod
    def default_where(cls) -> Recipe:
        """Edges, whole stretches of them silenced, and stray places on faces."""
        return Recipe(
            terms=[
                term(Edges(radius_mm=4.0)),
                term(Noise(size_mm=90.0, octaves=3, seed=1), amount=0.8),
                term(Noise(size_mm=34.0, octaves=4, seed=2), low=0.55, high=1.0, combine="add", amount=0.45),
            ]
        )

    def wanted(self) -> float:
        """Share of the painted area that loses its topcoat, 0..1."""
        return self.coverage if self.by == "coverage" else FLAKING_GRADES[self.grade] / 100.0

    def apply(self, event: Event) -> Outcome:
        """Break the coats; nothing happens where nothing was painted."""
        pile = event.pile
        paints = [k for k, c in enumerate(pile.coats) if c.substance.family == "coating"]
        nothing = np.zeros(len(event.mask), np.float32)
        if not paints:
            return Outcome(pile, nothing, "There is no paint to chip: put a paint layer before it")
        film = pile.coating()
        painted = np.minimum(film / np.float32(10.0), np.float32(1.0))
        if not (event.mask * painted > 0.004).any():
            return Outcome(pile, nothing, "The mask is black wherever there is paint")
        wanted = self.wanted() * event.strength
        if wanted <= 0:
            return Outcome(pile, nothing, "The coverage is 0")
        # The potential does not depend on the amount, so dragging the coverage only moves levels.
        potential = event.kept(
            ["potential", event.mask_key, self.size_mm, self.ragged, self.cluster], lambda: self._potential(event)
        )
        # Black hides: where the recipe is black nothing breaks, whatever the noise says.
        allowed = np.minimum(event.mask * np.float32(40.0), np.float32(1.0)) * painted
        weight = pile.texels.area * painted * (allowed > 0.05)
        area = float((pile.texels.area * painted).sum(dtype=np.float64))
        reachable = float(weight.sum(dtype=np.float64))
        share = min(wanted * area / max(reachable, 1e-30), 1.0)
        outer = level_for(potential, weight, share)
        width = 0.010
        # From the topmost paint down; the lowest interface needs the most. The spread is in area, so it holds for any distribution.
        levels = [outer]
        for k in range(1, len(paints)):
            deep = share * (1.0 - (1.0 - self.depth) * k / (len(paints) - 1))
            levels.append(level_for(potential, weight, deep) if self.depth > 0 else float("inf"))
        coats = list(pile.coats)
        gone_top = nothing
        for level, k in zip(levels, reversed(paints), strict=True):
            gone = smoothstep(potential, level - width, level + width) * allowed if np.isfinite(level) else nothing
            if k == paints[-1]:
                gone_top = gone
                # Whatever lies on the topmost paint goes with it.
                for above in range(k + 1, len(coats)):
                    coats[above] = replace(coats[above], thickness=coats[above].thickness * (np.float32(1.0) - gone))
            coats[k] = replace(coats[k], thickness=coats[k].thickness * (np.float32(1.0) - gone))
        out = replace(pile, coats=tuple(coats))
        if self.rim_um > 0:
            lift = smoothstep(potential, outer - 0.11, outer - width) * (np.float32(1.0) - gone_top) * allowed
            out = raised(out, lift * lift * np.float32(self.rim_um * 0.001))
        note = "" if share < 1 else "The place is smaller than the coverage asked for: everything inside it is chipped"
        return Outcome(out, gone_top, note)

    def _potential(self, event: Event) -> np.ndarray:
        clusters = event.noise(self.size_mm * 9.0, octaves=2, salt=21)
        coarse = event.noise(self.size_mm * 2.2, octaves=2, salt=22)
        fine = event.noise(self.size_mm * 0.7, octaves=3, gain=0.6, salt=23)
        return (
            event.mask * np.float32(1.15)
            + coarse * np.float32(0.14)
            + fine * np.float32(0.10 * self.ragged)
            + np.minimum(clusters, np.float32(0.5)) * np.float32(0.16 * self.cluster)
        )
