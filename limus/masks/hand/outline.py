"""Areas that are enclosed by lines drawn on the surface."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from limus.masks.hand.stroke import load_stroke, placed_points
from limus.surface.areas import Areas, walled
from limus.surface.mesh import Mesh

#: A line is closed where its ends lie no farther apart than this share of its length.
OPEN = 0.15


def outlines_of(
    names: Sequence[str], find: Callable[[str], Path] | None, mesh: Mesh, above_m: float, below_m: float
) -> list[tuple[Areas, np.ndarray]]:
    """What each closed line among the strokes encloses, and (3,) the way the surface looks there.

    The outline is thrown along that way, from ``below_m`` under its lowest point to ``above_m`` over its highest; one
    that crosses itself encloses all its loops. Lines that are open or enclose nothing are left out.
    """
    found = []
    for name in names:
        path, facing, _ = placed_points(load_stroke(name, find), mesh)
        way = facing.sum(axis=0)
        length = float(np.linalg.norm(np.diff(path, axis=0), axis=1).sum())
        if len(path) < 3 or not np.linalg.norm(way) > 1e-6 or np.linalg.norm(path[0] - path[-1]) > OPEN * length:
            continue
        way = way / np.linalg.norm(way)
        flat = path - np.outer(path @ way, way)
        # Twice the area between the outline and its middle, whichever way round each loop runs.
        arms = flat - flat.mean(axis=0)
        if np.abs(np.cross(arms, np.roll(arms, -1, axis=0)) @ way).sum() < 1e-6 * length**2:
            continue
        heights = path @ way
        low, high = float(heights.min()) - below_m, float(heights.max()) + above_m
        found.append((walled(flat, way, low, high), way))
    return found
