"""Source: vertex colour."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.fields import choice
from limus.masks.source import Scope, Source


class VertexColourSource(Source):
    """One channel of the vertex colours; white where the file brought none."""

    kind: Literal["vertex_colour"] = "vertex_colour"
    order: ClassVar[int] = 22
    title: ClassVar[str] = "Vertex colour"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "by vertex colour {channel}"

    channel: Literal["R", "G", "B", "A"] = choice(
        "R", "Channel", "Red, green, blue or alpha", R="red", G="green", B="blue", A="alpha"
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return np.ascontiguousarray(scope.place.texels.vertex_colour[:, "RGBA".index(self.channel)])
