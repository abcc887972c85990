"""A mask that is nearly all black or white, or a half blend over everything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Mean of a mask that is nearly black, nearly white.
BLACK, WHITE = 0.002, 0.995
#: A half blend: nowhere below or above these over so much of the surface, with hardly any change in it.
HALF, OVER, EVEN = (0.2, 0.8), 0.9, 0.08


class MaskLevel(Finding):
    """Its recipe says nearly the same everywhere."""

    kind: ClassVar[str] = "mask-level"
    order: ClassVar[int] = 30
    title: ClassVar[str] = "Masks that say the same everywhere"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        for chapter in seen.chapters:
            layer = chapter.layer
            if not layer.where.terms:
                continue
            mean = texels.share(chapter.mask)
            here = {"layer": layer.id}
            if mean < BLACK:
                yield self.found(
                    "warning",
                    f"The mask of '{layer.name}' is nearly all black ({mean:.2%})",
                    "Its lines leave hardly a place where it may be",
                    layer.id,
                    how="Look through its lines one by one; the one that is black everywhere is to blame",
                    **here,
                )
            elif mean > WHITE:
                yield self.found(
                    "note",
                    f"The mask of '{layer.name}' is nearly all white ({mean:.1%})",
                    "Its lines cost time and change nothing",
                    layer.id,
                    how="Remove them, or narrow their ranges",
                    **here,
                )
            else:
                inside = ((chapter.mask > HALF[0]) & (chapter.mask < HALF[1])).astype(np.float32)
                spread = float(np.sqrt(np.average((chapter.mask - mean) ** 2, weights=texels.area)))
                if texels.share(inside) > OVER and spread < EVEN:
                    yield self.found(
                        "warning",
                        f"'{layer.name}' lies as a half blend ({mean:.0%}) over everything",
                        "What is half there everywhere greys what is below and reads as a filter, not as matter",
                        layer.id,
                        how="Give it places: sharpen its lines, or set a coverage",
                        **here,
                    )
