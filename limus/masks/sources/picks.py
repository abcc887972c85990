"""Source: picked places."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.common.fields import Document
from limus.masks.source import Scope, Source
from limus.surface.picking import picked_triangles

Triple = tuple[
    Annotated[float, Field(ge=-1e6, le=1e6)],
    Annotated[float, Field(ge=-1e6, le=1e6)],
    Annotated[float, Field(ge=-1e6, le=1e6)],
]


class Pick(Document):
    """One place that was filled: found again on the surface from a point and the side it faces, in metres and the axes
    of the file, at the scale it had then (metres per unit of the file).
    """

    what: Literal["part", "island", "polygon", "connected"] = "connected"
    at: Triple
    facing: Triple
    up_to_deg: float = Field(30.0, ge=0.0, le=180.0)
    take: bool = False
    scale: float = Field(1.0, ge=1e-12, le=1e12)


class Picks(Source):
    """White on what was picked: parts, UV islands, flat polygons, or faces connected up to an angle."""

    kind: Literal["picks"] = "picks"
    order: ClassVar[int] = 21
    title: ClassVar[str] = "Filled by hand"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "filled by hand, {picks}"
    over: ClassVar[bool] = True

    picks: list[Pick] = Field(
        default_factory=list,
        max_length=2000,
        title="Fills",
        description="First to last",
        json_schema_extra={"control": "picks"},
    )

    def triangles(self, scope: Scope) -> np.ndarray:
        """(T,) int8: 1 filled, -1 emptied, 0 untouched."""
        mesh, near = scope.place.texels.mesh, scope.place.texels.adjacency
        out = np.zeros(len(mesh.triangles), np.int8)
        for pick in self.picks:
            at = np.array(pick.at) @ mesh.turn.T * (mesh.scale / pick.scale)
            rows = picked_triangles(mesh, near, pick.what, at, np.array(pick.facing) @ mesh.turn.T, pick.up_to_deg)
            out[rows] = -1 if pick.take else 1
        return out

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0 or 1."""
        return (self.triangles(scope)[scope.place.texels.triangle] > 0).astype(np.float32)

    def shown_over(self, scope: Scope) -> tuple[np.ndarray, np.ndarray]:
        """(n,) 1 filled, (n,) 1 where filled or emptied."""
        found = self.triangles(scope)[scope.place.texels.triangle]
        return (found > 0).astype(np.float32), (found != 0).astype(np.float32)

    def finding(self, scope: Scope) -> str:
        """Nothing picked."""
        return "" if self.picks else "Nothing is filled yet"
