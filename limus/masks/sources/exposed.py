"""Source: exposed coat or base."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.masks.source import Scope, Source


class Exposed(Source):
    """How much of a coat, of any coating, or of the bare base is visible at this moment of the chronicle."""

    kind: Literal["exposed"] = "exposed"
    order: ClassVar[int] = 39
    title: ClassVar[str] = "Exposed"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where {what} shows"
    looks_back: ClassVar[bool] = True
    names_layer: ClassVar[str] = "what"

    what: str = Field(
        "base",
        max_length=64,
        title="What",
        description="'base', 'coating' (any paint or primer), 'iron' (bare ferrous base), or the id of an earlier layer",
        json_schema_extra={"control": "exposed", "names": {"base": "the bare base", "iron": "bare iron", "coating": "any paint"}},
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; 0 everywhere where the layer has not happened yet."""
        if scope.moment is None:
            return np.ones(len(scope.place.texels), np.float32)
        return scope.moment.exposure_of(self.what)
