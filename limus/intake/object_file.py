"""The object of a scene: which file, how it is brought in, and what stands around it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from limus.common.fields import Document, FileName, Name, choice, number, switch

#: Millimetres: a thousand kilometres are farther than any neighbour. Degrees: any number of turns that somebody may
#: dial.
Far = Annotated[float, Field(ge=-1e9, le=1e9)]
Turn = Annotated[float, Field(ge=-36000.0, le=36000.0)]


class Twin(Document):
    """A finer mesh of the same object that the readings and the base normal are measured from."""

    file: FileName = Field(min_length=1, max_length=500, title="File", description="Relative to the scene document")
    reach_mm: float | None = Field(
        default=None,
        gt=0,
        le=1e6,
        title="Search within",
        description="How far from the surface the twin is looked for; empty: found from the two meshes",
        json_schema_extra={
            "unit": "mm",
            "soft": [0.1, 50.0],
            "control": "optional",
            "empty": "found by itself",
            "start": 2.0,
            "scale": "log",
        },
    )


class Neighbour(Document):
    """Another object nearby. The distance to it and what it covers can be asked for; what stands there also hides sky,
    sun and rain.
    """

    id: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")
    name: Name = Field(min_length=1, max_length=120)
    file: FileName = Field(min_length=1, max_length=500, description="Relative to the scene document")
    on: bool = True
    role: Literal["stands", "marker"] = choice(
        "stands", "It is",
        "What stands there hides sky, sun and rain; a marker is never measured: lines find near it, or on what it "
        "covers",
        stands="something that stands there", marker="a marker",
    )  # fmt: skip
    position_mm: tuple[Far, Far, Far] = Field(
        (0.0, 0.0, 0.0), title="Position", description="x, y (up), z of its origin"
    )
    rotation_deg: tuple[Turn, Turn, Turn] = Field(
        (0.0, 0.0, 0.0), title="Rotation", description="About x, then y, then z"
    )
    scale: float = number(1.0, "Scale", "", 1e-6, 1e6, (0.1, 10.0), "Metres per unit of its file", log=True)
    up: Literal["+y", "-y", "+z", "-z", "+x", "-x"] = "+y"


class ObjectFile(Document):
    """The imported model and what is done to it on the way in; paths are relative to the scene document."""

    file: FileName = Field(min_length=1, max_length=500)
    scale: float = number(
        1.0, "Unit of the file", "m", 1e-12, 1e12, (0.001, 1.0), "Metres per unit of the file", log=True
    )
    uv: Literal["own", "second", "unwrapped", "tiles"] = Field(
        "own",
        title="UVs",
        description="Those of the file, its second set, made here, or those of the file with a map set for each tile",
    )
    turned: list[str] = Field(
        default_factory=list, max_length=2000, title="Turned parts", description="Parts that came inside out"
    )
    two_sided: list[str] = Field(
        default_factory=list,
        max_length=2000,
        title="Two-sided sheets",
        description="Thin sheets that have a back of their own",
    )
    subdivide_mm: float | None = Field(
        default=None,
        gt=0,
        le=1e6,
        title="Longest edge",
        description="Cut longer edges, so that vertex colours have something to hold on to",
        json_schema_extra={
            "unit": "mm",
            "soft": [1.0, 200.0],
            "control": "optional",
            "empty": "as it came",
            "start": 20.0,
            "scale": "log",
        },
    )
    own_maps: bool = switch(
        True,
        "Maps of the file",
        "Use the colour, roughness and metalness that came with the file, under the bases that ask for them",
    )
    twin: Twin | None = None
    neighbours: list[Neighbour] = Field(default_factory=list, max_length=50)
