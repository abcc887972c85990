"""Source: thickness of a coat."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import number
from limus.masks.source import Scope, Source


class CoatSource(Source):
    """How thick a coat is at this moment of the chronicle."""

    kind: Literal["coat"] = "coat"
    order: ClassVar[int] = 41
    title: ClassVar[str] = "Thickness of a coat"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where {layer} is thick, full at {full_um}"
    looks_back: ClassVar[bool] = True
    names_layer: ClassVar[str] = "layer"

    layer: str = Field(
        "",
        max_length=64,
        title="Coat",
        description="Id of an earlier layer that leaves a coat",
        json_schema_extra={"control": "coat"},
    )
    full_um: float = number(
        100.0, "White from", "µm", 0.1, 100000.0, (1.0, 500.0), "Thickness from which on it is white", log=True
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black before the layer has happened, or where it left nothing."""
        if scope.moment is None:
            return np.zeros(len(scope.place.texels), np.float32)
        return np.clip(scope.moment.coat_thickness(self.layer) / self.full_um, 0.0, 1.0)

    def finding(self, scope: Scope) -> str:
        """Nothing chosen."""
        return "" if self.layer else "No coat is chosen yet: it is black"
