"""Where a coat shows today."""

from __future__ import annotations

from typing import ClassVar

from limus.common.errors import InputError
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class CoatLook(LookThrough):
    """Share of each texel that the coat shows in."""

    kind: ClassVar[str] = "coat"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        exposures = seen.chronicle.exposures(seen.pile)
        if look.index >= len(exposures):
            raise InputError(f"there is no coat {look.index}", where="look.index", remedy="Choose a coat from the list")
        _, title, values = exposures[look.index]
        return Shown(title, values, words=("hidden", "shows"))
