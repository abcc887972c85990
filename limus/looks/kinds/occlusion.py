"""The ambient occlusion that goes with the finished surface."""

from __future__ import annotations

from typing import ClassVar

from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class OcclusionLook(LookThrough):
    """White where the surface is open."""

    kind: ClassVar[str] = "ambient_occlusion"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        open_ = 1.0 - seen.chronicle.finish(seen.pile).occlusion
        return Shown("Ambient occlusion", open_, words=("closed", "open"))
