"""Source: slope."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.fields import choice
from limus.masks.source import Scope, Source
from limus.readings.catalogue import READINGS


class SlopeSource(Source):
    """How far the surface faces up, down or sideways, over a span of 90 or 180 degrees."""

    kind: Literal["slope"] = "slope"
    order: ClassVar[int] = 3
    title: ClassVar[str] = "Slope"
    sentence: ClassVar[str] = "where it faces {towards}"

    towards: Literal["up", "down", "sideways"] = choice(
        "up", "Towards", "The direction that counts as white", up="up", down="down", sideways="sideways"
    )
    span: Literal["90", "180"] = choice("90", "Span", "Angle from white to black", **{"90": "90 degrees", "180": "180 degrees"})

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32: 1 facing that way, falling linearly with the angle to 0 at the end of the span."""
        angle = READINGS["slope"].value(scope.place, 0.0)
        if self.towards == "down":
            angle = np.float32(180.0) - angle
        elif self.towards == "sideways":
            angle = np.abs(angle - np.float32(90.0))
        return np.clip(np.float32(1.0) - angle / np.float32(self.span), 0.0, 1.0)
