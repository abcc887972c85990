"""Effect: dirt."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import DIRT, covered
from limus.materials.tone import toned


class Dirt(Effect):
    """Grime that stays in cavities, along joints and in sheltered places."""

    kind: Literal["dirt"] = "dirt"
    order: ClassVar[int] = 10
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Dirt"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color"}
    begins: ClassVar[bool] = True
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "even"
    summary: ClassVar[str] = "Grime in hollows, along joints and wherever nothing washes it off"
    when: ClassVar[str] = (
        "Nearly always: it tells corners, joints and fixings apart. After what made the hollows, before dust"
    )

    color: tuple[float, float, float] = colour((0.052, 0.041, 0.030), "Colour")
    thickness_um: float = number(32.0, "Thickness", "µm", 0.0, 5000.0, (0.0, 200.0), "Where the mask is white")
    roughness: float = number(0.92, "Roughness", "", 0.05, 1.0, (0.5, 1.0))
    joints: float = number(
        0.5, "Fills joints", "%", 0.0, 1.0, about="How much more lies in the joints of bricks, slates and boards"
    )
    clumps: float = number(0.6, "Clumped", "%", 0.0, 1.0, about="Uneven thickness")
    clump_mm: float = number(12.0, "Clump size", "mm", 0.2, 500.0, (1.0, 80.0), log=True, grows=0.5)
    runs_mm: float = number(
        25.0, "Washed down", "mm", 0.0, 2000.0, (0.0, 200.0), "How far rain has drawn it out below", grows=0.6
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Sheltered places and creases, broken up; and a trace in patches, which is all that a smooth ball collects."""
        return Recipe(
            terms=[
                term(Sheltered(reach_mm=size.mm(64.0, 0.75)), low=0.18, high=0.85),
                term(Hollows(radius_mm=size.mm(8.0, 0.5)), low=0.04, high=0.32, combine="screen", amount=0.85),
                term(Noise(size_mm=size.mm(55.0, 0.75), octaves=5, seed=8), low=0.1, high=0.8, amount=0.75),
                term(
                    Noise(size_mm=size.mm(140.0, 1.0), octaves=5, seed=12), low=0.6, high=1.0, combine="add", amount=0.2
                ),
                term(Noise(size_mm=size.mm(450.0, 1.0), octaves=3, seed=13), low=0.15, high=0.75, out_low=0.2),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        sheet = {"base_color": event.step(self._color), "roughness": one(self.roughness)}
        coat = event.coat(event.name, DIRT, event.step(self._thickness), sheet)
        return Outcome(event.pile.with_coat(coat), event.step(self._shown))

    def _shown(self, event: Event) -> np.ndarray:
        return covered(event.step(self._thickness), DIRT)

    def _thickness(self, event: Event) -> np.ndarray:
        lump = event.noise(self.clump_mm, octaves=5, gain=0.6, salt=41)
        grit = event.noise(self.clump_mm * 0.12, octaves=2, gain=0.7, salt=43)
        place = event.mask
        joint = event.marks.joint
        if joint is not None and self.joints > 0:
            place = np.maximum(place, np.minimum(joint * (0.25 + place), 1.0) * self.joints)
        if self.runs_mm > 0:
            lane = event.noise(self.clump_mm * 0.5, octaves=3, tall=12.0, salt=44)
            down = event.run_down(place, self.runs_mm) * np.clip(0.3 + 0.5 * lane, 0.0, 1.0)
            place = np.maximum(place, down * 0.55)
        uneven = np.clip(
            np.exp(self.clumps * (0.75 * lump + 0.35 * grit)) - 0.15 * self.clumps,
            0.03,
            4.0,
        )
        return (place * (event.strength * self.thickness_um) * uneven).astype(np.float32)

    def _color(self, event: Event) -> np.ndarray:
        tone = event.noise(self.clump_mm * 4, octaves=3, salt=42)
        grit = event.noise(self.clump_mm * 0.12, octaves=2, gain=0.7, salt=43)
        return toned(self.color, 1.0 + 0.16 * tone + 0.10 * grit, 0.4, 1.8)
