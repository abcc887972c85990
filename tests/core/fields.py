"""Fields of a pile as whole arrays, whatever of it is one value everywhere."""

from __future__ import annotations

import numpy as np

from limus.materials.channels import CHANNELS, Sheet, spread
from limus.strata.pile import Pile


def column(sheet: Sheet, name: str, count: int) -> np.ndarray:
    """(count,) or (count, 3) of a channel."""
    return np.asarray(spread(sheet.get(name, CHANNELS[name].plain()), CHANNELS[name], count))


def seen(pile: Pile, name: str) -> np.ndarray:
    """(n,) or (n, 3) of what shows in a channel."""
    return column(pile.visible(), name, len(pile.skin))


def film(pile: Pile) -> np.ndarray:
    """(n,) micrometres of paint and primer."""
    return pile.thickness_of(lambda coat: coat.substance.family == "coating")
