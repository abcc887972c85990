"""Where a layer acted."""

from __future__ import annotations

from typing import ClassVar

from limus.looks.kinds.mask import recipe_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class ActedLook(LookThrough):
    """Where a layer showed when it happened: what its mask allowed, and the effect made of it."""

    kind: ClassVar[str] = "acted"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        chapter, _, _, title = recipe_of(seen, look)
        return Shown(f"Where {title} acted", chapter.shown, words=("nothing", "fully"))
