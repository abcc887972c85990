"""Source: scratches."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number, switch
from limus.masks.direction import Directed, Towards, towards_field
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.noise import warped
from limus.patterns.scratches import scratches


class Scratches(Directed, Pattern):
    """Fine straight lines, every way or along a direction."""

    kind: Literal["scratches"] = "scratches"
    order: ClassVar[int] = 35
    title: ClassVar[str] = "Scratches"
    sentence: ClassVar[str] = "scratches of {length_mm}"
    grain: ClassVar[tuple[str, float]] = ("width_mm", 2.0)

    length_mm: float = size_field(60.0, "Length", "Of the longest", soft=(5.0, 500.0), grows=0.5)
    width_mm: float = size_field(0.6, "Width", "In the middle of a scratch", soft=(0.1, 6.0), grows=0.25)
    amount: float = number(2.0, "Amount", "", 0.05, 20.0, (0.2, 8.0), "How many in a cube of that length", log=True)
    directed: bool = switch(False, "Along a direction", "Most of them run one way")
    towards: Towards = towards_field("up", "The direction they run in")
    spread: float = number(0.2, "Spread", "", 0.0, 1.0, about="0: all one way, 1: every way", when={"directed": True})
    bend: float = number(0.1, "Bend", "", 0.0, 1.0, about="Straight, or curved")
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        points, seed = texels.position, self.salt(scope)
        if self.bend > 0:
            points = warped(points, self.length_mm * 1.3, self.bend * self.length_mm * 0.12, seed=seed + 5, octaves=1)
        return scratches(
            points, texels.normal, self.length_mm, self.width_mm, per_cube=self.amount, seed=seed,
            texel_mm=texels.texel_mm,
            along=self.direction(scope) if self.directed else None, spread=self.spread,
        )  # fmt: skip

    def finding(self, scope: Scope) -> str:
        """Thinner than a texel: fainter instead."""
        texel = scope.place.texels.texel_mm
        if self.width_mm >= texel:
            return ""
        return (
            f"Scratches of {self.width_mm:.3g} mm are finer than a texel ({texel:.3g} mm): they are shown fainter "
            "instead"
        )
