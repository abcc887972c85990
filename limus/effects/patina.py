"""Effect: patina and tarnish."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.corrosion import corroded
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, raised
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import OXIDE, Substance
from limus.strata.pile import Pile

#: Exponents of ISO 9224 (from memory) and first-year losses in micrometres in class C3 of ISO 9223 (middle, from
#: memory), by family.
LAWS: dict[str, tuple[float, float]] = {
    "copper alloy": (0.667, 0.95),
    "zinc": (0.813, 1.4),
    "aluminium": (0.728, 0.4),
    "other metal": (0.5, 0.5),
}
#: By how much the other classes are faster than C3: ratios of the middles of copper's classes.
FASTER: dict[str, float] = {"C1": 0.05, "C2": 0.35, "C3": 1.0, "C4": 2.1, "C5": 4.4, "CX": 7.7}
FILM = Substance("oxide", hide_um=1.2, porosity=0.1, brittleness=0.2)
BROWN, DARK, GREEN, PALE = (0.16, 0.075, 0.030), (0.045, 0.028, 0.018), (0.105, 0.255, 0.190), (0.23, 0.40, 0.33)
YELLOW, BLACK = (0.42, 0.27, 0.10), (0.020, 0.018, 0.022)
WHITE_RUST, CHALK = (0.52, 0.53, 0.52), (0.42, 0.42, 0.41)


def lost_um(family: str, years: float, corrosivity: str) -> float:
    """Metal lost in micrometres after ``years`` (ISO 9224) with the first year of the class."""
    power, first = LAWS[family]
    return corroded(first * FASTER[corrosivity], power, years)


class Patina(Effect):
    """Metals other than iron change colour: copper alloys go brown, then green where rain reaches; silver darkens;
    zinc and aluminium go white.

    A thin film first, which keeps the metal's colour in it; then a crust. The rain-washed side and the sheltered side
    differ.
    """

    kind: Literal["patina"] = "patina"
    order: ClassVar[int] = 6
    family: ClassVar[Kind] = "change"
    title: ClassVar[str] = "Patina and tarnish"
    group: ClassVar[Group] = "Metal"
    shown_on: ClassVar[ShownOn] = ("copper", ())
    law: ClassVar[Law] = "years"
    reads: ClassVar[tuple[str, ...]] = ("rays", "setting.corrosivity")
    acts_on: ClassVar[tuple[str, ...]] = ("copper alloy", "zinc", "aluminium", "other metal")
    suits: ClassVar[tuple[str, ...]] = ("copper alloy", "zinc", "aluminium", "other metal")
    pieces: ClassVar[dict[str, str]] = {"film": "Tarnish", "crust": "Crust"}
    figures: ClassVar[str] = "Exponents of corrosion of copper, zinc and aluminium: ISO 9224 (from memory)"
    summary: ClassVar[str] = (
        "Brown and green on copper and brass, black on silver, white rust on zinc, chalk on aluminium"
    )
    when: ClassVar[str] = "On any bare metal that is not iron; few years give tarnish, many a crust"

    years: float = number(12.0, "Years", "years", 0.0, 500.0, (0.0, 80.0), "Time since the metal was bright")
    green: float = number(
        0.5, "Crust", "%", 0.0, 1.0, about="How readily tarnish goes over into verdigris, white rust or chalk"
    )
    washed: float = number(
        0.6, "Rain-washed", "%", 0.0, 1.0, about="How much what sees the sky differs from what is sheltered"
    )
    streaks_mm: float = number(
        60.0, "Streaks", "mm", 0.0, 5000.0, (0.0, 500.0), "How far the crust runs down", grows=0.75
    )
    patch_mm: float = number(22.0, "Patch size", "mm", 0.2, 1000.0, (2.0, 150.0), log=True, grows=0.6)

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, more in some regions; polished off where it is handled."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(300.0, 1.0), octaves=4, seed=41), low=0.1, high=0.75, out_low=0.25)]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay film and crust over every metal that lies bare here."""
        pile = event.pile
        nothing = np.zeros(len(event.mask), np.float32)
        found = [family for family in self.acts_on if pile.has(family)]
        if not found:
            return event.nothing("No copper alloy, zinc, aluminium or silver is there")
        if self.years <= 0:
            return event.nothing("No time has passed: raise the years")
        amount = event.mask * event.strength
        measured = event.scope.place.measured
        sky = np.asarray(measured.sky, np.float32)
        tops = np.clip(event.texels.normal[:, 1] * 0.5 + 0.5, 0.0, 1.0)
        wet = sky * (0.45 + 0.55 * tops)
        wide = event.noise(self.patch_mm * 6.0, octaves=3, salt=81)
        patch = event.noise(self.patch_mm, octaves=5, gain=0.55, salt=82)
        grain = event.noise(max(self.patch_mm * 0.08, 0.5), octaves=2, salt=83)
        hollow = np.clip(-measured.curvature(self.patch_mm * 0.5) * 3.0, 0.0, 1.0)
        lane = event.noise(self.patch_mm * 0.35, octaves=3, tall=18.0, salt=84)
        film, crust, lift = nothing.copy(), nothing.copy(), nothing.copy()
        tone = np.zeros((len(nothing), 3), np.float32)
        body = np.zeros((len(nothing), 3), np.float32)
        setting = event.scope.place.setting.corrosivity
        for family in found:
            bare = pile.exposed(family)
            deep = lost_um(family, self.years, setting)
            local = deep * amount * np.clip(1.0 + 0.35 * wide + 0.3 * patch, 0.1, 2.2)
            age = 1.0 - np.exp(-local / 2.2)
            # The crust begins in hollows and where rain stays, spreads in patches, and runs down.
            site = self.washed * (wet - 0.35) * 0.9 + hollow * 0.7 + patch * 0.22 + wide * 0.20
            late = self.green * 1.6 - 0.95 + np.float32(0.55 * (1.0 - np.exp(-deep / 6.0)))
            grown = np.clip((site + late) * 1.6, 0.0, 1.0) * amount
            if self.streaks_mm > 0:
                run = event.run_down(grown, self.streaks_mm) * np.clip(0.25 + 0.6 * lane, 0.0, 1.0)
                grown = np.maximum(grown, run * 0.75 * amount)
            first, last, shell = (
                (BROWN, DARK, GREEN)
                if family == "copper alloy"
                else (YELLOW, BLACK, BLACK)
                if family == "other metal"
                else (CHALK, CHALK, WHITE_RUST if family == "zinc" else CHALK)
            )
            old = np.clip(age * 1.1 + 0.16 * patch - 0.1, 0.0, 1.0)[:, None]
            here = bare[:, None]
            tone += here * (
                np.array(first, np.float32) + (np.array(last, np.float32) - np.array(first, np.float32)) * old
            )
            lighter = np.array(PALE if family == "copper alloy" else shell, np.float32)
            mix = np.clip(0.35 + 0.25 * patch + 0.2 * grain, 0.0, 1.0)[:, None]
            body += here * (np.array(shell, np.float32) + (lighter - np.array(shell, np.float32)) * mix)
            share = np.float32(0.9 if family in ("copper alloy", "other metal") else 0.45)
            film += bare * np.clip(age * share * (0.85 + 0.2 * patch), 0.0, 0.93)
            crust += bare * grown * (0.0 if family == "other metal" else 0.9)
            lift += bare * grown * (min(deep * 0.6, 60.0) * 0.001) * (0.5 + 0.5 * patch + 0.3 * grain)
        spread = 1.0 + 0.12 * patch
        sheet = {
            "base_color": np.clip(_over(tone, pile, found) * spread[:, None], 0.0, 1.0),
            "roughness": np.clip(0.42 + 0.10 * patch, 0.1, 1.0),
            "metalness": one(0.55),
        }
        out = pile.with_coat(event.coat(f"{event.name}: tarnish", FILM, film_um(film, FILM.hide_um), sheet, "film"))
        sheet = {
            "base_color": np.clip(_over(body, pile, found) * (1.0 + 0.10 * grain)[:, None], 0.0, 1.0),
            "roughness": one(0.9),
        }
        out = out.with_coat(event.coat(f"{event.name}: crust", OXIDE, film_um(crust, OXIDE.hide_um), sheet, "crust"))
        return Outcome(raised(out, lift), np.maximum(film, crust))


def _over(color: np.ndarray, pile: Pile, found: list[str]) -> np.ndarray:
    """Colours that were summed up by exposure, brought back to what they are where less than all of the texel is
    bare.
    """
    total = np.minimum(sum(pile.exposed(family) for family in found), 1.0)
    return np.asarray(color / np.maximum(total, 0.02)[:, None], np.float32)
