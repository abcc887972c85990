"""Tangent frames as glTF 2.0 asks for them.

glTF: the bitangent is ``cross(normal, tangent.xyz) * tangent.w`` and the green channel of a normal map points up in the
image, that is towards smaller v. Where a file brings no tangents they are made the way MikkTSpace does it: per corner,
angle-weighted, projected to the plane of the normal, and never mixed between triangles whose UVs are mirrored.
"""

from __future__ import annotations

import numpy as np

from limus.surface.alike import rows_alike
from limus.surface.mesh import Mesh


def uv_gradients(mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """How the position moves with u and with v.

    Returns
    -------
    two (T, 3) float64 arrays, metres per unit of u and of v; zero for triangles without UV area.
    """
    uv = mesh.need_uv().astype(np.float64)
    p = mesh.positions.astype(np.float64)
    a, b, c = (mesh.triangles[:, k] for k in range(3))
    e1, e2 = p[b] - p[a], p[c] - p[a]
    d1, d2 = uv[b] - uv[a], uv[c] - uv[a]
    det = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]
    safe = np.where(np.abs(det) > 1e-20, det, np.inf)[:, None]
    along_u = (e1 * d2[:, 1:2] - e2 * d1[:, 1:2]) / safe
    along_v = (e2 * d1[:, 0:1] - e1 * d2[:, 0:1]) / safe
    return along_u, along_v


def corner_tangents(mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """Tangent and handedness at every triangle corner.

    Returns
    -------
    (T, 3, 3) float32 unit tangents and (T,) float32 handedness (+1 or -1).
    """
    tri = mesh.triangles
    if mesh.tangents is not None:
        corner = mesh.tangents[tri]
        return np.ascontiguousarray(corner[:, :, :3], np.float32), np.where(
            corner[:, :, 3].sum(axis=1) < 0, -1.0, 1.0
        ).astype(np.float32)

    along_u, along_v = uv_gradients(mesh)
    face = mesh.face_normals.astype(np.float64)
    hand = np.where(np.einsum("ij,ij->i", np.cross(face, along_u), -along_v) < 0, -1.0, 1.0)
    p = mesh.positions.astype(np.float64)
    n = mesh.normals.astype(np.float64)
    uv = mesh.need_uv()

    def unit(v: np.ndarray) -> np.ndarray:
        return v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-20)

    corner_n = n[tri]
    flat = unit(along_u[:, None, :] - corner_n * np.einsum("ij,ikj->ik", along_u, corner_n)[:, :, None])
    q = p[tri]

    def across(v: np.ndarray) -> np.ndarray:
        return unit(v - corner_n * (v * corner_n).sum(axis=2, keepdims=True))

    # The reference takes the angle in the plane of the normal, not in that of the triangle.
    to_next, to_last = across(np.roll(q, -1, axis=1) - q), across(np.roll(q, 1, axis=1) - q)
    angle = np.arccos(np.clip((to_next * to_last).sum(axis=2), -1.0, 1.0))

    # Corners that share place, normal, UV and handedness share a tangent.
    attributes = np.concatenate([np.round(n * 1e4), np.round(uv.astype(np.float64) * 1e6)], axis=1).astype(np.int64)
    _, same = rows_alike([mesh.welded, *attributes.T])
    group = same[tri] * 2 + (hand < 0)[:, None]
    weighted = (flat * angle[:, :, None]).reshape(-1, 3)
    total = np.stack([np.bincount(group.ravel(), weighted[:, k]) for k in range(3)], axis=1)
    out = unit(total)[group]
    # Triangles without UV area have no direction of their own: any direction across the normal will do.
    empty = np.linalg.norm(out, axis=2) < 0.5
    if empty.any():
        axis = np.where(np.abs(corner_n[empty][:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
        out[empty] = unit(np.cross(corner_n[empty], axis))
    return out.astype(np.float32), hand.astype(np.float32)
