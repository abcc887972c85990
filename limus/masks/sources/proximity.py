"""Source: near something."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from limus.common.fields import FileName, choice, number
from limus.masks.hand.stroke import lines_of
from limus.masks.pattern import seed_field
from limus.masks.source import Scope, Source
from limus.patterns.noise import fractal
from limus.readings.catalogue import READINGS
from limus.surface.nearest import distance_to


class ProximitySource(Source):
    """Distance to other objects, to chosen parts, or to a line drawn on the surface."""

    kind: Literal["proximity"] = "proximity"
    order: ClassVar[int] = 6
    title: ClassVar[str] = "Near something"
    reading: ClassVar[str] = "proximity"
    sentence: ClassVar[str] = "{side} {reach_cm} of {to}"

    to: Literal["neighbours", "parts", "line"] = choice(
        "neighbours",
        "Of",
        "What the distance is measured to",
        neighbours="neighbours",
        parts="parts",
        line="a drawn line",
    )
    parts: list[str] = Field(
        default_factory=list, max_length=512, title="Parts", description="Names of parts",
        json_schema_extra={"control": "parts", "when": {"to": "parts"}},
    )  # fmt: skip
    line: list[FileName] = Field(
        default_factory=list, max_length=200, title="Line", description="Stroke files whose paths are the line",
        json_schema_extra={"control": "line", "when": {"to": "line"}},
    )  # fmt: skip
    side: Literal["near", "inside", "beyond"] = choice(
        "near", "Where", "Fading from touching to the distance, all within it, or all beyond it",
        near="near, within", inside="within", beyond="beyond",
    )  # fmt: skip
    reach_cm: float = number(10.0, "Distance", "cm", 0.01, 100000.0, (0.5, 100.0), log=True, grows=0.75)
    fade_cm: float = number(
        0.5, "Fades over", "cm", 0.0, 10000.0, (0.0, 20.0), "Width of the border of 'within' and 'beyond'", grows=0.75
    )
    breakup: float = number(
        0.0, "Broken up", "%", 0.0, 1.0, (0.0, 0.6), "How much the distance varies from place to place"
    )
    breakup_cm: float = number(
        3.0, "Break-up size", "cm", 0.01, 1000.0, (0.3, 30.0), "Size of that variation", log=True, grows=0.75
    )
    seed: int = seed_field()

    @classmethod
    def shown_by(cls, size_mm: float, component: str) -> dict[str, Any]:
        """The distance of the reading."""
        return {"reach_cm": size_mm / 10} if size_mm else {}

    @model_validator(mode="before")
    @classmethod
    def _in_mm(cls, given: Any) -> Any:
        """Documents from before the distance was given in centimetres."""
        if isinstance(given, dict) and isinstance(given.get("reach_mm"), (int, float)) and "reach_cm" not in given:
            given = {**given, "reach_cm": given["reach_mm"] / 10.0}
            del given["reach_mm"]
        return given

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return tuple(self.line)

    def distance_mm(self, scope: Scope) -> np.ndarray:
        """(n,) float32 mm, cut off at twice the reach."""
        texels = scope.place.texels
        far = self.reach_cm * 20.0 + self.fade_cm * 10.0
        if self.to == "neighbours":
            return READINGS["proximity"].value(scope.place, far)
        mesh = texels.mesh
        if self.to == "parts":
            chosen = np.array([part.name in self.parts for part in mesh.parts], bool)
            positions, triangles = mesh.positions, mesh.triangles[chosen[mesh.triangle_part]]
        else:
            positions, triangles = lines_of(self.line, scope.files, mesh)
        if not len(triangles):
            return np.full(len(texels), far, np.float32)
        return distance_to(texels.position, positions, triangles, far / 1000.0) * np.float32(1000.0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black everywhere where there is nothing to be near to ("beyond": white)."""
        texels = scope.place.texels
        distance = self.distance_mm(scope)
        reach = np.full(1, self.reach_cm * 10.0, np.float32)
        if self.breakup > 0:
            seed = scope.seed * 7919 + self.seed
            varied = fractal(texels.position, self.breakup_cm * 10.0, seed=seed, texel_mm=texels.texel_mm)
            reach = reach * np.maximum(np.float32(1.0) + np.float32(self.breakup * 0.6) * varied, np.float32(0.05))
        if self.side == "near":
            return np.clip(np.float32(1.0) - distance / reach, 0.0, 1.0)
        inside = np.clip(np.float32(0.5) + (reach - distance) / np.float32(max(self.fade_cm * 10.0, 1e-3)), 0.0, 1.0)
        return inside if self.side == "inside" else np.float32(1.0) - inside

    def finding(self, scope: Scope) -> str:
        """There is nothing to be near to."""
        if self.to == "neighbours" and scope.place.measured.around.neighbours is None:
            return "The object has no neighbours: add one in the Object stage, or measure to parts or a line"
        if self.to == "parts" and not self.parts:
            return "No part is chosen yet"
        if self.to == "line" and not self.line:
            return "No line is drawn yet: draw one on the surface"
        return ""
