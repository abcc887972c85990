"""Effect: splash band."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import DIRT
from limus.materials.tone import toned
from limus.patterns.speckle import speckle
from limus.readings.catalogue import READINGS


class Splash(Effect):
    """Rain throws earth up the foot of what stands on the ground: dense below, single drops above, some of them drawn
    out downwards.
    """

    kind: Literal["splash"] = "splash"
    order: ClassVar[int] = 11
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Splash band"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "drop_mm"}
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "root"
    reads: ClassVar[tuple[str, ...]] = ("setting.ground_mm",)
    summary: ClassVar[str] = "Earth thrown up the foot by rain: a ragged band with single drops above it"
    when: ClassVar[str] = (
        "On whatever stands on earth, grass or gravel in the open; also for the line that a flood leaves"
    )

    color: tuple[float, float, float] = colour((0.115, 0.083, 0.054), "Colour")
    height_mm: float = number(
        130.0, "Height", "mm", 1.0, 20000.0, (20.0, 800.0), "Up to where single drops reach", log=True, grows=0.8
    )
    amount: float = number(0.6, "Amount", "%", 0.0, 1.0, about="How dense it is at the foot")
    drop_mm: float = number(
        4.0, "Drop size", "mm", 0.2, 100.0, (1.0, 20.0), "Of the largest drops", log=True, grows=0.3
    )
    roughness: float = number(0.95, "Roughness", "", 0.05, 1.0, (0.5, 1.0))

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """On what is steep, more on one side."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.85, high=0.6, out_low=0.3),
                term(Noise(size_mm=size.mm(320.0, 1.0), octaves=3, seed=51), low=0.1, high=0.7, out_low=0.25),
            ]
        )

    def ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        """Heights from the foot of the object to its top."""
        low, high = self.heights(event)
        return {"height_mm": (max(low, 1.0), high)} if high - max(low, 1.0) > 1.0 else {}

    def apply(self, event: Event) -> Outcome:
        """Lay the band."""
        share = event.step(self._share)
        if not anywhere(share > 0.004):
            return Outcome(
                event.pile, share, "Nothing stands within the height of the splash: raise it, or set the ground"
            )
        tone = 1.0 + 0.14 * event.noise(self.drop_mm * 8, octaves=4, salt=93)
        sheet = {"base_color": toned(self.color, tone, 0.4, 1.6), "roughness": one(self.roughness)}
        return event.deposit(DIRT, share, sheet)

    def _share(self, event: Event) -> np.ndarray:
        texels = event.texels
        at = READINGS["height"].value(event.scope.place, 0.0) / self.height_mm
        ragged = event.noise(self.height_mm * 0.7, octaves=4, salt=90) * 0.13
        # Where the place is darker the band is lower, not paler.
        low = np.clip(1.0 - at / (0.25 + 0.75 * event.mask) + ragged, 0.0, 1.5)
        body = event.noise(self.drop_mm * 2.5, octaves=4, gain=0.7, salt=91)
        dense = np.clip((low - 0.5) * 2.4 + body * 0.22, 0.0, 1.0)
        if self.drop_mm > 1.2 * texels.texel_mm:
            big = speckle(
                texels.position * np.array([1, 0.8, 1], np.float32),
                self.drop_mm,
                amount=0.5,
                vary=0.85,
                soft=0.5,
                seed=event.seed(92) & 0xFFFF,
            )
            small = speckle(
                texels.position, self.drop_mm * 0.42, amount=0.55, vary=0.8, soft=0.6, seed=event.seed(94) & 0xFFFF
            )
            drops = np.maximum(
                big * (low > event.noise(self.drop_mm * 3, octaves=1, salt=95) * 0.22 + 0.42),
                small * (low > 0.3),
            )
        else:
            drops = np.full(len(at), 0.25, np.float32) * low
        thin = np.square(np.minimum(low, 1.0))
        wet = np.maximum(dense * 0.95, drops * thin)
        out = np.maximum(wet, event.run_down(wet * (drops > 0.6), self.drop_mm * 3.0) * 0.5 * thin)
        there = np.minimum(event.mask * 6.0, 1.0) * (at > (-0.02))
        return (np.clip(out, 0.0, 0.97) * there * (self.amount**0.5 * event.strength)).astype(np.float32)
