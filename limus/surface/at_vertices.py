"""From texels to vertices: what a field over the surface is at the corners of its triangles."""

from __future__ import annotations

import numpy as np
import scipy

from limus.surface.mesh import Mesh
from limus.surface.texels import Texels


def at_vertices(mesh: Mesh, texels: Texels, fields: np.ndarray) -> np.ndarray:
    """(V, c) float32: ``fields`` (n, c) over ``texels`` at the vertices of ``mesh``, which has the same surface and
    UVs, cut finer or not.

    Each texel gives what it has to the three corners of its triangle, by its area and how near it lies to each (its
    barycentric coordinates): the lumped mass matrix of linear finite elements, so that the integral over the surface
    stays what it was. Vertices in one place, on one side of a sheet, have one value: nothing tears. A vertex that no
    texel lies beside takes the nearest.
    """
    own = texels if mesh is texels.mesh else Texels.of(mesh, texels.size)
    # The same pixels, but for some that touch the rim of a triangle.
    values = fields[texels.fill_index[own.pixel]] if own is not texels else fields
    place = _places(mesh)
    count = int(place.max(initial=0)) + 1
    total, weight = np.zeros((count, fields.shape[1])), np.zeros(count)
    corners = place[mesh.triangles[own.triangle]]
    for k, share in enumerate(own.barycentric.T):
        given = share.astype(np.float64) * own.area
        weight += np.bincount(corners[:, k], given, count)
        for c in range(fields.shape[1]):
            total[:, c] += np.bincount(corners[:, k], given * values[:, c], count)
    out = (total / np.maximum(weight, 1e-300)[:, None])[place]
    bare = weight[place] <= 0.0
    if bare.any():
        _, near = scipy.spatial.cKDTree(texels.position).query(mesh.positions[bare])
        out[bare] = fields[near]
    return np.asarray(out, np.float32)


def _places(mesh: Mesh) -> np.ndarray:
    """(V,) numbers of places; the two sides of a thin sheet are two."""
    back = np.zeros(len(mesh.positions), np.int64)
    for part in mesh.parts:
        if part.back:
            back[mesh.triangles[part.first : part.first + part.count]] = 1
    return np.unique(mesh.welded.astype(np.int64) * 2 + back, return_inverse=True)[1].reshape(-1)
