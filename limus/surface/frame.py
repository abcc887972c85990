"""A rectangle in space that can be taken hold of, and where on an object one would begin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from limus.surface.texels import Texels
from limus.surface.throwing import ThrowBox


@dataclass(frozen=True)
class Frame:
    """A rectangle in space that can be taken hold of: ``middle`` m, unit vectors ``right``, ``up``, ``back``, its
    sides in mm, the field that takes its width, and what it is called.
    """

    middle: tuple[float, float, float]
    right: tuple[float, float, float]
    up: tuple[float, float, float]
    back: tuple[float, float, float]
    width_mm: float
    tall_mm: float
    width_field: str
    name: str


def frame_of(box: ThrowBox, width_mm: float, tall_mm: float, *, width_field: str, name: str) -> Frame:
    """The middle plane of a box; ``width_field`` is the field that takes its width, ``name`` what it is called."""

    def three(v: np.ndarray) -> tuple[float, float, float]:
        return float(v[0]), float(v[1]), float(v[2])

    return Frame(
        three(box.middle), three(box.right), three(box.up), three(box.back), width_mm, tall_mm, width_field, name
    )


#: Cells along each side of the front, where a first place for a decal is looked for.
_CELLS = 24


def front_of(texels: Texels) -> tuple[np.ndarray, np.ndarray]:
    """(3,) m and (3,) unit: a roomy place on the front (+z) of the object, near its middle, and the direction out of
    it.
    """
    low, high = texels.mesh.bounds.astype(np.float64)
    middle, size = (low + high) / 2, np.maximum(high - low, 1e-9)
    p = texels.position
    facing = np.clip((texels.normal[:, 2] - 0.75) * 4.0, 0.0, 1.0)
    at = np.clip(((p[:, :2] - low[:2]) / size[:2] * _CELLS).astype(np.int64), 0, _CELLS - 1)
    cell = at[:, 1] * _CELLS + at[:, 0]
    # How much of it faces the front in each cell, its neighbours counted; what is in the middle of the object counts
    # more.
    room = np.bincount(cell, texels.area * facing, _CELLS**2).reshape(_CELLS, _CELLS)
    full = size[0] * size[1] / _CELLS**2
    room = scipy.ndimage.uniform_filter(np.minimum(room / full, 1.0), 5, mode="constant")
    y, x = np.mgrid[:_CELLS, :_CELLS]
    off = np.hypot((x + 0.5) / _CELLS - 0.5, (y + 0.5) / _CELLS - 0.5)
    best = int(np.argmax(room * np.exp(-1.2 * off)))
    wanted = low[:2] + size[:2] * (np.array([best % _CELLS, best // _CELLS]) + 0.5) / _CELLS
    away = np.hypot(p[:, 0] - wanted[0], p[:, 1] - wanted[1]) / float(np.linalg.norm(size))
    k = int(np.argmax(facing * 0.5 + (p[:, 2] - middle[2]) / float(np.linalg.norm(size)) - 6.0 * away))
    return p[k].astype(np.float64), texels.normal[k].astype(np.float64)
