"""Between the tangent frames of texels and the space of the object (MikkTSpace frames, green up)."""

from __future__ import annotations

import numpy as np

from limus.surface.texels import Texels


def to_object_space(texels: Texels, vectors: np.ndarray, rows: np.ndarray | slice = slice(None)) -> np.ndarray:
    """(m, 3) float32 of length 1: tangent-space normals (n, 3) at the texels ``rows``, in the space of the object."""
    normal, tangent, bitangent = _axes(texels, rows)
    small = vectors[rows]
    return _unit(tangent * small[:, :1] + bitangent * small[:, 1:2] + normal * small[:, 2:3])


def to_tangent_space(texels: Texels, vectors: np.ndarray) -> np.ndarray:
    """(n, 3) float32 of length 1: normals of the object's space in the frames of the texels. What bends more than a
    right angle away cannot be told in a tangent-space map and is laid flat along the surface.
    """
    normal, tangent, bitangent = _axes(texels, slice(None))
    out = np.stack([np.einsum("ij,ij->i", vectors, axis) for axis in (tangent, bitangent, normal)], axis=1)
    out[:, 2] = np.maximum(out[:, 2], 0.02)
    return _unit(out)


def _axes(texels: Texels, rows: np.ndarray | slice) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    normal, tangent = texels.normal[rows], texels.tangent[rows]
    return normal, tangent[:, :3], np.cross(normal, tangent[:, :3]) * tangent[:, 3:]


def _unit(vectors: np.ndarray) -> np.ndarray:
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    out: np.ndarray = (vectors / np.maximum(length, 1e-9)).astype(np.float32, copy=False)
    return out
