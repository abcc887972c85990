"""Points scattered over a surface, none too near another: where cracks leave pieces between them, where lichens and
cushions of moss sit.

Poisson discs by throwing darts (R. Cook, "Stochastic Sampling in Computer Graphics", 1986) at triangles chosen by their
area. They depend on the mesh alone, so every resolution has the same ones.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.surface.mesh import Mesh

#: Darts at most. Beyond, points are sparser than asked for, and ``Sites.short`` says so.
MOST_DARTS = 800_000
#: Darts thrown for each square of one distance: few places are left where another point would fit.
DARTS = 5.0


@dataclass(frozen=True)
class Sites:
    """``position`` (m, 3) float64 m; ``normal`` (m, 3) float32; ``triangle`` (m,) int64; ``number`` (m,) uint32
    random bits of each; ``short``: there is no room for as many as were asked for.
    """

    position: np.ndarray
    normal: np.ndarray
    triangle: np.ndarray
    number: np.ndarray
    short: bool

    def __len__(self) -> int:
        return len(self.position)

    def only(self, keep: np.ndarray) -> Sites:
        """Some of them: ``keep`` (m,) bool or numbers."""
        return Sites(self.position[keep], self.normal[keep], self.triangle[keep], self.number[keep], self.short)


@kernel
def _spaced(points, normals, group, cube, apart, heads, kept):  # type: ignore[no-untyped-def]
    """Marks in ``kept`` the points that come no nearer than ``apart`` to one kept before them, of their own group and
    facing alike.
    """
    count = len(points)
    after = np.full(count, -1, np.int64)
    slots = len(heads)
    found = 0
    for i in range(count):
        free = True
        for dx in range(-1, 2):
            for dy in range(-1, 2):
                for dz in range(-1, 2):
                    if not free:
                        continue
                    slot = (
                        ((cube[i, 0] + dx) * 73856093) ^ ((cube[i, 1] + dy) * 19349663) ^ ((cube[i, 2] + dz) * 83492791)
                    ) % slots
                    j = heads[slot]
                    while j >= 0:
                        if group[i] == group[j]:
                            d = 0.0
                            for k in range(3):
                                d += (points[i, k] - points[j, k]) ** 2
                            facing = (
                                normals[i, 0] * normals[j, 0]
                                + normals[i, 1] * normals[j, 1]
                                + normals[i, 2] * normals[j, 2]
                            )
                            if d < apart * apart and facing > -0.5:
                                free = False
                                break
                        j = after[j]
        if free:
            kept[i] = True
            found += 1
            slot = ((cube[i, 0] * 73856093) ^ (cube[i, 1] * 19349663) ^ (cube[i, 2] * 83492791)) % slots
            after[i] = heads[slot]
            heads[slot] = i
    return found


def scattered_on(mesh: Mesh, apart_mm: float, *, seed: int = 0, group: np.ndarray | None = None) -> Sites:
    """Points on the surface of a mesh.

    Parameters
    ----------
    apart_mm : least distance between two of them, mm. group : (T,) int, points on triangles of different groups may
        come as near as they like.
    """
    areas = mesh.areas.astype(np.float64)
    total = float(areas.sum())
    apart = apart_mm / 1000.0
    wanted = DARTS * total / max(apart * apart, 1e-30) + 4
    count = int(min(wanted, MOST_DARTS))
    random = np.random.Generator(np.random.PCG64([seed & 0xFFFFFFFF, 91]))
    edge = np.cumsum(areas)
    triangle = np.minimum(np.searchsorted(edge, random.uniform(0, total, count), side="right"), len(areas) - 1)
    a, b = random.uniform(0, 1, (2, count))
    over = a + b > 1
    a, b = np.where(over, 1 - a, a), np.where(over, 1 - b, b)
    number = random.integers(0, 2**32, count, dtype=np.uint32)
    p = mesh.positions.astype(np.float64)
    corners = mesh.triangles[triangle]
    position: np.ndarray = (
        p[corners[:, 0]] * (1 - a - b)[:, None] + p[corners[:, 1]] * a[:, None] + p[corners[:, 2]] * b[:, None]
    )
    normal = np.ascontiguousarray(mesh.face_normals[triangle], np.float32)
    short = wanted > count
    if short:
        # As far apart as that many darts can lie.
        apart = max(apart, float(np.sqrt(DARTS * total / count)))
    low = position.min(axis=0)
    cube = np.floor((position - low) / max(apart, 1e-12)).astype(np.int64)
    # Cube by cube: darts that are compared then lie next to each other in memory.
    wide = cube.max(axis=0) + 1
    order = np.argsort((cube[:, 0] * wide[1] + cube[:, 1]) * wide[2] + cube[:, 2], kind="stable")
    position, normal, triangle, number, cube = (
        position[order],
        normal[order],
        triangle[order],
        number[order],
        cube[order],
    )
    kept = np.zeros(count, np.bool_)
    groups = np.zeros(count, np.int64) if group is None else group[triangle].astype(np.int64)
    _spaced(position, normal, groups, cube, apart, np.full(max(16, 2 * count), -1, np.int64), kept)
    return Sites(position[kept], normal[kept], triangle[kept].astype(np.int64), number[kept], short)
