"""Effect: soot."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import Substance
from limus.materials.tone import toned

SOOT = Substance("loose", hide_um=3.0, porosity=0.8, brittleness=0.0)


class Soot(Effect):
    """Smoke rises and leaves soot on what hangs over it and in corners that rain does not reach."""

    kind: Literal["soot"] = "soot"
    order: ClassVar[int] = 15
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Soot"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "root"
    summary: ClassVar[str] = "Black, perfectly matt, in licks that rise from below and under overhangs"
    when: ClassVar[str] = "Over lamps, stoves and exhausts, and for the black crust of stone in towns"

    color: tuple[float, float, float] = colour((0.012, 0.011, 0.010), "Colour")
    amount: float = number(0.55, "Amount", "%", 0.0, 1.0, about="How dense it gets")
    lick_mm: float = number(
        60.0, "Lick size", "mm", 1.0, 5000.0, (5.0, 500.0), "Width of the tongues that smoke leaves", log=True,
        grows=0.8,
    )  # fmt: skip
    washed: float = number(0.4, "Washed", "%", 0.0, 1.0, about="Runs of clean surface where water came through")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """What faces down or is sheltered, in a few regions."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.5, high=0.1),
                term(Sheltered(reach_mm=size.mm(110.0, 0.9)), low=0.15, high=0.7, combine="screen", amount=0.85),
                term(
                    Noise(size_mm=size.mm(200.0, 1.0), octaves=4, seed=121),
                    low=0.55,
                    high=0.85,
                    combine="add",
                    amount=0.35,
                ),
                term(Noise(size_mm=size.mm(430.0, 1.0), octaves=3, seed=122), low=0.2, high=0.75, out_low=0.1),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        lick = event.noise(self.lick_mm, octaves=5, gain=0.55, tall=2.4, salt=171)
        fine = event.noise(max(self.lick_mm * 0.05, 0.8), octaves=3, gain=0.7, salt=172)
        share = event.mask * np.clip(0.75 + 0.4 * lick + 0.12 * fine, 0.0, 1.3)
        if self.washed > 0:
            lane = event.noise(self.lick_mm * 0.18, octaves=3, tall=25.0, salt=173)
            share = share * (1.0 - self.washed * np.clip(lane - 0.6, 0.0, 1.0))
        share = np.clip(share * (1.25 * self.amount * event.strength), 0.0, 0.97).astype(np.float32)
        sheet = {
            "base_color": toned(self.color, 1.0 + 0.3 * fine, 0.3, 2.5),
            "roughness": one(1.0),
        }
        return event.deposit(SOOT, share, sheet)
