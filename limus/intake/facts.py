"""What inspection finds of an object, as it is shown and kept."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

Triple = tuple[float, float, float]


class PartFacts(BaseModel):
    """A part: its triangles, the map set it is textured by, and its box in metres."""

    name: str
    triangles: int
    map_set: str
    back: bool = Field(False, description="The back of a thin sheet, split off")
    low_m: Triple = (0.0, 0.0, 0.0)
    high_m: Triple = (0.0, 0.0, 0.0)


class UvFacts(BaseModel):
    """How fit the UVs are; shares are 0..1 of the real surface, densities texels per metre at 1024."""

    present: bool
    islands: int = 0
    used: float = 0.0
    overlapping: float = 0.0
    outside: float = 0.0
    flipped: float = 0.0
    zero_area: int = 0
    stretch: float = 1.0
    density: float = 0.0
    density_low: float = 0.0
    density_high: float = 0.0
    island_low: float = 0.0
    island_high: float = 0.0
    gap: int | None = None
    close: int = 0
    missing: list[str] = Field(default_factory=list)


class MeshFacts(BaseModel):
    """Counts over the whole mesh, and parts that need a look."""

    open_edges: int = 0
    crowded_edges: int = 0
    crossing: int = 0
    inside_out: list[str] = Field(default_factory=list)
    sheets: list[str] = Field(default_factory=list)
    tiny: int = 0


class FindingFacts(BaseModel):
    """Something that was found, in words: what, why it matters, how to mend it, and a step that can be taken here."""

    key: str
    level: Literal["good", "note", "warning", "problem"]
    what: str
    why: str
    mend: str = ""
    action: Literal["", "unwrap", "turn", "two_sided", "scale"] = ""
    parts: list[str] = Field(default_factory=list)


class Facts(BaseModel):
    """Everything ``limus inspect`` reports."""

    file: str
    triangles: int
    vertices: int
    size_m: Triple
    area_m2: float
    suggested_scale: float = 1.0
    suggested_up: str = "+y"
    unit_known: bool = True
    offset_m: Triple = Field((0.0, 0.0, 0.0), description="What was taken off an object far from the origin of its file")
    second_uv: bool = Field(False, description="The file has a second UV set")
    parts: list[PartFacts] = Field(default_factory=list)
    map_sets: list[str] = Field(default_factory=list)
    vertex_colours: bool = False
    longest_edge_mm: float = 0.0
    tangents: bool = False
    textures: list[str] = Field(default_factory=list)
    uv: UvFacts = Field(default_factory=lambda: UvFacts(present=False))
    mesh: MeshFacts = Field(default_factory=MeshFacts)
    findings: list[FindingFacts] = Field(default_factory=list)
    notes: list[str] = Field(default_factory=list)


class GoneFacts(BaseModel):
    """A part that a newer model lacks: who asks for it, and which of its parts is most like it."""

    name: str
    used_by: list[str]
    suggestion: str = ""


class Comparison(BaseModel):
    """What carries over to a newer model, and what needs a look."""

    kept: list[str] = Field(default_factory=list)
    look: list[str] = Field(default_factory=list)
    gone: list[GoneFacts] = Field(default_factory=list)
    new: list[str] = Field(default_factory=list)
