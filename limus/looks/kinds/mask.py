"""The mask of a layer, an episode or a base."""

from __future__ import annotations

from typing import ClassVar

from limus.common.errors import InputError
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import BASE, Opened, Seen

#: What black and white mean.
HERE = ("not here", "here")


def recipe_of(seen: Seen, look: Look) -> Opened:
    """As ``Seen.recipe`` gives it.

    Raises
    ------
    InputError : the layer is off or does not exist, or the base lies everywhere.
    """
    found = seen.recipe(look.layer)
    if found is None and look.layer.startswith(BASE):
        raise InputError(
            "this base has no mask", where="look.layer", remedy="Let it lie over the others by a mask first"
        )
    if found is None:
        raise InputError(
            f"the layer '{look.layer}' is off or does not exist", where="look.layer", remedy="Choose a layer that is on"
        )
    return found


class MaskLook(LookThrough):
    """The whole recipe."""

    kind: ClassVar[str] = "mask"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        found = recipe_of(seen, look)
        return Shown(f"Mask of {found.title}", found.mask, words=HERE)
