"""Where a layer acted."""

from __future__ import annotations

from typing import ClassVar

from limus.common.errors import InputError
from limus.looks.kinds.mask import recipe_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class ActedLook(LookThrough):
    """Where a layer showed when it happened: what its mask allowed, and the effect made of it."""

    kind: ClassVar[str] = "acted"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        found = recipe_of(seen, look)
        if found.acted is None:
            raise InputError("only layers act", where="look.layer", remedy="Choose a layer, or look at its mask")
        return Shown(f"Where {found.title} acted", found.acted, words=("nothing", "fully"))
