"""A mesh whose vertices are moved along the surface's way out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from limus.surface.alike import rows_alike
from limus.surface.mesh import Mesh
from limus.surface.normals import add_by_angle
from limus.surface.outward import outward


def moved(mesh: Mesh, height_mm: np.ndarray) -> Mesh:
    """The mesh with each vertex moved out by ``height_mm`` (V,), as the 3D view moves it, and with the normals of its
    new shape (angle-weighted means of faces; Thürmer and Wüthrich, 1998): hard edges stay hard, smooth ones smooth.

    Heights of vertices in one place have to be alike, as those of ``at_vertices`` are, for nothing to tear.
    """
    positions = mesh.positions.astype(np.float64) + outward(mesh) * (height_mm.astype(np.float64) / 1000.0)[:, None]
    out = replace(mesh, positions=positions.astype(np.float32), tangents=None)
    # Vertices in one place that had one normal have one again.
    steps = np.round(mesh.normals.astype(np.float64) * 1000.0).astype(np.int64) + 1024
    packed = (steps[:, 0] << 24) | (steps[:, 1] << 12) | steps[:, 2]
    group = rows_alike([mesh.welded.astype(np.int64), packed])[1]
    total = np.zeros((int(group.max(initial=0)) + 1, 3))
    add_by_angle(positions, mesh.triangles, out.face_normals, group[mesh.triangles].ravel(), total)
    normals = total[group]
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(length > 1e-12, normals / np.maximum(length, 1e-12), mesh.normals)
    return replace(out, normals=normals.astype(np.float32))
