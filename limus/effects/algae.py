"""Effect: algae."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, ramp
from limus.effects.habitat import HABITAT_READS, habitat
from limus.masks.coverage import level_for
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.substance import ALGAE
from limus.materials.tone import toned
from limus.readings.catalogue import READINGS


class Algae(Effect):
    """A green film on what stays damp and shaded: the sides away from the sun, the foot, below run-off and in
    corners; more on rough and porous grounds.
    """

    kind: Literal["algae"] = "algae"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 14
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Algae"
    group: ClassVar[Group] = "Growth"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "patch_mm"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "even"
    reads: ClassVar[tuple[str, ...]] = tuple(sorted({*HABITAT_READS, "setting.ground_mm"}))
    summary: ClassVar[str] = "A green film on damp, shaded sides, at the foot and below run-off"
    when: ClassVar[str] = "After years outside near water or under trees; before moss, lichen and dust"

    amount: float = number(
        0.5, "Amount", "%", 0.0, 1.0, about="From a tinge in corners to green all over", place="amount"
    )
    color: tuple[float, float, float] = colour((0.052, 0.072, 0.026), "Colour")
    dark_color: tuple[float, float, float] = colour(
        (0.016, 0.020, 0.012), "Colour of old film", "Where it is oldest and wettest it is nearly black"
    )
    dark: float = number(0.4, "Old film", "%", 0.0, 1.0, about="How much of it has turned dark")
    foot_mm: float = number(
        140.0, "At the foot", "mm", 0.0, 20000.0, (0.0, 1000.0), "How high it climbs from the ground", grows=0.8
    )
    patch_mm: float = number(
        40.0, "Patches", "mm", 1.0, 10000.0, (5.0, 400.0), "Width of its ragged outlines", log=True, grows=0.75
    )
    lane_mm: float = number(
        14.0, "Width of runs", "mm", 0.5, 1000.0, (2.0, 100.0), "Of the streaks it follows down", log=True, grows=0.6
    )
    edge_mm: float = number(
        9.0, "Edge size", "mm", 0.05, 1000.0, (1.0, 60.0), "Rounding of corners that stay damp and edges that dry",
        log=True, grows=0.5,
    )  # fmt: skip

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions far more; what is damp and shaded is for the effect to say."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(330.0, 1.0), octaves=4, seed=241), low=0.2, high=0.75, out_low=0.12),
                term(Noise(size_mm=size.mm(60.0, 0.8), octaves=4, seed=242), low=0.05, high=0.6, out_low=0.3),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Let it grow."""
        share, old = self._share(event)
        tone = 1.0 + 0.20 * event.noise(self.patch_mm * 0.35, octaves=4, gain=0.6, salt=243)
        hue = event.noise(self.patch_mm * 2.0, octaves=3, salt=244)
        color = toned(self.color, tone, 0.4, 1.9)
        # Yellower here, bluer there, and dark where it is old.
        color[:, 0] *= 1.0 + 0.22 * np.clip(hue, -1.5, 1.5)
        color[:, 2] *= 1.0 - 0.18 * np.clip(hue, -1.5, 1.5)
        color += (toned(self.dark_color, tone, 0.4, 1.9) - color) * old[:, None]
        rough = np.clip(0.78 - 0.22 * old, 0.3, 1.0)
        sheet = {"base_color": np.clip(color, 0.0, 1.0), "roughness": rough}
        return event.deposit(ALGAE, share, sheet)

    def _share(self, event: Event) -> tuple[np.ndarray, np.ndarray]:
        """(n,) float32 0..1 how much of it there is, and how dark it has become."""
        home = habitat(event, self.edge_mm, 2.0 * self.edge_mm)
        lane = event.noise(self.lane_mm, octaves=3, gain=0.6, tall=18.0, salt=245)
        patch = event.noise(self.patch_mm, octaves=5, gain=0.62, salt=246)
        fine = event.noise(self.patch_mm * 0.12, octaves=4, gain=0.7, salt=247)
        up = event.texels.normal[:, 1]
        wet = home.damp * (0.80 + 0.34 * lane * ramp(np.abs(up), 0.8, 0.4))
        wet = wet + 0.30 * home.hollow + 0.25 * home.joint + 0.10 * home.shade
        if self.foot_mm > 0:
            high = READINGS["height"].value(event.scope.place, 0.0) * (1.0 / self.foot_mm)
            wet = wet + 0.42 * np.clip(1.0 - high + 0.25 * patch, 0.0, 1.0)
        # Under an overhang no rain comes.
        wet = wet * ramp(up, -0.75, -0.2) * (0.35 + 0.65 * home.hold)
        value = wet * (0.3 + 0.7 * event.mask) + 0.085 * patch + 0.055 * fine
        amount = self.amount * event.strength
        # The dampest places of this very object come first, whatever it is.
        level = level_for(value, event.texels.area * (event.mask > 0.05), 0.62 * amount**1.2)
        share = ramp(value, level - 0.04, level + 0.26) * np.minimum(event.mask * 8.0, 1.0)
        old = ramp(value, level + 0.16, level + 0.45) * self.dark
        return (share * (min(0.92, 0.3 + amount) * min(1.0, 4.0 * amount))).astype(np.float32), old
