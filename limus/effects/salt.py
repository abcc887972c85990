"""Effect: salt bloom."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, raised
from limus.masks.recipe import Recipe, term
from limus.masks.sources.height import HeightSource
from limus.masks.sources.noise import Noise
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import SALT
from limus.materials.tone import toned


class Salt(Effect):
    """Damp rises in porous stone, dries at the surface and leaves its salts: crusts with a sharp front and loose
    bloom behind it.
    """

    kind: Literal["salt"] = "salt"
    order: ClassVar[int] = 17
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Salt bloom"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount"}
    shown_on: ClassVar[ShownOn] = ("brick in mortar", ())
    law: ClassVar[Law] = "root"
    suits: ClassVar[tuple[str, ...]] = ("mineral",)
    summary: ClassVar[str] = "White crusts and bloom where rising damp dries out of stone, brick and concrete"
    when: ClassVar[str] = "On masonry and concrete over wet ground, under leaking joints, and on old plaster"

    color: tuple[float, float, float] = colour((0.62, 0.61, 0.57), "Colour")
    amount: float = number(0.5, "Amount", "%", 0.0, 1.0, about="How much of its place it covers")
    front_mm: float = number(
        35.0, "Front size", "mm", 1.0, 2000.0, (5.0, 300.0), "Of the scallops along its upper edge", log=True, grows=0.7
    )
    crust_um: float = number(300.0, "Crust", "µm", 0.0, 10000.0, (0.0, 1500.0), "Height of the crystals")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """A ragged band above the foot, and stray places on steep faces."""
        return Recipe(
            terms=[
                term(
                    HeightSource(from_mm=size.mm(60.0, 1.0), to_mm=size.mm(230.0, 1.0), fade_mm=size.mm(140.0, 1.0)),
                    breakup_mm=size.mm(50.0, 1.0),
                    breakup_size_mm=size.mm(130.0, 1.0),
                ),
                term(
                    Noise(size_mm=size.mm(260.0, 1.0), octaves=4, seed=132),
                    low=0.7,
                    high=0.95,
                    combine="add",
                    amount=0.5,
                ),
                term(SlopeSource(towards="up", span="180"), low=0.85, high=0.6, out_low=0.2),
                term(Noise(size_mm=size.mm(350.0, 1.0), octaves=3, seed=131), low=0.2, high=0.7, out_low=0.1),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Grow the crystals."""
        scallop = event.noise(self.front_mm, octaves=4, gain=0.5, salt=181)
        crystal = event.noise(1.6, octaves=3, gain=0.8, salt=182)
        bloom = event.noise(self.front_mm * 0.3, octaves=4, gain=0.6, salt=183)
        level = event.mask * (0.7 + self.amount) + 0.20 * scallop * np.minimum(event.mask * 4, 1.0) - 0.55
        # Dense at the front, where the water stopped; thin behind it.
        front = np.exp(-np.square((level - 0.10) * 9.0)) * (level > -0.12)
        behind = np.clip(level * 1.3, 0.0, 1.0) * np.clip(0.35 + 0.35 * bloom, 0.0, 1.0)
        share = np.maximum(front * 0.9, behind) * np.clip(0.8 + 0.25 * crystal + 0.15 * bloom, 0.0, 1.2)
        share = np.clip(share * event.strength * np.minimum(event.mask * 8, 1.0), 0.0, 0.95).astype(np.float32)
        sheet = {
            "base_color": toned(self.color, 1.0 + 0.08 * crystal, 0.5, 1.4),
            "roughness": one(0.95),
        }
        out = event.pile.with_coat(event.coat(event.name, SALT, film_um(share, SALT.hide_um), sheet))
        if self.crust_um > 0:
            out = raised(
                out,
                share * (self.crust_um * 0.001) * np.clip(0.5 + 0.4 * crystal, 0.0, 1.5),
            )
        return Outcome(out, share)
