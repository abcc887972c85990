"""What one body hands over to another that it touches or nearly touches: rust from a bolt to the plate below it.

Bodies are what hangs together over edges, not the parts of the file: many models come as one part.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.surface.texels import Texels


@dataclass(frozen=True)
class Contacts:
    """Small cubes of space that texels of several bodies lie in, found twice, the second time moved by half a cube.

    ``rows`` : for each time (m,) texels in such cubes; ``cube``, ``own`` : (m,) int64 which cube, and which body's
    share of a cube, they lie in.
    """

    rows: tuple[np.ndarray, ...]
    cube: tuple[np.ndarray, ...]
    own: tuple[np.ndarray, ...]


def contacts(texels: Texels, reach_mm: float) -> Contacts:
    """Where bodies lie within about ``reach_mm`` of each other."""
    part = texels.shell.astype(np.int64)
    count = int(part.max(initial=0)) + 1
    found: tuple[list[np.ndarray], list[np.ndarray], list[np.ndarray]] = ([], [], [])
    if count > 1:
        at = (texels.position - texels.position.min(axis=0)).astype(np.float64) * (1000.0 / reach_mm)
        for shift in (0.0, 0.5):
            whole = np.floor(at + shift).astype(np.int64)
            wide = whole.max(axis=0) + 1
            number = (whole[:, 0] * wide[1] + whole[:, 1]) * wide[2] + whole[:, 2]
            pairs, owner = np.unique(number * count + part, return_inverse=True)
            cubes, cube, parts = np.unique(pairs // count, return_inverse=True, return_counts=True)
            del cubes
            owner = np.asarray(owner).reshape(-1)
            cube = np.asarray(cube).reshape(-1)[owner]
            rows = np.flatnonzero(parts[cube] > 1)
            found[0].append(rows)
            found[1].append(np.unique(cube[rows], return_inverse=True)[1].reshape(-1))
            found[2].append(np.unique(owner[rows], return_inverse=True)[1].reshape(-1))
    return Contacts(*(tuple(arrays) for arrays in found))


def across_contacts(texels: Texels, field: np.ndarray, near: Contacts) -> np.ndarray:
    """(n,) float32: the mean of a (n,) ``field`` on other bodies in the same small cube of space; 0 where none is
    near.
    """
    out = np.zeros(len(texels), np.float32)
    for rows, cube, own in zip(near.rows, near.cube, near.own, strict=True):
        weight = texels.area[rows].astype(np.float64)
        value = weight * field[rows]
        all_weight, own_weight = np.bincount(cube, weight)[cube], np.bincount(own, weight)[own]
        others = np.maximum(all_weight - own_weight, 0.0)
        mean = np.maximum(np.bincount(cube, value)[cube] - np.bincount(own, value)[own], 0.0) / np.maximum(
            others, 1e-30
        )
        # A sliver of a body in the corner of a cube is no contact.
        out[rows] = np.maximum(out[rows], np.where(others > 0.02 * all_weight, np.minimum(mean, 1.0), 0.0))
    return out
