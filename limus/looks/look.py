"""What a view can look through: the question, what is shown for it, and what every kind of look is."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from limus.looks.seen import Seen
from limus.review.look import ramp


class Look(BaseModel):
    """What the view shows."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["lit", "channel", "reading", "mask", "acted", "term", "coat", "uv", "facing"] = "lit"
    name: str = Field("", max_length=80, description="Channel, reading, or picture of the UVs")
    component: str = Field("", max_length=8, description="One component of a reading that has several; empty: all")
    size_mm: float = Field(0.0, ge=0, le=1e6, description="Radius or reach of a reading; 0: its default")
    layer: str = Field("", max_length=50)
    eye: tuple[float, float, float] | None = Field(None, description="Where the camera stands, metres, of 'facing'")
    index: int = Field(0, ge=0, le=400, description="Term of the recipe, or number of the coat")


@dataclass(frozen=True)
class Shown:
    """A field to look at, with its range, its legend and the way its numbers are written.

    Attributes
    ----------
    title : what it is called.
    values : (n,) or (n, k) numbers for the probe and the ramp, or None.
    colour : (n, 3) encoded 0..1 as it is to be shown, or None for the ramp.
    ramp : one of ``review.look.RAMPS``.
    low, high : range of the ramp, in ``unit``.
    words : what the two ends of the range mean.
    components : names of the components of ``values``.
    decimals : digits behind the point; None: as many as the size of the number asks for.
    """

    title: str
    values: np.ndarray | None = None
    colour: np.ndarray | None = None
    ramp: str = "grey"
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    words: tuple[str, str] = ("", "")
    components: list[str] = field(default_factory=list)
    about: str = ""
    decimals: int | None = None

    def small(self) -> np.ndarray:
        """(n, 3) encoded colours for a small picture."""
        if self.colour is not None:
            return self.colour
        assert self.values is not None
        return ramp(self.values, self.low, self.high, self.ramp)


class LookThrough:
    """A kind of look. ``kind`` is what questions call it; those of the finished surface that are no channel go by the
    name of one.
    """

    kind: ClassVar[str] = ""

    def shown(self, seen: Seen, look: Look) -> Shown:
        """What is shown for ``look``.

        Raises
        ------
        InputError : it names what is not there; with the field of the question.
        """
        raise NotImplementedError
