"""Source: slope."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice
from limus.masks.direction import Directed, towards_field
from limus.masks.source import Scope, Source


class SlopeSource(Directed, Source):
    """How far the surface faces a direction, over a span of 90 or 180 degrees."""

    kind: Literal["slope"] = "slope"
    order: ClassVar[int] = 3
    title: ClassVar[str] = "Slope"
    reading: ClassVar[str] = "slope"
    sentence: ClassVar[str] = "where it faces {towards}"

    towards: Literal["up", "down", "sideways", "north", "east", "south", "west", "wind", "other"] = towards_field(
        "up", "The direction that counts as white", sideways="sideways"
    )
    span: Literal["90", "180"] = choice(
        "90", "Span", "Angle from white to black", **{"90": "90 degrees", "180": "180 degrees"}
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32: 1 facing that way, falling linearly with the angle to 0 at the end of the span."""
        dot = np.clip(scope.place.texels.normal @ self.direction(scope), -1.0, 1.0)
        angle = np.degrees(np.arccos(dot)).astype(np.float32)
        if self.towards == "sideways":
            angle = np.abs(angle - 90.0)
        return np.clip(1.0 - angle / np.float32(self.span), 0.0, 1.0)
