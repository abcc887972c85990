"""Turning parts whose normals point inwards."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from limus.surface.mesh import Mesh


def turned(mesh: Mesh, names: Collection[str]) -> Mesh:
    """The mesh with the named parts turned inside out: winding and normals reversed."""
    chosen = np.array([p.name in names for p in mesh.parts])
    if not chosen.any():
        return mesh
    rows = chosen[mesh.triangle_part]
    # A vertex that turned and unturned triangles share gets a copy.
    used, kept = np.unique(mesh.triangles[rows]), np.unique(mesh.triangles[~rows])
    shared = np.intersect1d(used, kept)
    number = np.arange(len(mesh.positions), dtype=np.int32)
    number[shared] = len(mesh.positions) + np.arange(len(shared), dtype=np.int32)

    def grown(array: np.ndarray | None) -> np.ndarray | None:
        return None if array is None else np.concatenate([array, array[shared]])

    normals = np.concatenate([mesh.normals, mesh.normals[shared]])
    normals[number[used]] *= -1
    triangles = mesh.triangles.copy()
    triangles[rows] = number[mesh.triangles[rows]][:, ::-1]
    positions = np.concatenate([mesh.positions, mesh.positions[shared]])
    # Tangents of a turned part have the other handedness; they are made anew.
    return replace(
        mesh,
        positions=positions,
        normals=normals,
        triangles=triangles,
        uv=grown(mesh.uv),
        colours=grown(mesh.colours),
        tangents=None,
    )


def inside_out(mesh: Mesh, edges: np.ndarray) -> list[str]:
    """Names of parts that are closed and enclose a negative volume.

    Parameters
    ----------
    edges : (T, 3) int8 kinds of the edges, ``Adjacency.kind``; a part with open edges has no inside and is left alone.
    """
    p = mesh.positions.astype(np.float64)
    found = []
    for part in mesh.parts:
        rows = slice(part.first, part.first + part.count)
        if part.count < 4 or (edges[rows] == 0).any():
            continue
        a, b, c = (p[mesh.triangles[rows, k]] - p[mesh.triangles[rows.start, 0]] for k in range(3))
        volume = float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)
        if volume < -1e-9 * float(mesh.areas[rows].sum()) ** 1.5:
            found.append(part.name)
    return found
