"""What the view asks of a scene, and how it is answered: maps, look-through, coverages, ranges, histograms, small
pictures.

Pictures are named by the hash of their content (see ``gallery``), so nothing that did not change is sent twice.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from limus.looks.look import Look
from limus.readings.catalogue import READINGS
from limus.readings.reading import asks_weather
from limus.review.look import Legend


class Question(BaseModel):
    """What to answer. ``until`` "" is the object as made; None today."""

    model_config = ConfigDict(extra="forbid")
    resolution: int = Field(512, ge=16, le=8192)
    until: str | None = Field(None, max_length=40, description="Play up to this layer; '' for as made")
    look: Look = Field(default_factory=Look)
    selected: str = Field(
        "", max_length=50, description="A layer, or 'episode:' and the id of one, or 'base:' and its number"
    )
    bases: bool = Field(False, description="Ask for what there is to say of each base")
    relief: bool = Field(False, description="Ask for the relief too, for a view that is near enough to show it")
    pictures: bool = False

    @property
    def weather(self) -> bool:
        """Whether it asks for sun, rain or run-off whatever the layers do."""
        reading = READINGS.get(self.look.name) if self.look.kind == "reading" else None
        return self.pictures or (reading is not None and asks_weather(reading.reads))


class LookAnswer(BaseModel):
    """One picture per map set, by hash, and its legend.

    ``values``: the numbers behind it, for the probe: raw float16, row by row, ``components`` for each pixel, NaN off
    the surface.
    """

    title: str
    maps: list[str]
    legend: Legend | None = None
    values: list[str] = Field(default_factory=list)
    components: list[str] = Field(default_factory=list)
    unit: str = ""
    about: str = ""
    decimals: int | None = Field(None, description="Digits behind the point of its numbers; none: by their size")


class MapsAnswer(BaseModel):
    """Names of raw RGBA maps, one per map set, by picture (see the channels). A picture of one pixel says that it is
    the same everywhere.

    ``more``: pictures beyond the three that are always there, only where something is in them. ``numbers``: means
    over the surface of channels that renderers take as one number.
    """

    base_color: list[str]
    orm: list[str]
    normal: list[str]
    more: dict[str, list[str]] = Field(default_factory=dict)
    numbers: dict[str, float] = Field(default_factory=dict)
    relief: list[str] = Field(
        default_factory=list, description="Names of raw float16 maps of the relief, mm; only where it was asked for"
    )
    relief_mm: tuple[float, float] = Field((0.0, 0.0), description="Lowest and highest of it")


class BaseAnswer(BaseModel):
    """What there is to say of one base of the scene, by its number."""

    index: int
    title: str
    share: float = Field(description="Of the surface where it lies")
    relief_mm: tuple[float, float] = Field(
        description="Lowest and highest of its relief, leaving out the last hundredths"
    )
    color: tuple[float, float, float] = Field(description="Its mean, linear")
    repetition: float = Field(0.0, description="How much its tile shows to repeat, 0 to 1; above 0.4 it is seen")
    notes: list[str] = Field(default_factory=list, description="What is odd about it, and how to mend it")
    picture: str = ""


class FrameAnswer(BaseModel):
    """The rectangle that a decal lies in: middle (m) and directions in the axes of the view, sides in mm."""

    middle: tuple[float, float, float]
    right: tuple[float, float, float]
    up: tuple[float, float, float]
    back: tuple[float, float, float]
    width_mm: float
    width_field: str = Field(description="The field that takes its width")
    name: str = Field(description="What it is called")
    tall_mm: float


class LayerAnswer(BaseModel):
    """What a layer did: share of the surface where it showed, why it did nothing, and its small picture (a hash)."""

    id: str
    coverage: float = Field(description="Share of the surface where it acted")
    placed: float = Field(0.0, description="Share of the surface that its mask allows")
    note: str
    speaks: list[str] = Field(default_factory=list, description="Voices that it changes something in")
    ranges: dict[str, tuple[float, float]] = Field(
        default_factory=dict, description="Where its fields do something on this very surface"
    )
    picture: str = ""
    frame: FrameAnswer | None = None


class CoatAnswer(BaseModel):
    """A coat ("layer" or "layer/piece"), or the bare base (""), and the share of the surface where it shows today."""

    id: str
    layer: str
    name: str
    share: float
    picture: str = ""


class TermAnswer(BaseModel):
    """A line of the selected layer's recipe, shaped; ``finding``: what is wrong with it here and how to mend it."""

    histogram: list[float]
    share: float = 0.0
    picture: str = ""
    finding: str = ""
    frame: FrameAnswer | None = None


class WhereAnswer(BaseModel):
    """The selected recipe as a whole: mean over the surface, histogram, picture, and its lines."""

    share: float
    histogram: list[float]
    picture: str = ""
    acted: str = Field("", description="Picture of where the layer acted; none of an episode or a base")
    terms: list[TermAnswer]


class Answer(BaseModel):
    """The answer to an evaluation."""

    ticket: int = 0
    resolution: int
    readings: Literal["fine", "good", "draft", "outdated", "missing"]
    texel_mm: float
    densest: int = Field(description="Pixels along a side of a map set that a view which comes near may ask for")
    maps: MapsAnswer | None = None
    look: LookAnswer | None = None
    layers: list[LayerAnswer]
    coats: list[CoatAnswer]
    where: WhereAnswer | None = None
    pictures: dict[str, str] = Field(description="Small pictures of channels and readings, by name")
    channels: dict[str, str] = Field(default_factory=dict, description="Channels in use, with their titles")
    bases: list[BaseAnswer] = Field(default_factory=list)
    lies_on: list[str] = Field(default_factory=list, description="Where each base of the scene lies, in words")
    exposed: dict[str, float] = Field(
        default_factory=dict, description="Families of substances and the share that shows today"
    )
    spent_ms: float = 0.0
