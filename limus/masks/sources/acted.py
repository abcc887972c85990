"""Source: where an earlier layer acted."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import choice
from limus.masks.source import Scope, Source

#: A layer that showed in so much of a texel acted there.
TRACE = 0.02


class ActedSource(Source):
    """Where an earlier layer acted: not where it was allowed to, but where paint was lost, water stood, a sign came to
    lie.
    """

    kind: Literal["acted"] = "acted"
    order: ClassVar[int] = 40
    title: ClassVar[str] = "Where a layer acted"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where {layer} {how}"
    looks_back: ClassVar[bool] = True
    names_layer: ClassVar[str] = "layer"

    layer: str = Field(
        "",
        max_length=64,
        title="Layer",
        description="Id of an earlier layer",
        json_schema_extra={"control": "layer", "earlier": True},
    )
    how: Literal["acted", "strongly"] = choice(
        "acted", "White", "Wherever it left a trace; or the more, the more it did there", acted="acted at all",
        strongly="acted, the more the stronger",
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black where no layer was chosen yet, and where it is off."""
        if scope.masks is None or not self.layer:
            return np.zeros(len(scope.place.texels), np.float32)
        shown = scope.masks.acted(self.layer)
        return shown if self.how == "strongly" else np.minimum(shown * (1.0 / TRACE), 1.0)

    def key(self, scope: Scope) -> str:
        """That of what the layer did."""
        masks = scope.masks if self.layer else None
        return super().key(scope) + (masks.acted_key(self.layer) if masks is not None else "")

    def finding(self, scope: Scope) -> str:
        """Nothing chosen, or nothing done."""
        if not self.layer:
            return "No layer is chosen yet: it is black"
        if scope.masks is not None and not bool((scope.masks.acted(self.layer) > 0).any()):
            return "That layer is off or did nothing: it is black"
        return ""
