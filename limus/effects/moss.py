"""Effect: moss."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, ramp
from limus.effects.habitat import HABITAT_READS, habitat
from limus.masks.coverage import level_for
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import MOSS, covered
from limus.materials.tone import toned
from limus.patterns.discs import bits, covering
from limus.surface.nearby import value_at


class Moss(Effect):
    """Cushions of moss in joints, in corners and on ledges: each has a size of its own, they grow into one another,
    and stand up from the surface.
    """

    kind: Literal["moss"] = "moss"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 15
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Moss"
    group: ClassVar[Group] = "Growth"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "size_mm"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "even"
    reads: ClassVar[tuple[str, ...]] = HABITAT_READS
    summary: ClassVar[str] = "Cushions with volume in joints, in corners and on ledges"
    when: ClassVar[str] = "After many damp years, on stone, concrete, slates and timber; before snow"

    amount: float = number(
        0.38, "Amount", "%", 0.0, 1.0, about="From single cushions in joints to a carpet", place="amount"
    )
    size_mm: float = number(
        17.0, "Cushions", "mm", 1.0, 500.0, (5.0, 80.0), "Width of the largest", log=True, grows=0.2
    )
    height: float = number(0.24, "Height", "", 0.0, 1.0, (0.0, 0.8), "Against its width")
    joints: float = number(
        0.8, "In joints", "%", 0.0, 1.0, about="How far joints, cracks and corners are ahead of open faces"
    )
    fronds_mm: float = number(
        1.3, "Fronds", "mm", 0.1, 20.0, (0.4, 5.0), "Size of its single shoots", log=True, grows=0.0
    )
    color: tuple[float, float, float] = colour((0.062, 0.088, 0.022), "Colour")
    tips: tuple[float, float, float] = colour((0.16, 0.175, 0.045), "Colour of the tips")
    dry: float = number(0.25, "Dry", "%", 0.0, 1.0, about="How many cushions have turned brown")
    edge_mm: float = number(
        12.0, "Corner size", "mm", 0.05, 1000.0, (1.0, 60.0), "Rounding of the corners it grows in", log=True, grows=0.5
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions far more; the effect looks for joints, corners, ledges and shade by itself."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(260.0, 0.95), octaves=4, seed=251), low=0.25, high=0.8, out_low=0.05)]
        )

    def apply(self, event: Event) -> Outcome:
        """Let it grow."""
        texels = event.texels
        wish = self._wish(event)
        amount = self.amount * event.strength
        # The best places of this very object come first, whatever it is.
        level = level_for(wish, texels.area * (event.mask > 0.03), min(0.5 * amount**1.6, 0.98)) if amount > 0 else 2.0
        height = np.zeros(len(wish), np.float32)
        which, tint = np.zeros(len(wish), np.float32), np.zeros(len(wish), np.float32)
        for k, size in enumerate((1.0, 0.55, 0.3)):
            mm = self.size_mm * size
            if mm < 0.9 * texels.texel_mm and k:
                break
            # The largest are seen as cushions at any resolution; small ones cover what they cover, be it single texels.
            mm = max(mm, 1.8 * texels.texel_mm) if k == 0 else mm
            sites = event.sites(mm * 0.55, salt=252 + k)
            here = value_at(texels, wish, sites.position, sites.normal)
            # The best places first; what is left to chance keeps outlines from following the shade.
            luck = here + 0.30 * (bits(sites.number, 0) - 0.5) * (here > 0.03)
            if not len(luck) or amount <= 0:
                continue
            keep = sites.only((luck > level) & (here > 0.03))
            if not len(keep):
                continue
            here = value_at(texels, wish, keep.position, keep.normal)
            radius = (
                mm * 0.0005 * (0.66 + 0.34 * bits(keep.number, 1)) * np.clip(0.62 + (here - level) * 1.2, 0.45, 1.25)
            )
            over = covering(texels.position, texels.normal, keep.position, keep.normal, radius, 1.25)
            there = over.which >= 0
            # Outlines are ragged, each cushion a dome a little flatter than half a ball.
            ragged = event.noise(mm * 0.5, octaves=3, gain=0.6, salt=256 + k)
            share = over.share + 0.19 * ragged
            dome = np.sqrt(np.maximum(1.0 - np.square(np.minimum(share, 1.0)), 0.0))
            rows = np.maximum(over.which, 0)
            tall = np.where(
                there & (share < 1.0),
                (0.25 + 0.75 * dome) * ramp(share, 1.0, 0.86) * radius[rows] * (2000.0 * max(self.height, 0.02)),
                np.float32(0.0),
            )
            higher = tall > height
            height = np.where(higher, tall, height)
            which = np.where(higher, bits(keep.number, 2)[rows], which)
            tint = np.where(higher, dome, tint)
        if not anywhere(height > 0):
            return Outcome(
                event.pile, height, "Nothing here stays damp enough for moss: raise the amount" if amount > 0 else ""
            )
        fronds = event.noise(self.fronds_mm * 1.6, octaves=3, gain=0.75, salt=260)
        tufts = event.noise(self.fronds_mm * 5.0, octaves=3, gain=0.6, salt=261)
        there = ramp(height, 0.0, 0.5)
        bumps = (0.34 * self.fronds_mm * fronds + 0.5 * self.fronds_mm * tufts) * min(1.0, 3.0 * self.height)
        thickness = (np.maximum(height + bumps * there, 0.0) * 1000.0 + there * (2.5 * MOSS.hide_um)).astype(np.float32)
        lit = np.clip(0.45 * tint + 0.22 * fronds + 0.16 * tufts + 0.12, 0.0, 1.0)
        tone = 0.80 + 0.4 * which
        color = toned(self.color, tone, 0.4, 1.8)
        color += (toned(self.tips, tone, 0.4, 1.8) - color) * (lit * 0.8)[:, None]
        brown = np.clip((which * 7.13 % 1.0 - (1.0 - 0.8 * self.dry)) * 4.0, 0.0, 0.85) * np.float32(self.dry > 0)
        color += (np.array([0.13, 0.098, 0.045], np.float32) * tone[:, None] - color) * brown[:, None]
        sheet = {
            "base_color": np.clip(color, 0.0, 1.0),
            "roughness": one(1.0),
            "fuzz_weight": one(0.55),
            "fuzz_color": one(tuple(min(1.0, 2.0 * c) for c in self.tips)),
            "fuzz_roughness": one(0.7),
        }
        return Outcome(event.pile.with_coat(event.coat(event.name, MOSS, thickness, sheet)), covered(thickness, MOSS))

    def _wish(self, event: Event) -> np.ndarray:
        """(n,) float32 from 0: how good a place is for it."""
        home = habitat(event, self.edge_mm, 0.22 * self.size_mm)
        up = event.texels.normal[:, 1]
        ledge = ramp(up, 0.1, 0.85)
        # Cracks are narrower than joints and hold less.
        kept = np.maximum(home.joint * 0.8, home.hollow)
        open_ = home.damp * (0.10 + 0.90 * ledge) * (0.45 + 0.55 * home.shade)
        wish = open_ * (1.0 - 0.45 * self.joints) + kept * (0.62 * self.joints + 0.1) * (0.55 + 0.45 * home.damp)
        wish = wish * (0.35 + 0.65 * home.hold) * ramp(up, -0.55, 0.05) * 1.25
        patch = event.noise(self.size_mm * 4.0, octaves=4, gain=0.6, salt=262)
        return np.asarray(np.clip(wish + 0.12 * patch * (wish > 0.02), 0.0, 1.5) * event.mask, np.float32)
