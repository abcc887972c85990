"""Unwrapping: UVs for objects that have none, or better ones on wish."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import xatlas

from limus.surface.mesh import Mesh

#: Resolution for which the packing leaves its gaps, and the gap in texels of that resolution.
PACKED_FOR = 1024
GAP = 4


def unwrapped(mesh: Mesh, progress: Callable[[float], None] | None = None) -> Mesh:
    """The mesh with new UVs, one atlas per map set, every triangle in exactly one island.

    Positions, normals, colours and parts stay; vertices on new seams are doubled. Made by the library xatlas, whose result is the
    same on every run.

    Parameters
    ----------
    progress : called with 0..1 between map sets; may raise ``Cancelled``.
    """
    triangles = np.empty_like(mesh.triangles)
    source_rows: list[np.ndarray] = []
    uvs: list[np.ndarray] = []
    base = 0
    sets = mesh.triangle_map_set
    for k in range(len(mesh.uv_domains)):
        rows = np.flatnonzero(sets == k)
        if progress is not None:
            progress(k / len(mesh.uv_domains))
        if not len(rows):
            continue
        used, local = np.unique(mesh.triangles[rows], return_inverse=True)
        atlas = xatlas.Atlas()
        atlas.add_mesh(
            np.ascontiguousarray(_roomy(mesh.positions[used])),
            np.ascontiguousarray(np.asarray(local).reshape(-1, 3).astype(np.uint32)),
            np.ascontiguousarray(mesh.normals[used]),
        )
        charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
        packing.padding = GAP
        packing.resolution = PACKED_FOR
        packing.bilinear = True
        # The library turns islands by swapping u and v, which mirrors them; mirrored texture is a nuisance to everyone after us.
        packing.rotate_charts = False
        charts.fix_winding = True
        packing.create_image = False
        # Packing tries every place; for many islands a coarser search is good enough and much faster.
        packing.bruteForce = len(rows) < 20_000
        atlas.generate(charts, packing)
        mapping, faces, uv = atlas[0]
        triangles[rows] = faces.astype(np.int32) + base
        source_rows.append(used[mapping])
        uv = np.asarray(uv, np.float64)
        # The atlas may be taller than wide: one scale for both axes keeps the texels square.
        size = np.array([atlas.width, atlas.height], np.float64)
        uv = np.clip(uv * size / size.max(), 0.0, 1.0)
        uvs.append(uv.astype(np.float32))
        base += len(mapping)
    rows = np.concatenate(source_rows)
    uv = np.concatenate(uvs)
    # glTF's v runs down: without this every island would be mirrored.
    uv[:, 1] = 1.0 - uv[:, 1]
    if progress is not None:
        progress(1.0)
    return replace(
        mesh,
        positions=mesh.positions[rows],
        normals=mesh.normals[rows],
        triangles=triangles,
        uv=uv,
        tangents=None,
        colours=None if mesh.colours is None else mesh.colours[rows],
        normal_maps=(),
        base_maps=tuple(None if m is None else replace(m, color=None, orm=None) for m in mesh.base_maps),
        without_uv=(),
    )


def _roomy(positions: np.ndarray) -> np.ndarray:
    """Positions brought to a size of a few thousand: the library takes triangles of less than 1e-7 square units for degenerate ones."""
    p = positions.astype(np.float64)
    low, high = p.min(axis=0), p.max(axis=0)
    return ((p - low) * (4000.0 / max(float(np.linalg.norm(high - low)), 1e-300))).astype(np.float32)
