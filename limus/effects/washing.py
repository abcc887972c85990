"""Effect: washing by rain."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, ramp
from limus.masks.coverage import SoftLevels
from limus.masks.recipe import Recipe, term
from limus.masks.shape import smoothstep
from limus.masks.sources.noise import Noise
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import STAIN, covered, thinned
from limus.readings.open_weather import RAIN_READS, rain_by_sky

#: Half of the soft border of a lane, in what runs there.
SOFT = 0.08
#: What rain takes along.
LOOSE = ("loose", "growth")


class Washing(Effect):
    """Rain that runs off edges and ledges washes lanes into dust, dirt and stains; what it takes it leaves at their
    borders and where they end.
    """

    kind: Literal["washing"] = "washing"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 20
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Washed by rain"
    group: ClassVar[Group] = "Weather"
    photographed: ClassVar[dict[str, str]] = {"share": "coverage"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ("dirt", "dust"))
    law: ClassVar[Law] = "root"
    reads: ClassVar[tuple[str, ...]] = tuple(sorted(RAIN_READS))
    acts_on: ClassVar[tuple[str, ...]] = LOOSE
    louder: ClassVar[str] = "raise the share that is washed, or lay more dust or dirt before it"
    summary: ClassVar[str] = "Clean lanes in dust, dirt and stains below edges, with drip marks beside them"
    when: ClassVar[str] = "After dust, dirt or soot, on what stands in the rain"

    amount: float = number(0.75, "Amount", "%", 0.0, 1.0, about="How clean the lanes are", place="amount")
    coverage: float = number(
        0.34, "Washed", "%", 0.0, 1.0, (0.0, 0.8), "Share of the place that lanes take up", place="amount"
    )
    length_mm: float = number(
        320.0, "Length", "mm", 1.0, 20000.0, (20.0, 3000.0), "Until a third of the water is left", log=True, grows=0.9
    )
    lane_mm: float = number(9.0, "Width", "mm", 0.2, 500.0, (1.0, 80.0), "Of one lane", log=True, grows=0.6)
    marks: float = number(
        0.4, "Drip marks", "%", 0.0, 1.0, about="What was washed out, left beside and at the end of lanes"
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """On what is steep, in some regions more."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.97, high=0.80, out_low=0.15),
                term(Noise(size_mm=size.mm(300.0, 1.0), octaves=3, seed=301), low=0.15, high=0.7, out_low=0.12),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Wash."""
        pile = event.pile
        there = np.zeros(len(event.mask), np.float32)
        for coat in pile.coats:
            if coat.substance.family in LOOSE:
                there = np.maximum(there, covered(coat.thickness, coat.substance))
        if not anywhere(there > 0.01):
            return event.nothing("There is no dust, dirt or growth here to wash off: put such a layer before it")
        wanted = self.coverage * event.strength
        if wanted <= 0:
            return event.nothing("The coverage is 0")
        lanes = event.step(self._lanes)
        value = lanes * np.minimum(event.mask * 1.3, 1.0)
        there_is = np.minimum(event.mask * 8.0, 1.0)
        # By the mean of the soft lanes, so that the share is the same however finely they are drawn.
        level = max(SoftLevels(value, pile.texels.area * there_is, SOFT).level(min(wanted, 1.0)), 0.03 + SOFT)
        clean = smoothstep(value, level - SOFT, level + SOFT) * self.amount * there_is
        coats = tuple(
            replace(c, thickness=thinned(c.thickness, np.minimum(clean * 0.97, 0.999),
                c.substance)) if c.substance.family in LOOSE else c
            for c in pile.coats
        )  # fmt: skip
        out = replace(pile, coats=coats)
        if self.marks > 0:
            beside = np.clip(1.0 - np.abs(value - (level - SOFT - 0.03)) * 16.0, 0.0, 1.0) * (value > 0.02)
            share = (beside * there * (0.38 * self.marks * event.strength) * np.minimum(event.mask * 8.0, 1.0)).astype(
                np.float32
            )
            sheet = {"base_color": one((0.075, 0.065, 0.053)), "roughness": one(0.9)}
            out = out.with_coat(
                event.coat(f"{event.name}: drip marks", STAIN, film_um(share, STAIN.hide_um), sheet, "marks")
            )
        return Outcome(out, (clean * there).astype(np.float32))

    def _lanes(self, event: Event) -> np.ndarray:
        """(n,) float32: how much water has run here."""
        place, texels = event.scope.place, event.texels
        rain = np.minimum(rain_by_sky(place), 1.0)
        # More comes off a ledge than falls on a wall; some of it in lumps.
        lump = event.noise(self.lane_mm * 5.0, octaves=3, salt=302)
        source = rain * (0.25 + 0.75 * ramp(texels.normal[:, 1], 0.3, 0.8)) * np.clip(0.8 + 0.45 * lump, 0.0, 1.6)
        ran = event.run_down(source.astype(np.float32), self.length_mm)
        lane = event.noise(self.lane_mm, octaves=3, gain=0.6, tall=30.0, salt=303)
        wobble = event.noise(self.lane_mm * 2.2, octaves=3, gain=0.6, tall=4.0, salt=304)
        return np.asarray(
            np.clip(ran * (0.55 + 0.40 * lane) + 0.05 * wobble * (ran > 0.01), 0.0, 1.6),
            np.float32,
        )
