"""Source: vertex colour."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from limus.common.fields import choice
from limus.masks.shape import smoothstep
from limus.masks.source import Scope, Source
from limus.surface.blur import blur


class VertexColourSource(Source):
    """One channel of the vertex colours, those of the file with what was painted on them; white where there are
    none.
    """

    kind: Literal["vertex_colour"] = "vertex_colour"
    order: ClassVar[int] = 22
    title: ClassVar[str] = "Vertex colour"
    reading: ClassVar[str] = "vertex_colour"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "by vertex colour {channel}"

    channel: Literal["R", "G", "B", "A"] = choice(
        "R", "Channel", "Red, green, blue or alpha", R="red", G="green", B="blue", A="alpha"
    )
    edge: Literal["plain", "hard", "blurred"] = choice(
        "plain", "Between vertices",
        "As it runs from vertex to vertex, with a hard border in the middle, or softened further",
        plain="runs evenly", hard="hard border", blurred="blurred",
    )  # fmt: skip

    @classmethod
    def shown_by(cls, size_mm: float, component: str) -> dict[str, Any]:
        """The channel that is looked at."""
        return {"channel": component} if component else {}

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        texels = scope.place.texels
        out = np.ascontiguousarray(scope.place.vertex_colour[:, "RGBA".index(self.channel)])
        if self.edge == "hard":
            return smoothstep(out, 0.48, 0.52)
        if self.edge == "blurred":
            return blur(texels, out, texels.mesh.diagonal * 10.0)
        return out
