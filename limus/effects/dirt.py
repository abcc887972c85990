"""Effect: dirt."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome
from limus.fields import colour, number
from limus.masks.recipe import Recipe, term
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import DIRT, covered
from limus.materials.tone import toned
from limus.object_size import ONE_METRE, ObjectSize


class Dirt(Effect):
    """Grime that stays in cavities, along joints and in sheltered places."""

    kind: Literal["dirt"] = "dirt"
    order: ClassVar[int] = 3
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Dirt"
    summary: ClassVar[str] = "Grime in hollows, along joints and wherever nothing washes it off"

    color: tuple[float, float, float] = colour((0.052, 0.041, 0.030), "Color")
    thickness_um: float = number(32.0, "Thickness", "µm", 0.0, 5000.0, (0.0, 200.0), "Where the mask is white")
    roughness: float = number(0.92, "Roughness", "", 0.05, 1.0, (0.5, 1.0))
    clumps: float = number(0.5, "Clumped", "%", 0.0, 1.0, about="Uneven thickness")
    clump_mm: float = number(12.0, "Clump size", "mm", 0.2, 500.0, (1.0, 80.0), log=True, grows=0.5)

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Sheltered places and creases, broken up; and a trace in patches, which is all that a smooth ball collects."""
        return Recipe(
            terms=[
                term(Sheltered(reach_mm=size.mm(64.0, 0.75)), low=0.18, high=0.85),
                term(Hollows(radius_mm=size.mm(8.0, 0.5)), low=0.04, high=0.32, combine="screen", amount=0.85),
                term(Noise(size_mm=size.mm(55.0, 0.75), octaves=5, seed=8), low=0.1, high=0.8, amount=0.75),
                term(Noise(size_mm=size.mm(140.0, 1.0), octaves=5, seed=12), low=0.55, high=1.0, combine="add", amount=0.22),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        thickness = event.kept(
            ["dirt", event.mask_key, event.strength, self.thickness_um, self.clumps, self.clump_mm], lambda: self._thickness(event)
        )
        color = event.kept(["dirt color", self.color, self.clump_mm], lambda: self._color(event))
        shown = event.kept(
            ["dirt shown", event.mask_key, event.strength, self.thickness_um, self.clumps, self.clump_mm],
            lambda: covered(thickness, DIRT),
        )
        sheet = {"base_color": color, "roughness": one(self.roughness)}
        return Outcome(event.pile.with_coat(event.coat(event.name, DIRT, thickness, sheet)), shown)

    def _thickness(self, event: Event) -> np.ndarray:
        lump = event.noise(self.clump_mm, octaves=4, salt=41)
        amount = event.mask * np.float32(event.strength * self.thickness_um)
        return amount * np.clip(np.float32(1.0) + np.float32(self.clumps) * lump, 0.05, 3.0)

    def _color(self, event: Event) -> np.ndarray:
        tone = event.noise(self.clump_mm * 4, octaves=3, salt=42)
        return toned(self.color, np.float32(1.0) + np.float32(0.16) * tone, 0.4, 1.8)
