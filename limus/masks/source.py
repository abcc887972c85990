"""What every source of a mask has in common."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Protocol

import numpy as np

from limus.fields import Document
from limus.hashing import key_of
from limus.readings.reading import Place


class Keep(Protocol):
    """A cache: returns what was made for ``key`` before, or makes it."""

    def get(self, key: str, make: Callable[[], np.ndarray]) -> np.ndarray: ...


class Moment(Protocol):
    """The state of the surface when the layer happens."""

    @property
    def key(self) -> str: ...

    def exposure_of(self, what: str) -> np.ndarray: ...


@dataclass(frozen=True)
class Scope:
    """What a source may look at: the place, the surface at this moment of the chronicle, the seed, and the cache."""

    place: Place
    keep: Keep
    seed: int
    moment: Moment | None = None

    @property
    def key(self) -> str:
        """Hash of everything that does not change with the chronicle, weather left out."""
        return self.key_with(False)

    def key_with(self, weather: bool) -> str:
        """``key``, with sun, rain and run-off where ``weather`` says that they are asked for."""
        return key_of(self.place.key_with(weather), self.seed)


class Source(Document):
    """A source gives one value per texel.

    ``sentence`` is read in the recipe, with ``{field}`` filled in; ``looks_back`` tells that the value depends on earlier layers;
    ``suggest`` is the range in that makes a sensible term; ``weather``: it reads sun, rain or run-off.
    """

    kind: str = ""
    title: ClassVar[str] = ""
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = ""
    looks_back: ClassVar[bool] = False
    weather: ClassVar[bool] = False
    suggest: ClassVar[tuple[float, float]] = (0.0, 1.0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32, 0..1."""
        raise NotImplementedError

    def cached(self, scope: Scope) -> np.ndarray:
        """``value`` through the cache."""
        return scope.keep.get(key_of("source", self.key(scope)), lambda: np.ascontiguousarray(self.value(scope), np.float32))

    def key(self, scope: Scope) -> str:
        """Hash of everything the value depends on."""
        back = scope.moment.key if self.looks_back and scope.moment else ""
        return key_of(scope.key_with(self.weather), self.model_dump(), back)
