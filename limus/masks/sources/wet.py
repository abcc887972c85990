"""Source: wetness so far."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.masks.source import Scope, Source


class Wet(Source):
    """Where water stands or clings at this moment of the chronicle."""

    kind: Literal["wet"] = "wet"
    order: ClassVar[int] = 43
    title: ClassVar[str] = "Wetness so far"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where it is wet"
    looks_back: ClassVar[bool] = True

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: how much of the surface a film of water covers."""
        if scope.moment is None:
            return np.zeros(len(scope.place.texels), np.float32)
        return scope.moment.wetness()

    def finding(self, scope: Scope) -> str:
        """Nothing is wet before this layer."""
        if scope.moment is not None and not scope.moment.wetness().any():
            return "Nothing has wetted the surface before this layer: it is black"
        return ""
