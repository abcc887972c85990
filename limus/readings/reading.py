"""What every reading has in common."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.readings.exposure import Exposure
from limus.readings.measured import Measured
from limus.readings.setting import Setting
from limus.surface.texels import Texels

#: What sun, rain and run-off are measured for apart from the ray pass.
WEATHER = ("sun", "rain", "runoff")
#: What readings, sources and effects may declare that they look at besides the texels themselves; fields of the setting
#: are "setting." and their name. Keys hold just what is declared, so a change makes again what looks at it and nothing
#: else.
READS = ("rays", *WEATHER, "neighbours", "others", "colours", *(f"setting.{name}" for name in Setting.model_fields))


def asks_weather(reads: Iterable[str]) -> bool:
    """Whether sun, rain or run-off is among them."""
    return any(what in WEATHER for what in reads)


@dataclass(frozen=True)
class Place:
    """What a reading may look at. ``exposure`` may be missing where nothing asks for sun, rain or run-off;
    ``colours`` (V, 4) are
    the vertex colours with what was painted on them, where something was, and ``colours_key`` tells which.
    """

    texels: Texels
    measured: Measured
    setting: Setting
    exposure: Exposure | None = None
    colours: np.ndarray | None = None
    colours_key: str = ""

    @property
    def vertex_colour(self) -> np.ndarray:
        """(n, 4) float32 linear vertex colours; white where there are none."""
        return self.texels.vertex_colour if self.colours is None else self.texels.from_vertices(self.colours)

    def key_for(self, reads: Iterable[str]) -> str:
        """Hash of the texels and of what is read besides (see ``READS``), measuring quality included, and of nothing
        else.
        """
        # Asked by every line and layer of a scene, for the same few sets.
        known: dict[frozenset[str], str] = self.__dict__.setdefault("_keys", {})
        wanted = frozenset(reads)
        found = known.get(wanted)
        if found is None:
            found = known[wanted] = key_of(self.texels.key, {what: self._part(what) for what in sorted(wanted)})
        return found

    def _part(self, what: str) -> object:
        if what == "rays":
            return self.measured.key
        if what in WEATHER:
            return self.exposure.key_of(what) if self.exposure is not None else ""
        if what == "neighbours":
            near = self.measured.around.neighbours
            return near.key if near is not None else ""
        if what == "others":
            return self.measured.around.others_key
        if what == "colours":
            return self.colours_key
        return getattr(self.setting, what.removeprefix("setting."))

    def weather(self) -> Exposure:
        """Sun, rain and run-off.

        Raises
        ------
        InputError : they were not measured for this setting.
        """
        if self.exposure is None:
            raise InputError(
                "sun, rain and run-off have not been measured for this setting",
                where="setting",
                remedy="Measure the readings again",
            )
        return self.exposure


class Reading:
    """One quantity measured from geometry.

    ``kind`` is its name on the command line; ``size`` says what the millimetre parameter means, if it has one;
    ``low`` .. ``high``
    is the range shown in look-through.
    """

    kind: ClassVar[str] = ""
    order: ClassVar[int] = 100
    title: ClassVar[str]
    unit: ClassVar[str] = ""
    size: ClassVar[Literal["", "radius", "reach"]] = ""
    default_size_mm: ClassVar[float] = 0.0
    low: ClassVar[float] = 0.0
    high: ClassVar[float] = 1.0
    #: Range of look-through where the full range would hide what matters.
    shown: ClassVar[tuple[float, float] | None] = None
    colours: ClassVar[Literal["grey", "signed", "exposure", "vector", "colour", "numbers"]] = "grey"
    #: What the low and the high end mean.
    words: ClassVar[tuple[str, str]] = ("", "")
    about: ClassVar[str] = ""
    #: Exponent by which its default size grows with the object (see ``object_size``).
    grows: ClassVar[float] = 0.0
    #: What it looks at besides the texels; see ``READS``.
    reads: ClassVar[tuple[str, ...]] = ()
    #: It shows what is painted on the object itself.
    painted: ClassVar[bool] = False
    #: Names of the components of a reading that gives more than one number; each can be asked for by itself.
    components: ClassVar[tuple[str, ...]] = ()

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 in ``unit``; (n, c) where there are ``components``."""
        raise NotImplementedError

    @classmethod
    def missing(cls, place: Place) -> str:
        """Why this reading has nothing to say about this object, or ""."""
        return ""
