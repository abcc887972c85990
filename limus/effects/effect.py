"""What every effect has in common."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal

import numpy as np

from limus.fields import Document
from limus.hashing import key_of
from limus.masks.recipe import Recipe
from limus.masks.source import Scope
from limus.materials.channels import Sheet
from limus.materials.substance import Substance
from limus.object_size import ONE_METRE, ObjectSize
from limus.patterns.noise import fractal
from limus.strata.composite import Use
from limus.strata.pile import Coat, Pile

Kind = Literal["deposit", "change", "loss"]


@dataclass(frozen=True)
class Event:
    """One layer as it happens.

    Attributes
    ----------
    layer : its id. name : its name. pile : the surface before. mask : (n,) float32 0..1, the recipe; mask_key its hash. strength : 0..1.
    reads : what the effect declares that it looks at. uses : per voice, for coats that the effect leaves.
    """

    layer: str
    name: str
    pile: Pile
    mask: np.ndarray
    mask_key: str
    strength: float
    scope: Scope
    reads: tuple[str, ...] = ()
    uses: Mapping[str, Use] = field(default_factory=dict)

    def noise(self, size_mm: float, *, octaves: int = 4, gain: float = 0.5, salt: int = 0) -> np.ndarray:
        """(n,) float32, mean 0 and deviation 1; kept between evaluations. ``salt`` tells apart the noises of one effect."""
        seed = self.scope.seed * 7919 + salt + zlib.crc32(self.layer.encode())
        texels = self.pile.texels
        key = key_of("noise", texels.key, size_mm, octaves, gain, seed)
        return self.scope.keep.get(key, lambda: fractal(texels.position, size_mm, octaves=octaves, gain=gain, seed=seed))

    def kept(self, parts: list[object], make: Callable[[], np.ndarray]) -> np.ndarray:
        """Any field that depends only on the object, the layer, what the effect ``reads``, and ``parts``, kept between evaluations.

        Give ``mask_key`` and ``strength`` among the parts where the field depends on them. What an effect makes without looking at
        the pile is then not made again when an earlier layer changes.
        """
        key = key_of("effect", self.scope.place.key_for(self.reads), self.scope.seed, self.layer, parts)
        return self.scope.keep.get(key, make)

    def before(self, name: str, parts: list[object], make: Callable[[], Any]) -> Any:
        """Anything that depends on the pile before this layer and on ``parts``, kept while settings of the layer are dragged."""
        return self.scope.keep.get(key_of("before", name, self.pile.key, self.layer, parts), make)

    def coat(self, name: str, substance: Substance, thickness: np.ndarray, sheet: Sheet, piece: str = "") -> Coat:
        """A coat of this layer, with its say in every voice; ``piece`` where the effect leaves more than one."""
        thickness = np.ascontiguousarray(thickness, np.float32)
        return Coat(self.layer, name, substance, thickness, sheet, self.uses, piece)


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
    #: What it looks at besides the pile and its mask, see ``readings.reading.READS``.
    reads: ClassVar[tuple[str, ...]] = ()
    #: Families of substances it acts on where they are exposed; empty: any.
    acts_on: ClassVar[tuple[str, ...]] = ()
    #: Families of bases for which a new document begins with it; empty: all of them.
    suits: ClassVar[tuple[str, ...]] = ()
    #: The coats it leaves, where it leaves more than one: piece -> title.
    pieces: ClassVar[dict[str, str]] = {}

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """A place that makes sense on any object of this size."""
        return Recipe()

    @classmethod
    def fitted(cls, size: ObjectSize) -> Effect:
        """The effect with defaults that suit the object's size."""
        return cls.model_validate(size.fields(cls))

    def apply(self, event: Event) -> Outcome:
        """Play the event. Never changes arrays of ``event.pile``."""
        raise NotImplementedError


def raised(pile: Pile, by_mm: np.ndarray) -> Pile:
    """The pile with its skin raised (or pressed in, where negative)."""
    return replace(pile, skin=pile.skin + by_mm.astype(np.float32))
