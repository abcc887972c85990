"""Effect: fading, chalking and yellowing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import number
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import Sheet
from limus.materials.substance import VEIL
from limus.readings.open_weather import RAIN_READS, SUN_READS, rain_by_sky, sun_by_sky
from limus.strata.alteration import shown
from limus.strata.pile import Coat

#: Families whose colour the sun takes: pigments, plastics, cloth and timber; stone and metal keep theirs.
FADES = ("coating", "polymer", "textile", "timber", "growth")


@kernel
def _age(start, end, color, roughness, metal, fade, chalk, yellow, out, rough):  # type: ignore[no-untyped-def]
    one = np.float32(1.0)
    for i in range(start, end):
        f, c, y = fade[i] * (one - metal[i]), chalk[i] * (one - metal[i]), yellow[i] * (one - metal[i])
        r, g, b = color[i, 0], color[i, 1], color[i, 2]
        lum = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        # Strong colours go first; what is left is paler and lighter, by as much as it was dark.
        grey = lum + np.float32(0.16) * (np.float32(0.62) - lum) * f
        r += (grey - r) * f * np.float32(0.72)
        g += (grey - g) * f * np.float32(0.72)
        b += (grey - b) * f * np.float32(0.72)
        # Chalk: the binder is gone and white pigment lies loose.
        white = np.float32(0.62) * c * np.float32(0.5)
        r += (np.float32(0.66) - r) * white
        g += (np.float32(0.66) - g) * white
        b += (np.float32(0.64) - b) * white
        # Yellowing eats blue, most of all of what is light.
        g *= one - np.float32(0.14) * y
        b *= one - np.float32(0.55) * y
        out[i, 0] = min(max(r, np.float32(0.0)), one)
        out[i, 1] = min(max(g, np.float32(0.0)), one)
        out[i, 2] = min(max(b, np.float32(0.0)), one)
        dull = max(np.float32(0.55) * f, c)
        rough[i] = roughness[i] + (max(np.float32(0.93), roughness[i]) - roughness[i]) * dull


@dataclass(frozen=True)
class Aged:
    """Faded, chalked and yellowed: (n,) float32 0..1 of each."""

    fade: np.ndarray
    chalk: np.ndarray
    yellow: np.ndarray

    reads: ClassVar[tuple[str, ...]] = ("base_color", "roughness", "metalness")
    speaks: ClassVar[tuple[str, ...]] = ("base_color", "roughness")

    def values(self, below: Sheet, here: slice) -> dict[str, np.ndarray]:
        """See ``Alteration``."""
        count = here.stop - here.start
        color, rough = np.empty((count, 3), np.float32), np.empty(count, np.float32)
        _age(
            0, count, *(shown(below, name, count) for name in self.reads), self.fade[here], self.chalk[here],
            self.yellow[here], color, rough,
        )  # fmt: skip
        return {"base_color": color, "roughness": rough}

    def at(self, rows: np.ndarray) -> Aged:
        """See ``Alteration``."""
        return Aged(self.fade[rows], self.chalk[rows], self.yellow[rows])


class Fading(Effect):
    """Sun and years: colours bleach, the binder of paint goes and leaves chalk that rain takes down, clear and white
    coats yellow in the shade.
    """

    kind: Literal["fading"] = "fading"
    order: ClassVar[int] = 9
    family: ClassVar[Kind] = "change"
    title: ClassVar[str] = "Fading and chalking"
    group: ClassVar[Group] = "Weather"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "years"
    acts_on: ClassVar[tuple[str, ...]] = FADES
    reads: ClassVar[tuple[str, ...]] = tuple(sorted({*RAIN_READS, *SUN_READS}))
    summary: ClassVar[str] = "Colours bleach where the sun stands, paint chalks, white yellows in the shade"
    when: ClassVar[str] = (
        "On paint, plastics, cloth and timber outside, before dirt and growth; not on what was painted later"
    )

    years: float = number(10.0, "Years", "years", 0.0, 500.0, (0.0, 60.0), "In the sun of the setting", place="amount")
    fade: float = number(0.6, "Fading", "%", 0.0, 1.0, about="How much colour it can lose")
    chalk: float = number(0.45, "Chalking", "%", 0.0, 1.0, about="Loose white pigment, matt; rain takes it down")
    yellow: float = number(0.25, "Yellowing", "%", 0.0, 1.0, about="Of what is light, more where little sun comes")
    halves: float = number(
        14.0, "Half after", "years", 0.5, 200.0, (2.0, 60.0), "Years in full sun until half of it has happened",
        log=True,
    )  # fmt: skip
    patch_mm: float = number(
        90.0, "Patches", "mm", 1.0, 100000.0, (10.0, 600.0), "How uneven it goes", log=True, grows=0.8
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, uneven in the large: sun and shade are for the effect to say."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(420.0, 1.0), octaves=3, seed=281), low=0.2, high=0.8, out_low=0.35)]
        )

    def apply(self, event: Event) -> Outcome:
        """Let the sun at it."""
        pile = event.pile
        takes = event.step(self._takes)
        if not anywhere(takes > 0.01):
            return event.nothing("Nothing here fades: stone and metal keep their colour. Put paint before it")
        if self.years <= 0:
            return event.nothing("No time has passed: raise the years")
        dose = event.step(self._sun)
        # Half of what is left goes in each such time (first-order decay of pigments; common practice, no source).
        done = 1.0 - np.exp2(-dose[:, 0] * (self.years / self.halves))
        shaded = 1.0 - np.exp2(-np.maximum(0.9 - dose[:, 0], 0.0) * (self.years / (1.6 * self.halves)))
        share = takes * event.mask * event.strength
        lanes = event.noise(self.patch_mm * 0.14, octaves=3, gain=0.6, tall=16.0, salt=284)
        washed = np.clip(1.0 - dose[:, 1] * (0.5 + 0.55 * lanes), 0.15, 1.0)
        fade = (share * done * self.fade).astype(np.float32)
        chalk = (share * done * washed * self.chalk).astype(np.float32)
        yellow = (share * shaded * self.yellow).astype(np.float32)
        there = np.where(share > 1e-3, np.float32(12.0), np.float32(0.0))
        veil = Coat(event.layer, event.name, VEIL, there, {}, event.uses, alters=Aged(fade, chalk, yellow))
        return Outcome(
            pile.with_coat(veil),
            np.clip(fade + 0.6 * chalk + 0.5 * yellow, 0.0, 1.0).astype(np.float32),
        )

    @staticmethod
    def _takes(event: Event) -> np.ndarray:
        """(n,) float32 0..1: how much of what shows can fade."""
        out = np.zeros(len(event.mask), np.float32)
        for family in FADES:
            if event.pile.has(family):
                out += event.pile.exposed(family)
        return np.minimum(out, 1.0)

    def _sun(self, event: Event) -> np.ndarray:
        """(n, 2) float32: sun and rain, uneven by patches."""
        place = event.scope.place
        patch = event.noise(self.patch_mm, octaves=5, gain=0.55, salt=282)
        wide = event.noise(self.patch_mm * 5.0, octaves=3, salt=283)
        sun = np.minimum(sun_by_sky(place), 1.6) * np.clip(1.0 + 0.22 * patch + 0.22 * wide, 0.2, 2.0)
        return np.stack([sun, np.minimum(rain_by_sky(place), 1.0)], axis=1).astype(np.float32)
