"""Effect: chipping."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere, decided
from limus.common.fields import choice, number
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.parallel import for_slices
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, raised
from limus.effects.films import THERE, allowed_by, breakable, of_paint, painted, paints_of, without
from limus.masks.coverage import SoftLevels
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.low import LowDown
from limus.masks.sources.noise import Noise
from limus.patterns.fractures import Fractures, mean_over
from limus.patterns.outline import Character, pull_of
from limus.strata.pile import Pile
from limus.surface.blur import blur

#: Half the width of the edge of a chip, in the potential; pieces are even within themselves, so it only says how finely
#: amounts can be met.
WIDTH = 0.002
#: Flaked area in percent by class, ISO 4628-5 (quantity classes 0 to 5; from memory).
FLAKING_GRADES: dict[str, float] = {"0": 0.0, "1": 0.1, "2": 0.3, "3": 1.0, "4": 3.0, "5": 15.0}


@kernel
def _break(potential, allowed, gone, level):  # type: ignore[no-untyped-def]
    """What is gone of a paint."""
    for i in range(len(gone)):
        x = min(
            max((potential[i] - level + np.float32(WIDTH)) * np.float32(0.5 / WIDTH), np.float32(0.0)), np.float32(1.0)
        )
        gone[i] = x * x * (np.float32(3.0) - np.float32(2.0) * x) * allowed[i]


@kernel
def _rim(near, gone, held, painted, lost, lift, rim):  # type: ignore[no-untyped-def]
    """What the loss took of what showed, and by how many mm the rest stands up around it: here and there, not all
    round.
    """
    one = np.float32(1.0)
    for i in range(len(gone)):
        lost[i] = gone[i] * painted[i]
        lift[i] = (
            rim
            * min(np.float32(2.0) * near[i], one)
            * (one - gone[i])
            * painted[i]
            * min(max(held[i], np.float32(0.0)), one)
        )


class Chipping(Effect):
    """Paint broken away: the topcoat over the whole chip, deeper coats where they break as well, down to the bare base.

    Paint breaks in pieces, so the potential is even within each piece of three sizes (see ``patterns.fractures``):
    outlines run straight along pieces, with facets, tongues and slivers. The level above which it breaks follows from
    the wanted coverage of the painted area. Coats break at their interfaces, each along pieces of its own: one chip
    stops at the primer, the next goes down to the iron.
    """

    kind: Literal["chipping"] = "chipping"
    order: ClassVar[int] = 1
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Chipping"
    acts_on: ClassVar[tuple[str, ...]] = ("coating",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    figures: ClassVar[str] = "Classes of flaking: ISO 4628-5 (from memory)"
    summary: ClassVar[str] = "Paint broken off edges, and here and there on faces, through the primer to the bare base"
    law: ClassVar[Law] = "even"
    group: ClassVar[Group] = "Paint and its losses"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    photographed: ClassVar[dict[str, str]] = {
        "share": "coverage",
        "size": "size_mm",
        "clustered": "cluster",
    }
    photographed_with: ClassVar[dict[str, Any]] = {"by": "coverage"}
    begins: ClassVar[bool] = True
    when: ClassVar[str] = "For knocks and frost: hard paint on metal or timber that has been used and never touched up"

    size_mm: float = number(
        6.0, "Chip size", "mm", 0.2, 200.0, (1.0, 40.0), "Typical width of a chip", log=True, grows=0.6
    )
    by: Literal["coverage", "grade"] = choice(
        "coverage", "Amount by", "Set the amount as a share of the painted area, or as a class of flaking",
        hints={"place": "amount"}, coverage="coverage", grade="flaking grade",
    )  # fmt: skip
    coverage: float = number(
        0.06, "Coverage", "%", 0.0, 1.0, (0.0, 0.4), "Share of the painted area that has lost its topcoat",
        place="amount", when={"by": "coverage"},
    )  # fmt: skip
    grade: Literal["0", "1", "2", "3", "4", "5"] = choice(
        "4", "Flaking grade", "Quantity class of ISO 4628-5", hints={"place": "amount", "when": {"by": "grade"}},
        **{k: f"{k} ({v:g} %)" for k, v in FLAKING_GRADES.items()}
    )  # fmt: skip
    depth: float = number(
        0.6, "Depth", "%", 0.0, 1.0, about="Share of the chipped area where every coat is gone, down to the bare base"
    )
    vary: float = number(0.6, "Sizes vary", "%", 0.0, 1.0, about="Splinters beside large chips, or all of one size")
    ragged: float = number(0.5, "Ragged outline", "%", 0.0, 1.0, about="Fine break-up of the outline")
    outline: Character = choice(
        "crumbled", "Outline", "How chips are bounded",
        soft="rolling", crumbled="along pieces, crumbled", sharp="sharp, in teeth", scalloped="scalloped, in shells",
    )  # fmt: skip
    cluster: float = number(
        0.5, "Clustered", "%", 0.0, 1.0, about="Chips keep together and leave whole stretches untouched"
    )
    rim_um: float = number(
        40.0, "Lifted rim", "µm", 0.0, 1000.0, (0.0, 200.0), "How far the paint stands up around a chip, where it does"
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Edges, whole stretches of them silenced, and stray places on faces; some sides far more than others."""
        return Recipe(
            terms=[
                term(Edges(radius_mm=size.mm(4.0, 0.75))),
                term(Edges(radius_mm=size.mm(30.0, 0.9)), low=0.0, high=0.35, combine="screen", amount=0.5),
                term(Noise(size_mm=size.mm(110.0, 0.8), octaves=4, seed=1), low=0.25, high=0.7, amount=0.85),
                term(LowDown(top_mm=size.mm(170.0, 1.0)), combine="add", amount=0.10),
                term(
                    Noise(size_mm=size.mm(34.0, 0.75), octaves=4, seed=2),
                    low=0.72,
                    high=1.0,
                    combine="add",
                    amount=0.28,
                ),
                term(
                    Noise(size_mm=size.mm(380.0, 1.0), octaves=3, seed=3), low=0.25, high=0.75, out_low=0.12, amount=0.9
                ),
            ]
        )

    def wanted(self) -> float:
        """Share of the painted area that loses its topcoat, 0..1."""
        return self.coverage if self.by == "coverage" else FLAKING_GRADES[self.grade] / 100.0

    def apply(self, event: Event) -> Outcome:
        """Break the coats; nothing happens where nothing was painted."""
        pile = event.pile
        paints = paints_of(pile)
        if not paints:
            return event.nothing("There is no paint to chip: put a paint layer before it")
        there = event.step(painted)
        if not anywhere(event.mask * there > 0.004):
            return event.nothing("The mask is black wherever there is paint")
        wanted = self.wanted() * event.strength
        if wanted <= 0:
            return event.nothing("The coverage is 0")
        # Neither the potentials nor how they are spread depend on the amount, so dragging the coverage only moves
        # levels.
        potential, allowed, weight = event.step(self._potential), event.step(allowed_by), event.step(breakable)
        share, note = of_paint(event, wanted, allowed)

        #: (coats over it, of how many) -> (n,) how much of a texel lies open down to below that coat, and the share of
        #: the chips that is.
        opened: list[np.ndarray] = []
        through: dict[tuple[int, int], tuple[np.ndarray, float]] = {}
        #: Potentials of the coats below, by how many lie over them.
        below: dict[int, np.ndarray] = {}

        def broken(above: int, count: int) -> np.ndarray | None:
            """(n,) what is gone of a paint with ``above`` coats over it out of ``count``, of what of it lies open:
            shares of the chips, so they hold for any distribution."""
            out: np.ndarray = np.empty(len(potential), np.float32)
            if above == 0:
                levels: SoftLevels = event.step(self._levels)
                for_slices(_break, (potential, allowed, out), np.float32(levels.level(share)))
                return np.minimum(event.antialiased(out), allowed)
            deep = 1.0 - (1.0 - self.depth) * above / (count - 1) if self.depth > 0 else 0.0
            over, before = through[(above - 1, count)] if above > 1 else (opened[0], 1.0)
            if deep <= 0 or before <= 0:
                through[(above, count)] = (np.zeros_like(out), 0.0)
                return None
            if above not in below:
                below[above] = event.step(self._deeper, above)
            field = below[above]
            for_slices(
                _break, (field, allowed, out), np.float32(SoftLevels(field, weight * over, WIDTH).level(deep / before))
            )
            # Nothing goes where what lies over it still holds.
            out = event.antialiased(out) * (over > 1e-3)
            through[(above, count)] = (over * out, deep)
            return out

        top = broken(0, 1)
        assert top is not None
        opened.append(top)
        # Whatever lies on the topmost paint goes with it.
        out = without(pile, dict(self._taken(pile, paints, broken, top)), top)
        lost, lift = (np.empty(len(potential), np.float32) for _ in range(2))
        held = event.noise(self.size_mm * 1.4, octaves=3, salt=25)
        for_slices(
            _rim,
            (event.antialiased(top, 2), top, held, there, lost, lift),
            np.float32(min(self.rim_um * 0.001, 0.012 * self.size_mm)),
        )
        if self.rim_um > 0:
            out = raised(out, lift)
        if not note and self.size_mm > 1000.0 * pile.texels.mesh.diagonal:
            note = "A chip is larger than the object: make the chip size smaller"
        return Outcome(out, lost, note)

    @staticmethod
    def _taken(
        pile: Pile, paints: list[int], broken: Callable[[int, int], np.ndarray | None], top: np.ndarray
    ) -> Iterator[tuple[int, np.ndarray]]:
        """(coat, (n,) what goes of it): the topmost that is there breaks first, the lowest least.

        Which is topmost can differ from texel to texel: figures lie only on a part of a board.
        """
        there = [pile.coats[k].thickness > THERE for k in paints]

        if decided("alike", lambda: all(np.array_equal(mine, there[0]) for mine in there[1:])):
            for above, k in enumerate(reversed(paints)):
                field = top if above == 0 else broken(above, len(paints))
                if field is None:
                    break
                yield k, field
            return
        counts = np.stack(there).sum(axis=0, dtype=np.int64)
        order = list(zip(reversed(paints), reversed(there), strict=True))
        # How many paints stand over each; what breaks at one depth of one number of paints is found once for all of
        # them.
        standing = [np.zeros(len(counts), np.int16)]
        for _, mine in order[:-1]:
            standing.append(standing[-1] + mine)
        taken = [np.where(over == 0, top, np.float32(0.0)) for over in standing]
        for count in range(2, len(paints) + 1):
            own = counts == count
            if not anywhere(own):
                continue
            for above in range(1, count):
                field = broken(above, count)
                if field is None:
                    break
                for k, (_, mine) in enumerate(order):
                    np.copyto(taken[k], field, where=own & mine & (standing[k] == above))
        for k, (coat, _) in enumerate(order):
            yield coat, taken[k]

    def _potential(self, event: Event) -> np.ndarray:
        """(n,) float32: nearly even within each piece; high breaks first."""
        clusters = event.noise(self.size_mm * 9.0, octaves=2, salt=21)
        fine = event.noise(self.size_mm * 0.5, octaves=3, gain=0.6, salt=23)
        out = np.minimum(clusters, 0.5) * (0.16 * self.cluster) + fine * (0.012 + 0.07 * self.ragged)
        if self.outline != "crumbled":
            # No pieces: the outline follows a line of this character, and lies where the place says.
            near = blur(event.texels, event.mask, self.size_mm * 0.35)
            pull = self._pull(event, self.size_mm * 1.25, 20)
            return out + np.minimum(near * 2.0, 1.0) * 1.3 + pull * 0.3
        pieces = event.fractures(self.size_mm * 1.25, salt=20)
        weights = (1.0, 0.0, 0.0) if len(pieces.number) == 1 else (0.62, 0.38, 0.0)
        for k, (bits, value) in enumerate(zip(pieces.number, pieces.value, strict=True)):
            if weights[k] > 0:
                # An edge takes up only a strip of the pieces along it, and they break off whole.
                mean = np.minimum(mean_over(bits, event.mask, event.texels.area) * 2.0, 1.0)
                out += mean * (weights[k] * 1.3)
            spread = (0.22 - 0.10 * self.vary, 0.05 + 0.18 * self.vary, 0.02 + 0.32 * self.ragged)[k]
            out += (value - 0.5) * spread
        return out

    def _pull(self, event: Event, size_mm: float, salt: int) -> np.ndarray:
        """(n,) float32 about -1.2..1.2: the pattern that bounds chips that are no pieces."""
        texels, seed = event.texels, event.seed(salt) & 0xFFFFFF
        key = key_of("outline of chips", texels.key, size_mm, self.outline, seed)
        pull: np.ndarray = event.scope.keep.get(
            key, lambda: pull_of(texels.position, size_mm, self.outline, seed, texel_mm=texels.texel_mm)
        )
        return pull

    def _levels(self, event: Event) -> SoftLevels:
        return SoftLevels(event.step(self._potential), event.step(breakable), WIDTH)

    def _deeper(self, event: Event, above: int) -> np.ndarray:
        """(n,) float32: the potential of a coat below, which breaks along pieces of its own, and nowhere that the
        coat above it does not.
        """
        potential: np.ndarray = event.step(self._potential)
        out = potential.copy()
        if self.outline != "crumbled":
            out += self._pull(event, self.size_mm * 0.85, 40 + above) * 0.2
            return np.minimum(out, potential + 0.05)
        pieces: Fractures = event.fractures(self.size_mm * 0.85, salt=40 + above)
        for k, value in enumerate(pieces.value):
            out += (value - 0.5) * (0.26, 0.16, 0.06 + 0.08 * self.ragged)[k]
        return np.minimum(out, potential + 0.05)
