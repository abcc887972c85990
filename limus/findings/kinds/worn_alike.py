"""Everything equally worn."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Parts that are needed to tell, the least wear that counts, and how much parts must differ (deviation by mean).
PARTS, LEAST, DIFFER = 4, 0.03, 0.15


class WornAlike(Finding):
    """A loss that takes as much of every part: what is used and what is sheltered look the same."""

    kind: ClassVar[str] = "worn-alike"
    order: ClassVar[int] = 64
    title: ClassVar[str] = "Everything equally worn"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        area = np.bincount(texels.part, texels.area)
        there = area > 0.005 * area.sum()
        if int(there.sum()) < PARTS:
            return
        for chapter in seen.chapters:
            if chapter.layer.effect.family != "loss" or chapter.coverage < LEAST:
                continue
            share = np.bincount(texels.part, texels.area * chapter.shown, len(area))[there] / area[there]
            if float(share.std() / max(share.mean(), 1e-9)) < DIFFER:
                yield self.found(
                    "note",
                    f"'{chapter.layer.name}' takes as much of every part (about {share.mean():.0%})",
                    "Where everything is equally worn nothing seems to have been used",
                    chapter.layer.id,
                    layer=chapter.layer.id,
                    how="Let height, reach of hands, sun or a painted mask say where it is worn more",
                )
