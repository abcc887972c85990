"""A coat that was laid and never shows."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Share of the surface below which a coat counts as hidden, and what it must have covered once.
HIDDEN, LAID = 5e-4, 0.01


class HiddenCoat(Finding):
    """It covered something when it was laid; today something else lies over all of it."""

    kind: ClassVar[str] = "hidden-coat"
    order: ClassVar[int] = 40
    title: ClassVar[str] = "Coats that never show"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        laid = {chapter.layer.id: chapter for chapter in seen.chapters}
        for coat in seen.pile.coats:
            chapter = laid.get(coat.layer)
            # A primer, and what is seen through, are no finding.
            if chapter is None or coat.piece or coat.substance.clear or coat.substance.family == "veil":
                continue
            today = texels.share(seen.pile.exposure_of(coat.layer))
            if chapter.coverage > LAID and today < HIDDEN:
                name = chapter.layer.name
                yield self.found(
                    "note",
                    f"'{name}' covered {chapter.coverage:.0%} when it was laid and shows nowhere today",
                    "Something later lies over all of it",
                    coat.layer,
                    layer=coat.layer,
                    how="Let something break through what lies over it, move it later, or switch it off",
                )
