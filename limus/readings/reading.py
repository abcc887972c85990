"""What every reading has in common."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np

from limus.readings.measured import Measured
from limus.setting import Setting
from limus.surface.texels import Texels


@dataclass(frozen=True)
class Place:
    """What a reading may look at."""

    texels: Texels
    measured: Measured
    setting: Setting


class Reading:
    """One quantity measured from geometry.

    ``kind`` is its name on the command line; ``size`` says what the millimetre parameter means, if it has one; ``low`` .. ``high``
    is the range shown in look-through.
    """

    kind: ClassVar[str] = ""
    title: ClassVar[str]
    unit: ClassVar[str] = ""
    size: ClassVar[Literal["", "radius", "reach"]] = ""
    default_size_mm: ClassVar[float] = 0.0
    low: ClassVar[float] = 0.0
    high: ClassVar[float] = 1.0
    #: Range of look-through where the full range would hide what matters.
    shown: ClassVar[tuple[float, float] | None] = None
    colours: ClassVar[Literal["grey", "signed", "exposure"]] = "grey"
    about: ClassVar[str] = ""
    rays: ClassVar[bool] = False

    @classmethod
    def value(cls, place: Place, size_mm: float) -> np.ndarray:
        """(n,) float32 in ``unit``."""
        raise NotImplementedError
