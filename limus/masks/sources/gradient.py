"""Source: gradient."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, number
from limus.masks.direction import Directed, Towards, towards_field
from limus.masks.source import Scope, Source


class Gradient(Directed, Source):
    """An even run from black to white over the whole object."""

    kind: Literal["gradient"] = "gradient"
    order: ClassVar[int] = 36
    title: ClassVar[str] = "Gradient"
    group: ClassVar[str] = "Patterns"
    joint: ClassVar[str] = "broken up by"
    sentence: ClassVar[str] = "a {shape} gradient"

    shape: Literal["straight", "round", "around"] = choice(
        "straight", "Shape", "Along a direction, from the middle outward, or round an axis like a clock",
        straight="straight", round="round", around="turning",
    )  # fmt: skip
    towards: Towards = towards_field("up", "Where white is, or the axis it turns about")
    start: float = number(
        0.0, "Begins at", "%", -2.0, 3.0, (0.0, 1.0), "Share of the object's extent where it is still black"
    )
    end: float = number(1.0, "Ends at", "%", -2.0, 3.0, (0.0, 1.0), "From this share of the extent on it is white")

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; the extent is that of the object's box, so another version of the model keeps it."""
        texels = scope.place.texels
        low, high = texels.mesh.bounds
        middle, half = (low + high) / 2, (high - low) / 2
        along = self.direction(scope).astype(np.float64)
        from_middle = texels.position - middle.astype(np.float32)
        if self.shape == "straight":
            reach = float(np.abs(along) @ half)
            share = 0.5 + 0.5 * (from_middle @ along.astype(np.float32)) / max(reach, 1e-9)
        elif self.shape == "round":
            share = np.linalg.norm(from_middle, axis=1) / max(float(np.linalg.norm(half)), 1e-9)
        else:
            side = np.cross(along, [0.0, 0.0, 1.0] if abs(along[2]) < 0.9 else [1.0, 0.0, 0.0])
            side /= np.linalg.norm(side)
            other = np.cross(along, side)
            angle = np.arctan2(from_middle @ other.astype(np.float32), from_middle @ side.astype(np.float32))
            share = 0.5 + angle / (2 * np.pi)
        span = self.end - self.start
        return np.clip((share - self.start) / (span if abs(span) > 1e-6 else 1e-6), 0.0, 1.0).astype(np.float32)
