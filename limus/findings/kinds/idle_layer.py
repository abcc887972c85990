"""A layer that changes nothing, or has something to say."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from limus.findings.finding import Finding, Found, Mend
from limus.looks.seen import Seen

#: Share of the surface below which a layer counts as doing nothing.
NOTHING = 1e-5


class IdleLayer(Finding):
    """It is on and shows nowhere."""

    kind: ClassVar[str] = "idle-layer"
    order: ClassVar[int] = 20
    title: ClassVar[str] = "Layers that change nothing"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        for chapter in seen.chapters:
            layer = chapter.layer
            if chapter.coverage <= NOTHING:
                off = Mend(
                    label="Switch it off", command="set", arguments={"values": {f"layers[{layer.id}].on": False}}
                )
                yield self.found(
                    "warning",
                    f"'{layer.name}' changes nothing",
                    chapter.note or "It is reckoned every time, and nobody sees it",
                    layer.id,
                    layer=layer.id,
                    how="" if chapter.note else "Look at its mask, raise its strength, or switch it off",
                    mend=off,
                )
            elif chapter.note:
                yield self.found(
                    "note", f"'{layer.name}' has something to say", chapter.note, layer.id, "note", layer=layer.id
                )
