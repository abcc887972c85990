"""Source: the base material itself."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import decided
from limus.common.fields import choice
from limus.masks.source import Scope, Source


class BaseMap(Source):
    """What the base material says of itself: its height tells joints from faces."""

    kind: Literal["base_map"] = "base_map"
    order: ClassVar[int] = 44
    title: ClassVar[str] = "Base material"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "by the base's {what}"

    what: Literal["height", "joint", "piece", "occlusion", "roughness", "metalness", "brightness"] = choice(
        "height", "What", "Which of its maps", height="height", joint="joints", piece="pieces", occlusion="occlusion",
        roughness="roughness", metalness="metalness", brightness="brightness",
    )  # fmt: skip

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; height and brightness from their lowest to their highest hundredth."""
        made = scope.made
        if made is None:
            return np.full(len(scope.place.texels), 0.5, np.float32)
        field = made.base_map(self.what)
        if self.what not in ("height", "brightness"):
            return field
        low, high = decided("ends", lambda: np.quantile(field[:: max(1, len(field) // 50000)], [0.01, 0.99]))
        return np.clip((field - np.float32(low)) / np.float32(max(high - low, 1e-9)), 0.0, 1.0)

    def finding(self, scope: Scope) -> str:
        """A base without joints, pieces or occlusion of its own."""
        if scope.made is None or self.what not in ("joint", "piece", "occlusion"):
            return ""
        if float(np.ptp(scope.made.base_map(self.what))) > 0:
            return ""
        words = {"joint": "joints", "piece": "pieces", "occlusion": "occlusion map"}
        return f"The base has no {words[self.what]}: choose bricks, setts, slates or boards, or a map set with one"

    def key(self, scope: Scope) -> str:
        """As of every source, and which base it is."""
        return super().key(scope) + (scope.made.key if scope.made is not None else "")
