"""Target: what a coarse or a finely cut mesh holds in its vertices, without pictures."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import ClassVar

import numpy as np

from limus.formats.gltf_write import glb_bytes
from limus.playing.chronicle import Surface
from limus.surface.at_vertices import at_vertices
from limus.surface.moved import moved
from limus.surface.subdivide import subdivided
from limus.surface.texels import Texels
from limus.targets.raster import Raster
from limus.targets.target import Making, Target
from limus.targets.written import Written

#: Triangles of the mesh at most: it is held while the maps are.
MOST = 1_000_000
#: mm of relief that are not worth moving for.
_FLAT = 1e-6


class Vertices(Target):
    """The object with masks or its color in the vertices, moved by the relief where that is asked for."""

    kind: ClassVar[str] = "vertices"
    order: ClassVar[int] = 9
    title: ClassVar[str] = "Mesh with vertex data"
    about: ClassVar[str] = (
        "One GLB without pictures: up to four masks as red, green, blue and alpha of the vertex colors, or the base "
        "color where no mask is ticked. The relief moves the vertices if you ask for it; say how finely the mesh is "
        "cut for that."
    )
    lacks: ClassVar[str] = "Every other channel, and what is finer than the triangles"
    sizes: ClassVar[tuple[int, ...]] = (256, 512, 1024, 2048)
    takes: ClassVar[frozenset[str]] = frozenset({"moved", "edge_mm"})
    masks_within: ClassVar[int] = 4

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """One file."""
        return [f"{making.naming.stem}.glb"]

    def rasters(self, making: Making, texels: Texels, surface: Surface, slack: float = 0.0) -> list[Raster]:
        """None."""
        return []

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """The GLB, and what its triangles are too large for."""
        mesh = making.mesh
        if making.order.edge_mm is not None:
            mesh = subdivided(mesh, making.order.edge_mm, MOST, "edge_mm")
        columns = [making.taken[one] for one in making.masks.values()] or list(surface.channel("base_color").T)
        found = at_vertices(mesh, texels, np.stack([*columns, surface.relief], axis=1))
        colours: np.ndarray = np.zeros((len(mesh.positions), 4), np.float32)
        # What no mask fills is nothing, but for alpha, which viewers take for opacity.
        colours[:, 3] = 1.0
        colours[:, : len(columns)] = np.clip(found[:, :-1], 0.0, 1.0)
        heights, notes = found[:, -1], []
        mesh = replace(mesh, colours=colours)
        if making.order.moved and float(np.abs(heights).max(initial=0.0)) > _FLAT:
            mesh = moved(mesh, heights)
        elif making.order.moved:
            notes.append("there is no relief: no vertex was moved")
        notes.append(f"{len(mesh.triangles)} triangles, with sides of {_side_mm(mesh.areas):.3g} mm in the mean")
        data = glb_bytes(mesh, None, name=making.name, where_it_was=True)
        return [Written(self.names(making, ())[0], data)], notes


def _side_mm(areas: np.ndarray) -> float:
    """Of equilateral triangles of the mean area."""
    return float(1000.0 * np.sqrt(areas.mean() / 0.4330127))
