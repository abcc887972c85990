"""Source: everywhere alike."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.masks.source import Scope, Source


class Even(Source):
    """One value everywhere."""

    kind: Literal["even"] = "even"
    order: ClassVar[int] = 25
    title: ClassVar[str] = "Everywhere"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "everywhere, {level}"

    level: float = number(1.0, "Level", "", 0.0, 1.0, about="1 is white")

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        return np.full(len(scope.place.texels), self.level, np.float32)
