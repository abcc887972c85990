"""What is odd about a base: visible repetition, an unlikely colour, pixels that are too coarse."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.bases.choice import BaseChoice
from limus.findings.finding import Finding, Found, Mend
from limus.looks.seen import Seen
from limus.patterns.repetition import SEEN
from limus.review.base_review import said_of


class BaseNote(Finding):
    """Told by the same review as in the Base stage."""

    kind: ClassVar[str] = "base"
    order: ClassVar[int] = 50
    title: ClassVar[str] = "Bases"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        scene, pile = seen.session.scene, seen.pile
        for k, number in enumerate(pile.marks.order):
            choice = scene.bases[number] if scene.bases else BaseChoice()
            said = said_of(choice, pile, (pile.substance == k).astype(np.float32), seen.session)
            for j, note in enumerate(said.notes):
                repeats = said.repetition > SEEN and "repeat" in note
                mend = None
                if repeats and not choice.placing.broken and scene.bases:
                    values = {f"bases[{number}].placing.broken": True}
                    mend = Mend(label="Break its repetition", command="set", arguments={"values": values})
                yield self.found(
                    "warning" if repeats else "note",
                    f"The base '{said.title}'",
                    note,
                    number,
                    "repeats" if repeats else j,
                    base=number,
                    mend=mend,
                )
