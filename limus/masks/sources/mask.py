"""Source: the mask of another layer."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.masks.source import Scope, Source


class MaskSource(Source):
    """The mask of another layer, as it stands; invert it to be where that one is not."""

    kind: Literal["mask"] = "mask"
    order: ClassVar[int] = 40
    title: ClassVar[str] = "Mask of a layer"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where {layer} is placed"
    names_layer: ClassVar[str] = "layer"

    layer: str = Field(
        "", max_length=64, title="Layer", description="Id of another layer", json_schema_extra={"control": "layer"}
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black where no layer was chosen yet."""
        if scope.masks is None or not self.layer:
            return np.zeros(len(scope.place.texels), np.float32)
        return scope.masks.value(self.layer)

    def key(self, scope: Scope) -> str:
        """That of the other mask."""
        return super().key(scope) + (scope.masks.key(self.layer) if scope.masks is not None and self.layer else "")

    def finding(self, scope: Scope) -> str:
        """Nothing chosen."""
        return "" if self.layer else "No layer is chosen yet: it is black"
