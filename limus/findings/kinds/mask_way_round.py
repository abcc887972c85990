"""A mask that is probably the wrong way round."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Correlation with the place that the effect takes by itself, below which it looks turned round.
AGAINST = -0.45


class MaskWayRound(Finding):
    """White where its effect is not found, and black where it is: dust below, rust where it is dry."""

    kind: ClassVar[str] = "mask-way-round"
    order: ClassVar[int] = 32
    title: ClassVar[str] = "Masks that look turned round"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        area = seen.chronicle.texels.area
        for chapter in seen.chapters:
            layer = chapter.layer
            usual = type(layer.effect).default_where(seen.session.size)
            if not layer.where.terms or not usual.terms:
                continue
            own, other = chapter.mask, usual.value(seen.scope_of(chapter))
            together = alike(own, other, area)
            if together < AGAINST:
                yield self.found(
                    "warning",
                    f"The mask of '{layer.name}' lies where {type(layer.effect).title.lower()} mostly is not",
                    f"Against the place it takes by itself it is turned round (correlation {together:.2f})",
                    layer.id,
                    layer=layer.id,
                    how="Look at it with M; a line may need Invert",
                )


def alike(a: np.ndarray, b: np.ndarray, weights: np.ndarray) -> float:
    """Pearson's correlation of two (n,) fields by area; 0 where one of them is even."""
    a, b = a - np.average(a, weights=weights), b - np.average(b, weights=weights)
    norm = float(np.sqrt(np.average(a * a, weights=weights) * np.average(b * b, weights=weights)))
    return float(np.average(a * b, weights=weights)) / norm if norm > 1e-9 else 0.0
