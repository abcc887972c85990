"""What every effect has in common."""

from __future__ import annotations

import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np

from limus.fields import Document
from limus.hashing import key_of
from limus.masks.recipe import Recipe
from limus.masks.source import Scope
from limus.patterns.noise import fractal
from limus.strata.pile import Coat, Pile

Kind = Literal["deposit", "change", "loss"]


@dataclass(frozen=True)
class Event:
    """One layer as it happens.

    Attributes
    ----------
    layer : its id. name : its name. pile : the surface before. mask : (n,) float32 0..1, the recipe; mask_key its hash. strength : 0..1.
    weights, modes : (7,) per channel, for coats that the effect leaves.
    """

    layer: str
    name: str
    pile: Pile
    mask: np.ndarray
    mask_key: str
    strength: float
    scope: Scope
    weights: np.ndarray
    modes: np.ndarray

    def noise(self, size_mm: float, *, octaves: int = 4, gain: float = 0.5, salt: int = 0) -> np.ndarray:
        """(n,) float32, mean 0 and deviation 1; kept between evaluations. ``salt`` tells apart the noises of one effect."""
        seed = self.scope.seed * 7919 + salt + zlib.crc32(self.layer.encode())
        key = key_of("noise", self.scope.key, size_mm, octaves, gain, seed)
        return self.scope.keep.get(key, lambda: fractal(self.pile.texels.position, size_mm, octaves=octaves, gain=gain, seed=seed))

    def kept(self, parts: list[object], make: Callable[[], np.ndarray]) -> np.ndarray:
        """Any field that depends only on the object, the layer and ``parts``, kept between evaluations.

        Give ``mask_key`` and ``strength`` among the parts where the field depends on them. What an effect makes without looking at
        the pile is then not made again when an earlier layer changes.
        """
        return self.scope.keep.get(key_of("effect", self.scope.key, self.layer, parts), make)

    def coat(self, name: str, substance: object, thickness: np.ndarray, sheet: np.ndarray) -> Coat:
        """A coat of this layer, with its channel weights and modes."""
        return Coat(self.layer, name, substance, np.ascontiguousarray(thickness, np.float32), sheet, self.weights, self.modes)  # type: ignore[arg-type]


@dataclass(frozen=True)
class Outcome:
    """What the layer did: the new pile, (n,) float32 where it shows 0..1, and a reason when it did nothing."""

    pile: Pile
    shown: np.ndarray
    note: str = ""


class Effect(Document):
    """Parameters of one effect, and what it does.

    ``family`` is the kind of event; ``summary`` one sentence for the picker; ``default_name`` the name of a new layer.
    """

    kind: str = ""
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = ""
    summary: ClassVar[str] = ""
    #: What the share in "covers" is a share of, when coverage is set by the effect itself.
    sets_coverage: ClassVar[bool] = False

    @classmethod
    def default_where(cls) -> Recipe:
        """A place that makes sense on any object."""
        return Recipe()

    def apply(self, event: Event) -> Outcome:
        """Play the event. Never changes arrays of ``event.pile``."""
        raise NotImplementedError


def raised(pile: Pile, by_mm: np.ndarray) -> Pile:
    """The pile with its skin raised (or pressed in, where negative)."""
    return replace(pile, skin=pile.skin + by_mm.astype(np.float32))
