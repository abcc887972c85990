"""The normals of the finished surface."""

from __future__ import annotations

from typing import ClassVar

from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class NormalLook(LookThrough):
    """Tangent space, as normal maps have it."""

    kind: ClassVar[str] = "normal"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        colour = seen.chronicle.finish(seen.pile).normal * 0.5 + 0.5
        return Shown("Normal", colour=colour, about="Direction of the surface against its shape, from the relief")
