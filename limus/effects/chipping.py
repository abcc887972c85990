"""Effect: chipping."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome, raised
from limus.fields import choice, number
from limus.masks.coverage import SoftLevels
from limus.masks.recipe import Recipe, term
from limus.masks.shape import smoothstep
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.materials.substance import covered, thinned
from limus.object_size import ONE_METRE, ObjectSize
from limus.parallel import for_slices, kernel
from limus.strata.pile import Pile

#: Micrometres from which on a paint counts as being there.
THERE = np.float32(0.5)
#: Half the width of the edge of a chip, in the potential.
WIDTH = 0.010
#: Flaked area in percent by class, ISO 4628-5 (quantity classes 0 to 5; from memory).
FLAKING_GRADES: dict[str, float] = {"0": 0.0, "1": 0.1, "2": 0.3, "3": 1.0, "4": 3.0, "5": 15.0}


#: How far below the level of a chip its rim begins to rise, in the potential.
RIM = 0.11


@kernel
def _break(potential, allowed, painted, gone, lost, lift, level, rim):  # type: ignore[no-untyped-def]
    """What is gone of the topmost paint, how much of what showed that is, and by how many mm the rest stands up around it."""
    one, two, three = np.float32(1.0), np.float32(2.0), np.float32(3.0)
    for i in range(len(gone)):
        x = min(max((potential[i] - level + np.float32(WIDTH)) * np.float32(0.5 / WIDTH), np.float32(0.0)), one)
        gone[i] = x * x * (three - two * x) * allowed[i]
        lost[i] = gone[i] * painted[i]
        x = min(max((potential[i] - level + np.float32(RIM)) * np.float32(1.0 / (RIM - WIDTH)), np.float32(0.0)), one)
        rise = x * x * (three - two * x) * (one - gone[i]) * allowed[i] * painted[i]
        lift[i] = rise * rise * rim


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
    acts_on: ClassVar[tuple[str, ...]] = ("coating",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    summary: ClassVar[str] = "Paint broken off edges, and here and there on faces, through the primer to the bare base"
    sets_coverage: ClassVar[bool] = True

    size_mm: float = number(6.0, "Chip size", "mm", 0.2, 200.0, (1.0, 40.0), "Typical width of a chip", log=True, grows=0.6)
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
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Edges, whole stretches of them silenced, and stray places on faces; some sides far more than others."""
        return Recipe(
            terms=[
                term(Edges(radius_mm=size.mm(4.0, 0.75))),
                term(Noise(size_mm=size.mm(90.0, 0.75), octaves=3, seed=1), amount=0.8),
                term(Noise(size_mm=size.mm(34.0, 0.75), octaves=4, seed=2), low=0.55, high=1.0, combine="add", amount=0.45),
                term(Noise(size_mm=size.mm(380.0, 1.0), octaves=3, seed=3), low=0.3, high=0.8, amount=0.85),
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
        painted = event.before("painted", [], lambda: self._painted(pile, paints))
        if not (event.mask * painted > 0.004).any():
            return Outcome(pile, nothing, "The mask is black wherever there is paint")
        wanted = self.wanted() * event.strength
        if wanted <= 0:
            return Outcome(pile, nothing, "The coverage is 0")
        # Neither the potential nor how it is spread depends on the amount, so dragging the coverage only moves levels.
        shape: list[object] = [event.mask_key, self.size_mm, self.ragged, self.cluster]
        potential = event.kept(["potential", *shape], lambda: self._potential(event))
        # Black hides: where the recipe is black nothing breaks, whatever the noise says.
        allowed = event.kept(["allowed", event.mask_key], lambda: np.minimum(event.mask * np.float32(40.0), np.float32(1.0)))
        weight = event.before("weight", [event.mask_key], lambda: pile.texels.area * painted * allowed)
        levels: SoftLevels = event.before("levels", shape, lambda: SoftLevels(potential, weight, WIDTH))
        area, reachable = (pile.texels.share(field) for field in (painted, painted * allowed))
        share = min(wanted * area / max(reachable, 1e-30), 1.0)

        def level(deep: float) -> float:
            """Of an interface that lies bare over the share ``deep`` of the chips; a share of area, so it holds for any distribution."""
            return levels.level(share * deep) if deep > 0 else float("inf")

        outer = level(1.0)
        coats = list(pile.coats)
        gone_top, lost, lift = (np.empty(len(potential), np.float32) for _ in range(3))
        for_slices(_break, (potential, allowed, painted, gone_top, lost, lift), np.float32(outer), np.float32(self.rim_um * 0.001))
        for k, bare in zip(paints, self._levels(pile, paints, level), strict=True):
            if isinstance(bare, np.ndarray):
                gone = smoothstep(potential - bare, -WIDTH, WIDTH) * allowed
            elif bare == outer:
                gone = gone_top
            elif np.isfinite(bare):
                gone = smoothstep(potential, bare - WIDTH, bare + WIDTH) * allowed
            else:
                continue
            coats[k] = replace(coats[k], thickness=thinned(coats[k].thickness, gone, coats[k].substance))
        # Whatever lies on the topmost paint goes with it.
        for k in range(paints[-1] + 1, len(coats)):
            coats[k] = replace(coats[k], thickness=thinned(coats[k].thickness, gone_top, coats[k].substance))
        out = replace(pile, coats=tuple(coats))
        if self.rim_um > 0:
            out = raised(out, lift)
        note = ""
        if wanted * area > reachable * 1.001:
            note = f"The place is smaller than the coverage asked for: all of it is chipped, {reachable / area:.1%} instead of {wanted:.1%} of the paint"
        return Outcome(out, lost, note)

    @staticmethod
    def _painted(pile: Pile, paints: list[int]) -> np.ndarray:
        """(n,) float32 0..1: what is measured is the topmost paint of each place, as far as it shows."""
        out = np.zeros(len(pile.skin), np.float32)
        for k in paints:
            coat = pile.coats[k]
            out = np.where(coat.thickness > THERE, covered(coat.thickness, coat.substance), out)
        return out

    def _levels(self, pile: Pile, paints: list[int], level: Callable[[float], float]) -> Iterator[np.ndarray | float]:
        """For every paint the level of its interface: the topmost that is there breaks first, the lowest needs the most.

        Which is topmost can differ from texel to texel: figures lie only on a part of a board.
        """
        there = [pile.coats[k].thickness > THERE for k in paints]

        def interface(above: int, count: int) -> float:
            """With ``above`` coats over it out of ``count``."""
            if above == 0:
                return level(1.0)
            return level(1.0 - (1.0 - self.depth) * above / (count - 1) if self.depth > 0 else 0.0)

        if all(np.array_equal(mine, there[0]) for mine in there[1:]):
            yield from (interface(k, len(paints)) for k in reversed(range(len(paints))))
            return
        table = np.full((len(paints) + 1, len(paints) + 1), np.inf, np.float32)
        for most in range(1, len(paints) + 1):
            for k in range(most):
                table[k, most] = interface(k, most)
        counts = np.stack(there).sum(axis=0, dtype=np.int64)
        over = np.zeros(len(counts), np.int64)
        found = []
        for mine in reversed(there):
            found.append(table[over, counts])
            over = over + mine
        yield from reversed(found)

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
