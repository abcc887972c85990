"""What every reading has in common."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np

from limus.errors import InputError
from limus.hashing import key_of
from limus.readings.exposure import Exposure
from limus.readings.measured import Measured
from limus.setting import Setting
from limus.surface.texels import Texels


@dataclass(frozen=True)
class Place:
    """What a reading may look at. ``exposure`` may be missing where nothing asks for sun, rain or run-off; ``colours`` (V, 4) are
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

    @cached_property
    def key(self) -> str:
        """Hash of all but the exposure, measuring quality included: whether that is there makes no difference to who does not ask for it."""
        return key_of(self.texels.key, self.measured.key, self.setting.model_dump())

    def key_with(self, weather: bool) -> str:
        """``key``, with the exposure where ``weather`` says that it is asked for."""
        return key_of(self.key, self.exposure.key if weather and self.exposure is not None else "")

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

    ``kind`` is its name on the command line; ``size`` says what the millimetre parameter means, if it has one; ``low`` .. ``high``
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
    #: What must have been measured first.
    rays: ClassVar[bool] = False
    weather: ClassVar[bool] = False
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
