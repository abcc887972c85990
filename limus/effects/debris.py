"""Effect: debris."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um
from limus.masks.recipe import Recipe, term
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import Substance

GRIT = Substance("loose", hide_um=60.0, porosity=0.5, brittleness=0.0)


class Debris(Effect):
    """Grit, crumbs and leaf litter that wind and rain leave against an edge."""

    kind: Literal["debris"] = "debris"
    order: ClassVar[int] = 13
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Debris"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "piece_mm"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "root"
    louder: ClassVar[str] = "raise the amount and the size of pieces; it lies where something shelters it"
    summary: ClassVar[str] = "Grit and crumbs on ledges and along the foot of what stands up"
    when: ClassVar[str] = (
        "On level ground and ledges; against a kerb or wall take the distance to that part as its place, 30 to 40 "
        "cm, broken up"
    )

    color: tuple[float, float, float] = colour((0.135, 0.108, 0.078), "Colour")
    second: tuple[float, float, float] = colour((0.060, 0.043, 0.026), "Second colour", "Of part of the pieces")
    piece_mm: float = number(3.0, "Piece size", "mm", 0.1, 200.0, (0.5, 25.0), "Of the largest", log=True, grows=0.4)
    depth_mm: float = number(4.0, "Depth", "mm", 0.0, 200.0, (0.0, 30.0), "Where it lies thickest", grows=0.5)
    amount: float = number(0.55, "Amount", "%", 0.0, 1.0, about="How much of its place it covers")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Level places, most of all against what stands up from them."""
        return Recipe(
            terms=[
                term(Sheltered(reach_mm=size.mm(70.0, 0.75)), low=0.1, high=0.5, out_low=0.4),
                term(Hollows(radius_mm=size.mm(30.0, 0.75)), low=0.02, high=0.3, combine="screen", amount=0.8),
                term(SlopeSource(towards="up", span="180"), low=0.82, high=0.95),
                term(Noise(size_mm=size.mm(160.0, 0.9), octaves=5, seed=81), low=0.2, high=0.7),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Scatter the pieces."""
        place = event.mask * event.strength
        big, small = event.cells(self.piece_mm, salt=121), event.cells(self.piece_mm * 0.4, salt=122)
        drift = event.noise(self.piece_mm * 9.0, octaves=4, salt=123)
        heap = np.clip(place * (0.4 + self.amount) + 0.22 * drift * place - 0.12, 0.0, 1.0)
        # A piece lies there when the heap is higher than its own number; fine grit fills between.
        stone = np.clip((heap * 1.1 - big.value) * 6.0, 0.0, 1.0) * np.clip(
            1.25 - big.distance / (0.5 * self.piece_mm), 0.0, 1.0
        )
        grit = np.clip((heap * 1.5 - small.value) * 5.0, 0.0, 1.0)
        share = np.clip(np.maximum(stone * 1.4, grit), 0.0, 0.98)
        if not anywhere(share > 0.004):
            return Outcome(event.pile, share, "Nothing lies level in this place: widen it")
        tone = np.where(stone > 0.3, big.value, small.value)
        mix = np.clip((np.mod(tone * 7.31, np.float32(1.0)) - 0.45) * 3.0, 0.0, 1.0)[:, None]
        color = np.array(self.color, np.float32) * (1 - mix) + np.array(self.second, np.float32) * mix
        color = np.clip(
            color * (0.65 + 0.7 * np.mod(tone * 13.7, np.float32(1.0)))[:, None],
            0.0,
            1.0,
        ).astype(np.float32)
        height = (
            heap * (self.depth_mm * 0.5)
            + stone * min(self.piece_mm * 0.4, self.depth_mm)
            + grit * min(self.piece_mm * 0.12, self.depth_mm)
        )
        height = event.antialiased((height * (share > 0.02)).astype(np.float32))
        thickness = np.maximum(film_um(share, GRIT.hide_um), height * 1000.0 * (share > 0.5))
        coat = event.coat(event.name, GRIT, thickness, {"base_color": color, "roughness": one(0.95)})
        return Outcome(event.pile.with_coat(coat), share.astype(np.float32))
