"""Source: cracks so far."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source


class CracksSource(Source):
    """In cracks that earlier layers have opened, and near them: where damp, dirt and growth gather."""

    kind: Literal["cracks"] = "cracks"
    order: ClassVar[int] = 44
    title: ClassVar[str] = "Cracks so far"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "within {reach_mm} of cracks"
    looks_back: ClassVar[bool] = True

    reach_mm: float = number(
        4.0, "Reach", "mm", 0.01, 10000.0, (0.5, 60.0), "How far from the lip of a crack it fades to black", log=True,
        grows=0.5,
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: 1 inside a crack."""
        if scope.moment is None:
            return np.zeros(len(scope.place.texels), np.float32)
        return scope.moment.clefts(self.reach_mm)

    def finding(self, scope: Scope) -> str:
        """Nothing has cracked before this layer."""
        if scope.moment is not None and not (scope.moment.clefts(self.reach_mm) > 0).any():
            return "Nothing has cracked before this layer: it is black. Put a layer of cracks before it"
        return ""
