"""One line of the recipe of a layer, an episode or a base."""

from __future__ import annotations

from typing import ClassVar

from limus.common.errors import InputError
from limus.looks.kinds.mask import HERE, recipe_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen


class LineLook(LookThrough):
    """The line, shaped, before it meets the others."""

    kind: ClassVar[str] = "term"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        found = recipe_of(seen, look)
        if look.index >= len(found.recipe.terms):
            raise InputError(
                f"the recipe has no line {look.index + 1}", where="look.index", remedy="Choose a line of the recipe"
            )
        values = found.recipe.terms[look.index].value(found.scope)
        return Shown(f"{found.title}: line {look.index + 1}", values, words=HERE)
