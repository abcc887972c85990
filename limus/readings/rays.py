"""The ray library, held at arm's length."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

from limus.common.hashing import key_of
from limus.common.store import shared
from limus.surface.mesh import Mesh

#: Bytes that the tree of the library takes for a triangle, about.
_BYTES = 250


@dataclass(frozen=True)
class _Tree:
    scene: rtcore_scene.EmbreeScene
    triangles: int

    def held(self) -> tuple[int, tuple[object, ...]]:
        return self.triangles * _BYTES, ()


def ray_scene(mesh: Mesh) -> rtcore_scene.EmbreeScene:
    """The mesh as a ray-tracing scene; triangle numbers are those of the mesh. Built once per mesh."""

    def make() -> _Tree:
        scene = rtcore_scene.EmbreeScene()
        TriangleMesh(
            scene, np.ascontiguousarray(mesh.positions, np.float32), np.ascontiguousarray(mesh.triangles, np.int32)
        )
        # The tree is built at the first query; do that here, once, and not in two threads at the same time.
        scene.run(np.zeros((1, 3), np.float32), np.array([[0, 1, 0]], np.float32))
        return _Tree(scene, len(mesh.triangles))

    found: _Tree = shared().get(key_of("ray scene", mesh.key), make)
    return found.scene


def trace(
    scene: rtcore_scene.EmbreeScene, origins: np.ndarray, directions: np.ndarray, limits: np.ndarray | None = None
) -> dict[str, np.ndarray]:
    """First hits of float32 rays: ``tfar`` (m, the limit where nothing was hit), ``primID`` (-1: none), ``Ng``,
    ``u``, ``v``.

    The library uses ``limits`` as its own store and leaves the hit distances in it.
    """
    hits: dict[str, np.ndarray] = scene.run(origins, directions, dists=limits, query="INTERSECT", output=1)
    return hits


def blocked(
    scene: rtcore_scene.EmbreeScene, origins: np.ndarray, directions: np.ndarray, limits: np.ndarray
) -> np.ndarray:
    """(m,) bool: whether anything lies within the limit of each float32 ray. Cheaper than the first hit."""
    hits: np.ndarray = scene.run(origins, directions, dists=limits, query="OCCLUDED")
    return np.asarray(hits) >= 0
