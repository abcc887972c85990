"""Effect: lichen."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, raised, ramp
from limus.effects.habitat import HABITAT_READS, habitat
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import LICHEN
from limus.patterns.discs import bits, covering
from limus.patterns.sites import Sites
from limus.surface.nearby import value_at

#: Growth against the rate of the layer, share of all rosettes, how lobed its outline is, and how much it likes the sun,
#: by group (common practice, no source).
GROUPS = {
    "grey": (1.0, 0.42, 0.10, 0.5),
    "pale": (0.8, 0.26, 0.06, 0.4),
    "yellow": (0.7, 0.20, 0.16, 0.9),
    "dark": (0.45, 0.12, 0.05, 0.3),
}


class Lichen(Effect):
    """Crusts of lichen in separate rosettes, by age: those that came first are the largest, many are young; groups
    differ in colour and outline.

    They grow outwards by about half a millimetre a year (lichenometry handbooks, from memory), slower in shade and on
    smooth ground.
    """

    kind: Literal["lichen"] = "lichen"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 16
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Lichen"
    group: ClassVar[Group] = "Growth"
    photographed: ClassVar[dict[str, str]] = {"share": "amount"}
    shown_on: ClassVar[ShownOn] = ("slate", ())
    law: ClassVar[Law] = "years"
    reads: ClassVar[tuple[str, ...]] = HABITAT_READS
    louder: ClassVar[str] = "raise the years, or the resolution; it grows a few tenths of a millimetre a year"
    figures: ClassVar[str] = "Growth by years: handbooks of lichenometry (from memory)"
    summary: ClassVar[str] = "Rosettes by age and kind, grey, pale, yellow and dark, with lobed rims"
    when: ClassVar[str] = "After decades outside on stone, slates, concrete and timber; before moss grows over it"

    years: float = number(
        25.0, "Years", "years", 0.0, 500.0, (0.0, 120.0), "Since the first of them settled", place="amount"
    )
    amount: float = number(0.45, "Amount", "%", 0.0, 1.0, about="How many have settled", place="amount")
    rate_mm: float = number(0.5, "Growth a year", "mm", 0.01, 5.0, (0.1, 1.5), "Of the radius", log=True, grows=0.0)
    kinds: Literal["mixed", "grey", "pale", "yellow", "dark"] = choice(
        "mixed", "Kinds", "Which groups", mixed="mixed", grey="grey", pale="pale", yellow="yellow", dark="dark"
    )
    grey_color: tuple[float, float, float] = colour((0.235, 0.25, 0.205), "Grey")
    pale_color: tuple[float, float, float] = colour((0.47, 0.47, 0.41), "Pale")
    yellow_color: tuple[float, float, float] = colour((0.42, 0.235, 0.030), "Yellow")
    dark_color: tuple[float, float, float] = colour((0.035, 0.036, 0.030), "Dark")
    lobes: float = number(0.5, "Lobed", "%", 0.0, 1.0, about="How ragged outlines are")
    bare: float = number(0.35, "Bare middles", "%", 0.0, 1.0, about="Old ones fall out in the middle and are rings")
    thickness_um: float = number(320.0, "Thickness", "µm", 0.0, 5000.0, (0.0, 1500.0))

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions far more."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(240.0, 0.95), octaves=3, seed=271), low=0.25, high=0.75, out_low=0.06)]
        )

    def apply(self, event: Event) -> Outcome:
        """Settle them and let them grow."""
        texels = event.texels
        if self.years * self.amount * event.strength <= 0:
            return event.nothing("No time has passed: raise the years" if self.years <= 0 else "")
        wish = self._wish(event)
        sites, radius, group = self._settled(event, wish)
        if not len(sites):
            return event.nothing("None has settled here: raise the amount or widen the place")
        if 2000.0 * float(radius.max()) < 1.2 * texels.texel_mm:
            # Too fine to tell one from another: what is left is their share of the surface.
            note = (
                f"The largest is {2000.0 * float(radius.max()):.2g} mm wide, less than a texel: raise the "
                "resolution to see them"
            )
        else:
            note = ""
        over = covering(texels.position, texels.normal, sites.position, sites.normal, radius, 1.45)
        rows = np.maximum(over.which, 0)
        r = radius[rows] * 1000.0
        lobed = np.array([GROUPS[k][2] for k in GROUPS], np.float32)[group][rows]
        typical = float(np.median(radius)) * 1000.0
        coarse = event.noise(max(typical * 0.9, texels.texel_mm), octaves=4, gain=0.6, salt=273)
        fine = event.noise(max(typical * 0.22, texels.texel_mm), octaves=3, gain=0.7, salt=274)
        share = over.share + lobed * (2.2 * self.lobes) * (0.75 * coarse + 0.35 * fine)
        soft = np.maximum(0.6 * texels.texel_mm / np.maximum(r, 1e-6), 0.05)
        there = np.clip((1.0 - share) / soft + 0.5, 0.0, 1.0) * (over.which >= 0)
        there = there * _true_to_area(r, np.float32(0.6 * texels.texel_mm))
        # Old middles fall out.
        chance = bits(sites.number, 4)[rows]
        grown = np.minimum(r / max(self.rate_mm * self.years * 0.6, 1e-3), 1.0)
        out_of = ramp(share + 0.12 * fine, 0.55, 0.25) * self.bare * ramp(grown, 0.35, 0.8) * (chance > 0.35)
        cover = np.clip(there * (1.0 - 0.95 * out_of), 0.0, 0.96) * np.clip(0.86 + 0.16 * fine, 0.2, 1.0)
        cover = (cover * min(1.0, event.strength * 1.2)).astype(np.float32)
        color = self._color(sites, group, rows, share, coarse, fine)
        rim = np.exp(-np.square((share - 0.88) * 6.0))
        crust = (0.45 + 0.4 * rim + 0.25 * fine) * self.thickness_um * there * (1.0 - out_of)
        thickness = film_um(cover, LICHEN.hide_um)
        lift = np.maximum(crust - thickness, 0.0) * 0.001
        sheet = {
            "base_color": color,
            "roughness": one(0.95),
            "fuzz_weight": one(0.12),
            "fuzz_color": one((0.6, 0.6, 0.55)),
        }
        pile = event.pile.with_coat(event.coat(event.name, LICHEN, thickness, sheet))

        return Outcome(raised(pile, lift), cover, note)

    def _wish(self, event: Event) -> np.ndarray:
        """(n,) float32 0..1: how good a place is."""
        home = habitat(event, 8.0, 4.0)
        up = event.texels.normal[:, 1]
        wish = (0.35 + 0.65 * home.light) * (0.45 + 0.55 * ramp(up, -0.3, 0.6)) * home.hold
        # Nothing below an overhang, little where water runs all the time.
        return np.asarray(np.clip(wish * ramp(up, -0.5, 0.0), 0.0, 1.0) * event.mask, np.float32)

    def _settled(self, event: Event, wish: np.ndarray) -> tuple[Sites, np.ndarray, np.ndarray]:
        """The rosettes, (m,) float32 their radii in m, and (m,) which group each is of."""
        texels = event.texels
        # So many that at full amount they nearly touch when the oldest have grown to their size.
        typical = max(self.rate_mm * self.years * 0.55, 0.6)
        apart = max(typical * 1.0, 1000.0 * (texels.total_area / 120_000.0) ** 0.5)
        sites = event.sites(apart, salt=272)
        here = value_at(texels, wish, sites.position, sites.normal) if len(sites) else np.zeros(0, np.float32)
        sites = sites.only(bits(sites.number, 0) < here * (1.7 * self.amount * min(1.0, event.strength)))
        names = list(GROUPS)
        if self.kinds == "mixed":
            edges = np.cumsum([GROUPS[k][1] for k in names])
            group = np.minimum(np.searchsorted(edges, bits(sites.number, 1)), len(names) - 1)
        else:
            group = np.full(len(sites), names.index(self.kinds))
        rate = np.array([GROUPS[k][0] for k in names], np.float32)[group]
        # They went on settling: most are young.
        age = self.years * np.maximum(1.0 - np.power(bits(sites.number, 2), 0.55), 0.02)
        own = 0.6 + 0.4 * bits(sites.number, 3)
        return sites, (self.rate_mm * 0.001 * rate * age * own).astype(np.float32), group

    def _color(
        self, sites: Sites, group: np.ndarray, rows: np.ndarray, share: np.ndarray, coarse: np.ndarray, fine: np.ndarray
    ) -> np.ndarray:
        """(n, 3): by group, each rosette a little different, paler at the growing rim, darker inside."""
        own = np.array([self.grey_color, self.pale_color, self.yellow_color, self.dark_color], np.float32)[group]
        own = own * (0.82 + 0.36 * bits(sites.number, 5))[:, None]
        turn = (bits(sites.number, 6) - 0.5) * 0.24
        own[:, 0] *= 1.0 + turn
        own[:, 2] *= 1.0 - turn
        rim = np.exp(-np.square((share - 0.9) * 5.5))
        ring = 0.05 * np.sin(share * 24.0 + coarse)
        tone = 0.92 + 0.24 * rim + ring + 0.13 * fine - 0.16 * ramp(share, 0.6, 0.1)
        return np.clip(own[rows] * np.clip(tone, 0.45, 1.6)[:, None], 0.0, 1.0).astype(np.float32)


def _true_to_area(radius: np.ndarray, soft: np.float32) -> np.ndarray:
    """(n,) float32 at most 1: by what a soft disc has to be fainter so that it covers as much as the sharp one.

    The soft one falls from 1 to 0 over ``soft`` mm about ``radius`` and ends at 1.45 radii: what is narrower than a
    texel would cover too much.
    """
    inner, outer = np.maximum(radius - soft / 2, 0.0), radius + soft / 2
    last = np.minimum(outer, 1.45 * radius)
    slope = (outer * np.square(last) / 2 - last**3 / 3) - (outer * np.square(inner) / 2 - inner**3 / 3)
    covered = np.square(inner) + 2.0 / soft * slope
    return np.minimum(np.square(radius) / np.maximum(covered, 1e-12), 1.0)
