"""What every source of a mask has in common."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar, Protocol

import numpy as np

from limus.common.fields import Document
from limus.common.hashing import key_of
from limus.readings.catalogue import READINGS
from limus.readings.reading import Place
from limus.surface.frame import Frame


class Keep(Protocol):
    """A cache: returns what was made for ``key`` before, or makes it."""

    def get(self, key: str, make: Callable[[], Any]) -> Any: ...
    def peek(self, key: str) -> Any | None: ...
    def put(self, key: str, value: Any) -> None: ...


class Moment(Protocol):
    """The state of the surface when the layer happens."""

    @property
    def key(self) -> str: ...

    def base_map(self, what: str) -> np.ndarray: ...
    def exposure_of(self, what: str) -> np.ndarray: ...
    def coat_thickness(self, layer: str) -> np.ndarray: ...
    def relief(self) -> np.ndarray: ...
    def wetness(self) -> np.ndarray: ...
    def clefts(self, reach_mm: float) -> np.ndarray: ...


class Masks(Protocol):
    """The masks of all layers, by id; and where those before this moment acted."""

    def value(self, layer: str) -> np.ndarray: ...
    def key(self, layer: str) -> str: ...
    def acted(self, layer: str) -> np.ndarray: ...
    def acted_key(self, layer: str) -> str: ...


@dataclass(frozen=True)
class Scope:
    """What a source may look at: the place, the cache, the seed, the surface at this ``moment`` of the chronicle and
    as it was
    ``made``, the ``masks`` of other layers, and where ``files`` of the scene lie.
    """

    place: Place
    keep: Keep
    seed: int
    moment: Moment | None = None
    made: Moment | None = None
    masks: Masks | None = None
    files: Callable[[str], Path] | None = None


class Source(Document):
    """A source gives one value per texel.

    ``sentence`` is read in the recipe, with ``{field}`` filled in; ``looks_back`` tells that the value depends on
    earlier layers;
    ``suggest`` is the range in that makes a sensible term.
    """

    kind: str = ""
    title: ClassVar[str] = ""
    group: ClassVar[str] = "Readings"
    sentence: ClassVar[str] = ""
    #: Another sentence where a field has this value: field -> value -> sentence.
    sentences: ClassVar[dict[str, dict[str, str]]] = {}
    looks_back: ClassVar[bool] = False
    #: What it looks at besides the texels and its reading, see ``readings.reading.READS``.
    reads: ClassVar[tuple[str, ...]] = ()
    suggest: ClassVar[tuple[float, float]] = (0.0, 1.0)
    #: Raised when the same settings come out looking different, see ``limus.document.editions``.
    edition: ClassVar[int] = 1
    #: The reading it shows best, and the field that takes its radius or reach: for dragging a reading into a recipe.
    reading: ClassVar[str] = ""
    reading_size: ClassVar[str] = ""
    #: Words before its sentence where it is multiplied with the lines above it.
    joint: ClassVar[str] = ""
    #: The field that names another layer, or one of its coats ("paint/primer"), if it has one.
    names_layer: ClassVar[str] = ""
    #: It can be laid over the lines above it (see ``shown_over``).
    over: ClassVar[bool] = False

    @classmethod
    def shown_by(cls, size_mm: float, component: str) -> dict[str, Any]:
        """Settings with which it shows its reading as it is looked at: of this radius or reach in mm (0 none), this
        component ("" none).
        """
        return {cls.reading_size: size_mm} if cls.reading_size and size_mm else {}

    @property
    def layer_named(self) -> str:
        """Id of the layer it looks at, or ""."""
        return str(getattr(self, self.names_layer)).split("/")[0] if self.names_layer else ""

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32, 0..1."""
        raise NotImplementedError

    def cached(self, scope: Scope) -> np.ndarray:
        """``value`` through the cache."""
        return scope.keep.get(
            key_of("source", self.key(scope)), lambda: np.ascontiguousarray(self.value(scope), np.float32)
        )

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return ()

    def finding(self, scope: Scope) -> str:
        """What is wrong with it here and how to mend it, in a sentence; "" where nothing is."""
        return ""

    def frame(self, scope: Scope) -> Frame | None:
        """A rectangle in space that can be taken hold of: fields ``at``, ``facing``, ``scale``, ``turn_deg``, and a
        width; None where it has none.
        """
        return None

    def shown_over(self, scope: Scope) -> tuple[np.ndarray, np.ndarray]:
        """(n,) what is laid over the lines above, and (n,) how much it hides of them, both 0..1."""
        value = self.cached(scope)
        return value, np.ones_like(value)

    def key(self, scope: Scope) -> str:
        """Hash of everything the value depends on."""
        back = scope.moment.key if self.looks_back and scope.moment else ""
        return key_of(scope.place.key_for(self.needs), scope.seed, self.model_dump(), back)

    @property
    def needs(self) -> frozenset[str]:
        """Everything it looks at as it is set, among ``READS``; its key holds just that."""
        of_reading = READINGS[self.reading].reads if self.reading else ()
        return frozenset((*of_reading, *self.reads))
