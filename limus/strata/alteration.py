"""What a veil does to whatever shows below it: a rule in place of a colour.

Water darkens, sun fades, whatever lies there. A rule is worked out anew whenever the pile is looked at, so that a coat
below that is thinned, worn or washed away later shows what is there now, as wet or as faded as it was.
"""

from __future__ import annotations

from typing import ClassVar, Protocol

import numpy as np

from limus.materials.channels import CHANNELS, Sheet, spread


class Alteration(Protocol):
    """A rule for each texel by itself; whatever hangs on a texel is an array of it.

    Attributes
    ----------
    reads : channels that it looks at. speaks : channels that it gives.
    """

    reads: ClassVar[tuple[str, ...]]
    speaks: ClassVar[tuple[str, ...]]

    def values(self, below: Sheet, here: slice) -> dict[str, np.ndarray]:
        """Channel -> (m,) or (m, 3) float32 for the m texels ``here``, from what shows ``below`` at them; a channel
        that is the same everywhere is one value.
        """
        ...

    def at(self, rows: np.ndarray) -> Alteration:
        """The same for chosen texels."""
        ...


def shown(below: Sheet, name: str, count: int) -> np.ndarray:
    """(count,) or (count, 3) float32: what shows in a channel, its default where nobody speaks in it."""
    channel = CHANNELS[name]
    return np.ascontiguousarray(spread(below.get(name, channel.plain()), channel, count), np.float32)
