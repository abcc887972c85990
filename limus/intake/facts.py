"""What inspection finds of an object, as it is shown and kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, Field

from limus.surface.uv_health import UvHealth

Triple = tuple[float, float, float]
Level = Literal["good", "note", "warning", "problem"]


class PartFacts(BaseModel):
    """A part: its triangles, the map set it is textured by, and its box in metres."""

    name: str
    triangles: int
    map_set: str
    back: bool = Field(False, description="The back of a thin sheet, split off")
    low_m: Triple = (0.0, 0.0, 0.0)
    high_m: Triple = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class MeshHealth:
    """Counts over the whole mesh: edges with one face, edges with more than two, triangles cut by others (of those
    looked at); parts that need a look.
    """

    open_edges: int = 0
    crowded_edges: int = 0
    crossing: int = 0
    inside_out: tuple[str, ...] = ()
    sheets: tuple[str, ...] = ()
    tiny: int = 0


@dataclass(frozen=True)
class Finding:
    """``what`` is wrong in one sentence, ``why`` it matters, ``mend`` what to do; ``action`` names a step that can be
    taken here.
    """

    key: str
    level: Level
    what: str
    why: str
    mend: str = ""
    action: Literal["", "unwrap", "turn", "two_sided", "scale", "tiles"] = ""
    parts: tuple[str, ...] = ()


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
    offset_m: Triple = Field(
        (0.0, 0.0, 0.0), description="What was taken off an object far from the origin of its file"
    )
    tiles: list[int] = Field(default_factory=list, description="Tiles that UVs are laid out in (UDIM)")
    second_uv: bool = Field(False, description="The file has a second UV set")
    parts: list[PartFacts] = Field(default_factory=list)
    map_sets: list[str] = Field(default_factory=list)
    vertex_colours: bool = False
    longest_edge_mm: float = 0.0
    tangents: bool = False
    textures: list[str] = Field(default_factory=list)
    uv: UvHealth = UvHealth(present=False)
    mesh: MeshHealth = MeshHealth()
    findings: list[Finding] = Field(default_factory=list)
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
