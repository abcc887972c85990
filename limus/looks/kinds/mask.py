"""The mask of a layer or an episode."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.common.errors import InputError
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen
from limus.masks.recipe import Recipe
from limus.playing.chronicle import Chapter

#: What black and white mean.
HERE = ("not here", "here")


def recipe_of(seen: Seen, look: Look) -> tuple[Chapter, Recipe, np.ndarray, str]:
    """As ``Seen.recipe`` gives it.

    Raises
    ------
    InputError : the layer is off or does not exist.
    """
    found = seen.recipe(look.layer)
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
        _, _, mask, title = recipe_of(seen, look)
        return Shown(f"Mask of {title}", mask, words=HERE)
