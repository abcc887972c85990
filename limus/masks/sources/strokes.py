"""Source: painted by hand."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import FileName
from limus.common.hashing import key_of
from limus.masks.hand.painting import painted
from limus.masks.source import Scope, Source


class Strokes(Source):
    """What was painted by hand: kept as strokes on the object, not as pixels."""

    kind: Literal["strokes"] = "strokes"
    order: ClassVar[int] = 20
    title: ClassVar[str] = "Painted by hand"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "painted by hand, {strokes}"
    over: ClassVar[bool] = True

    strokes: list[FileName] = Field(
        default_factory=list, max_length=20000, title="Strokes", description="Stroke files, first to last",
        json_schema_extra={"control": "strokes"},
    )  # fmt: skip

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return tuple(self.strokes)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1: the strokes on black."""
        return np.ascontiguousarray(self.laid(scope)[:, 0])

    def laid(self, scope: Scope) -> np.ndarray:
        """(n, 2) float32: what is painted (0), and how much of what is below shows through (1)."""
        return painted(scope.place.texels, self.strokes, scope.files, scope.keep)

    def shown_over(self, scope: Scope) -> tuple[np.ndarray, np.ndarray]:
        """(n,) white that is painted, (n,) how much of the lines above it hides."""
        both = self.laid(scope)
        hides = 1.0 - both[:, 1]
        return both[:, 0] / np.maximum(hides, 1e-6), hides

    def key(self, scope: Scope) -> str:
        """The strokes by name; the chain of them is kept step by step in ``painted``."""
        return key_of("strokes", scope.place.texels.key, self.strokes)

    def finding(self, scope: Scope) -> str:
        """Nothing painted."""
        return "" if self.strokes else "Nothing is painted yet"
