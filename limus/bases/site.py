"""The surface that a material is laid on."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from limus.common.deciding import decided
from limus.surface.texels import Texels


@dataclass(frozen=True)
class Site:
    """The surface that bases are laid on.

    Attributes
    ----------
    position : (n, 3) float32 m. normal : (n, 3). texel_mm : typical side of a texel.
    part, island : (n,) int numbers, or None where all is one. long_axis : for each part 0, 1 or 2, its longest side.
    uv : (n, 2) float32 places in the map sets, or None; mm_per_uv : real length that one unit of it stands for.
        extent_mm : diagonal of the
    whole object.
    """

    position: np.ndarray
    normal: np.ndarray
    texel_mm: float
    part: np.ndarray | None = None
    island: np.ndarray | None = None
    long_axis: np.ndarray | None = None
    uv: np.ndarray | None = None
    mm_per_uv: float = 1000.0
    extent_mm: float = 1000.0

    def at(self, rows: np.ndarray | slice) -> Site:
        """The same at chosen points."""

        def pick(values: np.ndarray | None) -> np.ndarray | None:
            return None if values is None else values[rows]

        return replace(
            self,
            position=self.position[rows],
            normal=self.normal[rows],
            part=pick(self.part),
            island=pick(self.island),
            uv=pick(self.uv),
        )


def site_of(texels: Texels) -> Site:
    """The texels as a place to lay bases on."""
    mesh = texels.mesh
    long_axis = np.zeros(len(mesh.parts), np.int64)
    for k, part in enumerate(mesh.parts):
        points = mesh.positions[mesh.triangles[part.first : part.first + part.count].ravel()]
        if len(points):
            long_axis[k] = int(np.argmax(points.max(axis=0) - points.min(axis=0)))
    _, u, v = texels.page_xy
    # The same at every density: metres of the surface for one unit of UV.
    per_uv = decided("mm per uv", lambda: float(np.sqrt(texels.area.mean(dtype=np.float64))) * texels.size * 1000.0)
    return Site(
        texels.position,
        texels.normal,
        texels.texel_mm,
        texels.part,
        texels.island,
        long_axis,
        np.stack([u, v], axis=1),
        per_uv,
        mesh.diagonal * 1000.0,
    )
