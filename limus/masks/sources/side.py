"""Source: side of a thin sheet."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice
from limus.masks.source import Scope, Source


class SideSource(Source):
    """Front or back of thin sheets that were split into two sides."""

    kind: Literal["side"] = "side"
    order: ClassVar[int] = 24
    title: ClassVar[str] = "Side of a sheet"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "on the {side} of thin sheets"

    side: Literal["front", "back"] = choice(
        "back", "Side", "The side the file shows, or the one split off behind it", front="front", back="back"
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32."""
        texels = scope.place.texels
        back = np.array([part.back for part in texels.mesh.parts], np.float32)[texels.part]
        return back if self.side == "back" else 1.0 - back
