"""A part that no base lies on."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen


class BarePart(Finding):
    """Bases were chosen by part, and this one was forgotten."""

    kind: ClassVar[str] = "bare-part"
    order: ClassVar[int] = 52
    title: ClassVar[str] = "Parts without a base"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        bases = seen.session.scene.bases
        if not bases or any(base.parts is None for base in bases):
            return
        covered = {name for base in bases for name in base.parts or ()}
        for part in seen.session.mesh.parts:
            if part.name not in covered:
                yield self.found(
                    "warning",
                    f"No base lies on '{part.name}'",
                    "It has the plain grey that every object begins with",
                    part.name,
                    part=part.name,
                    how="Choose a base for it in the Base stage",
                )
