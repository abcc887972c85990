"""One line of the recipe of a layer or an episode."""

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
        chapter, recipe, _, title = recipe_of(seen, look)
        if look.index >= len(recipe.terms):
            raise InputError(
                f"the recipe has no line {look.index + 1}", where="look.index", remedy="Choose a line of the recipe"
            )
        values = recipe.terms[look.index].value(seen.scope_of(chapter))
        return Shown(f"{title}: line {look.index + 1}", values, words=HERE)
