"""Standing an object upright and giving it its size."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from limus.surface.mesh import Mesh

#: An axis of the file, with its direction.
Up = Literal["+y", "-y", "+z", "-z", "+x", "-x"]


def upright(up: Up) -> np.ndarray:
    """(3, 3) rotation that takes the axis ``up`` of a file to +y, by the shortest way (a half turn about x for
    "-y").
    """
    axis = "xyz".index(up[1])
    source = np.zeros(3)
    source[axis] = 1.0 if up[0] == "+" else -1.0
    target = np.array([0.0, 1.0, 0.0])
    if source @ target < -0.5:
        return np.diag([1.0, -1.0, -1.0])
    v, c = np.cross(source, target), float(source @ target)
    k = np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])
    # Rodrigues' formula for the turn from one unit vector to another.
    return np.eye(3) + k + k @ k / (1.0 + c)


def placed(mesh: Mesh, scale: float, up: Up) -> Mesh:
    """The mesh in metres with +y up. ``scale`` is metres per unit of the file."""
    if scale == 1.0 and up == "+y":
        return mesh
    turn = upright(up)
    # In double precision: files in millimetres of large things lose digits otherwise.
    positions = (mesh.positions.astype(np.float64) @ turn.T * scale).astype(np.float32)
    tangents = mesh.tangents
    if tangents is not None:
        tangents = np.concatenate([tangents[:, :3] @ turn.T, tangents[:, 3:]], axis=1).astype(np.float32)
    return replace(
        mesh,
        positions=positions,
        normals=(mesh.normals @ turn.T).astype(np.float32),
        tangents=tangents,
        turn=turn @ mesh.turn,
        offset=turn @ mesh.offset * scale,
        scale=scale * mesh.scale,
    )


def plausible_scale(diagonal: float, unit_known: bool) -> float:
    """Metres per unit that makes a diagonal (in units of the file) a plausible size; 1.0 where it is plausible already.

    Plausible is 5 mm to 150 m where the format says that its unit is the metre (glTF), and 20 mm to 20 m where it says
    nothing (OBJ, PLY, STL). Common units are tried first, in order of how often they are met (common practice, no
    source).
    """
    low, high = (0.005, 150.0) if unit_known else (0.02, 20.0)
    if low <= diagonal <= high:
        return 1.0
    for scale in (0.001, 0.01, 0.0254, 0.3048, 1000.0):
        if 0.02 <= diagonal * scale <= 20.0:
            return scale
    return float(10.0 ** -np.round(np.log10(max(diagonal, 1e-300))))
