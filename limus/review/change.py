"""How much of a surface a layer changed, in the steps that an eye goes by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.colour import to_srgb
from limus.playing.chronicle import Surface

#: Channels besides colour that anybody sees.
SEEN = ("roughness", "metalness", "coat_weight", "fuzz_weight", "opacity")


@dataclass(frozen=True)
class Change:
    """``colour``, ``other``: over all of the surface, steps of 255 of encoded base color, and 0..1 of what else is
    seen (the normal counts half its way).
    ``colour_there``, ``other_there``: over the fiftieth of the texels that changed most.
    """

    colour: float
    other: float
    colour_there: float
    other_there: float

    @property
    def seen(self) -> bool:
        """Whether a default is subtle and seen: on the whole, or clearly at its place."""
        return self.colour > 1.0 or self.other > 0.01 or self.colour_there > 3.0 or self.other_there > 0.03


def changed(one: Surface, two: Surface, area: np.ndarray) -> Change:
    """The change from ``one`` to ``two``; ``area`` (n,) float32 of the texels."""
    colour = (
        np.abs(to_srgb(one.channel("base_color")) - to_srgb(two.channel("base_color")))
        .reshape(len(area), -1)
        .mean(axis=1)
        * 255
    )
    other = np.zeros(len(area))
    for name in SEEN:
        a, b = (np.asarray(s.channel(name), np.float32).reshape(-1) for s in (one, two))
        other = np.maximum(other, np.abs(a - b))
    other = np.maximum(other, 0.5 * np.linalg.norm(one.normal - two.normal, axis=1))
    few = max(8, len(area) // 50)
    weight = area / area.sum()
    return Change(
        float((colour * weight).sum()), float((other * weight).sum()), float(np.sort(colour)[-few:].mean()),
        float(np.sort(other)[-few:].mean())
    )  # fmt: skip
