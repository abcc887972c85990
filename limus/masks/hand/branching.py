"""Branches that leave a drawn line, as those of a crack do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.surface.box_tree import BoxTree, box_tree
from limus.surface.mesh import Mesh
from limus.surface.nearest import nearest_in

#: Points along a branch.
_STEPS = 24
#: Degrees by which a branch leaves its line, and by which it turns from point to point.
_LEAVES, _TURNS = (28.0, 62.0), 9.0
#: Width of a branch where it leaves, and at its end; share of the line at either end in which it narrows.
_ROOT, _TIP, _ENDS = 0.62, 0.12, 0.10


@dataclass(frozen=True)
class Twig:
    """``points`` (m, 3) metres, and ``width`` (m,) 0..1 of the width of the line."""

    points: np.ndarray
    width: np.ndarray


def twigs(path: np.ndarray, facing: np.ndarray, mesh: Mesh, count: int, share: float, seed: int) -> list[Twig]:
    """A drawn line, narrowing to its ends, and ``count`` branches of it that lie on the surface.

    Parameters
    ----------
    path, facing : (m, 3) metres, and unit directions out of the surface. share : mean length of a branch as a share of
        that of the line. Each second branch forks once more.
    """
    steps = np.linalg.norm(np.diff(path, axis=0), axis=1)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    length = float(along[-1])
    if length <= 0 or len(path) < 2:
        return [Twig(path, np.ones(len(path)))]
    t = along / length
    out = [Twig(path, np.clip(np.minimum(t, 1.0 - t) / _ENDS, 0.15, 1.0))]
    tree = box_tree(mesh.positions, mesh.triangles)
    random = np.random.Generator(np.random.PCG64(seed))
    for k in range(count):
        at = (k + random.uniform(0.2, 0.8)) / count
        start = np.array([np.interp(at, t, path[:, axis]) for axis in range(3)])
        up = np.array([np.interp(at, t, facing[:, axis]) for axis in range(3)])
        row = int(np.clip(np.searchsorted(t, at) - 1, 0, len(path) - 2))
        side = 1.0 if (k % 2 == 0) != (random.random() < 0.25) else -1.0
        heading = _turned(path[row + 1] - path[row], up, side * random.uniform(*_LEAVES))
        reach = length * share * random.uniform(0.6, 1.4)
        branch = _grown(start, heading, up, reach, tree, mesh, random)
        out.append(Twig(branch, np.linspace(_ROOT, _TIP, len(branch))))
        if random.random() < 0.5:
            half = len(branch) // 2
            fork = _turned(branch[half] - branch[half - 1], up, -side * random.uniform(*_LEAVES))
            small = _grown(branch[half], fork, up, reach * 0.4, tree, mesh, random)
            out.append(Twig(small, np.linspace(0.5 * _ROOT, _TIP, len(small))))
    return out


def _turned(heading: np.ndarray, up: np.ndarray, degrees: float) -> np.ndarray:
    """A direction turned about ``up``, within its plane (Rodrigues' rotation)."""
    up = up / max(float(np.linalg.norm(up)), 1e-12)
    flat = heading - up * float(heading @ up)
    flat = flat / max(float(np.linalg.norm(flat)), 1e-12)
    a = np.radians(degrees)
    return np.asarray(flat * np.cos(a) + np.cross(up, flat) * np.sin(a))


def _grown(
    start: np.ndarray,
    heading: np.ndarray,
    up: np.ndarray,
    reach: float,
    tree: BoxTree,
    mesh: Mesh,
    random: np.random.Generator,
) -> np.ndarray:
    from trimesh.triangles import closest_point

    points = [start]
    step = reach / _STEPS
    for _ in range(_STEPS):
        wanted = points[-1] + heading * step
        # Back onto the surface, and on along it.
        _, which = nearest_in(tree, wanted[None], step * 4.0 + mesh.diagonal)
        triangle = int(which[0])
        place = closest_point(tree.positions[tree.triangles[triangle]][None], wanted[None])[0]  # type: ignore[no-untyped-call]
        up = mesh.face_normals[triangle].astype(np.float64)
        points.append(place)
        heading = _turned(heading, up, random.normal(0.0, _TURNS))
    return np.array(points)
