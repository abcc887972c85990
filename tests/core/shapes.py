"""Small meshes with known geometry, for checks."""

from __future__ import annotations

import numpy as np

from limus.surface.mesh import Mesh, Part


def from_faces(faces: list[tuple[np.ndarray, np.ndarray]], source: str = "shape", part: str = "shape") -> Mesh:
    """Quads given as (corners (4, 3) counter-clockwise from outside, uv (4, 2)); flat normals."""
    p, n, uv, tri = [], [], [], []
    for k, (corners, at) in enumerate(faces):
        normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
        normal = normal / np.linalg.norm(normal)
        p.append(corners)
        n.append(np.tile(normal, (4, 1)))
        uv.append(at)
        tri += [[4 * k, 4 * k + 1, 4 * k + 2], [4 * k, 4 * k + 2, 4 * k + 3]]
    return Mesh(
        positions=np.concatenate(p).astype(np.float32),
        normals=np.concatenate(n).astype(np.float32),
        uv=np.concatenate(uv).astype(np.float32),
        triangles=np.array(tri, np.int32),
        parts=(Part(part, 0, len(tri), 0),),
        source=source,
    )


def cell(column: int, row: int, columns: int, rows: int, margin: float = 0.02) -> np.ndarray:
    """UV corners of one cell of a grid; first corner lower left in the picture (v runs down), then counter-clockwise
    as seen.
    """
    u0, u1 = (column + margin) / columns, (column + 1 - margin) / columns
    v0, v1 = (row + margin) / rows, (row + 1 - margin) / rows
    return np.array([[u0, v1], [u1, v1], [u1, v0], [u0, v0]])


def box(
    size: float = 1.0, centre: tuple[float, float, float] = (0.0, 0.0, 0.0), uv_of: list[np.ndarray] | None = None
) -> Mesh:
    """A cube, one island per face."""
    h = size / 2
    c = np.array(centre)
    faces = []
    for k, (axis, sign) in enumerate([(0, 1), (0, -1), (1, 1), (1, -1), (2, 1), (2, -1)]):
        a, b = (axis + 1) % 3, (axis + 2) % 3
        corners = np.zeros((4, 3))
        corners[:, axis] = sign * h
        ring = [(-h, -h), (h, -h), (h, h), (-h, h)]
        for j, (x, y) in enumerate(ring if sign > 0 else ring[::-1]):
            corners[j, a], corners[j, b] = x, y
        faces.append((corners + c, uv_of[k] if uv_of else cell(k % 3, k // 3, 3, 2)))
    return from_faces(faces, "box.glb", "box")


def plane(size: float = 1.0, tilt: float = 0.0) -> Mesh:
    """A square facing up, tilted by ``tilt`` degrees about z."""
    h = size / 2
    corners = np.array([[-h, 0, h], [h, 0, h], [h, 0, -h], [-h, 0, -h]])
    t = np.radians(tilt)
    turn = np.array([[np.cos(t), -np.sin(t), 0], [np.sin(t), np.cos(t), 0], [0, 0, 1]])
    return from_faces([(corners @ turn.T, cell(0, 0, 1, 1))], "plane.glb", "plane")


def grid(points: np.ndarray, source: str, uv: np.ndarray | None = None, part: str = "grid") -> Mesh:
    """A (rows, columns, 3) grid as a smooth mesh; UVs over 0..1 by default."""
    rows, columns = points.shape[:2]
    if uv is None:
        u, v = np.meshgrid(np.linspace(0.01, 0.99, columns), np.linspace(0.99, 0.01, rows))
        uv = np.stack([u, v], axis=2)
    number = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = number[:-1, :-1].ravel(), number[:-1, 1:].ravel(), number[1:, 1:].ravel(), number[1:, :-1].ravel()
    tri = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    p = points.reshape(-1, 3)
    size = np.linalg.norm(np.cross(p[tri[:, 1]] - p[tri[:, 0]], p[tri[:, 2]] - p[tri[:, 0]]), axis=1)
    tri = tri[size > 1e-14]
    face = np.cross(p[tri[:, 1]] - p[tri[:, 0]], p[tri[:, 2]] - p[tri[:, 0]])
    _, weld = np.unique(np.round(p * 1e7).astype(np.int64), axis=0, return_inverse=True)
    weld = np.asarray(weld).reshape(-1)
    total = np.zeros((weld.max() + 1, 3))
    for k in range(3):
        np.add.at(total, weld[tri[:, k]], face)
    n = total[weld]
    n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-20)
    return Mesh(
        positions=p.astype(np.float32),
        normals=n.astype(np.float32),
        uv=uv.reshape(-1, 2).astype(np.float32),
        triangles=tri.astype(np.int32),
        parts=(Part(part, 0, len(tri), 0),),
        source=source,
    )


def sphere(radius: float = 1.0, steps: int = 96) -> Mesh:
    """A sphere on a longitude-latitude grid, seen from outside."""
    theta, phi = np.meshgrid(np.linspace(0, 2 * np.pi, 2 * steps + 1), np.linspace(-np.pi / 2, np.pi / 2, steps + 1))
    points = radius * np.stack([np.cos(phi) * np.sin(theta), np.sin(phi), np.cos(phi) * np.cos(theta)], axis=2)
    return grid(points, "sphere.glb", part="sphere")


def cylinder(radius: float = 0.1, height: float = 0.4, steps: int = 64, seam_gap: float = 0.1) -> Mesh:
    """An open upright tube unrolled into one island, with a seam down its back."""
    theta = np.linspace(0, 2 * np.pi, steps + 1)
    y = np.linspace(0, height, 17)
    points = np.stack(
        np.broadcast_arrays(radius * np.sin(theta)[None], y[:, None], radius * np.cos(theta)[None]), axis=2
    )
    u, v = np.meshgrid(np.linspace(seam_gap, 1 - seam_gap, steps + 1), np.linspace(0.9, 0.1, 17))
    return grid(points, "tube.glb", np.stack([u, v], axis=2), part="tube")


def joined(*meshes: Mesh, source: str = "joined.glb") -> Mesh:
    """Several meshes as parts of one; UVs side by side."""
    p, n, uv, tri, parts = [], [], [], [], []
    base = first = 0
    for k, m in enumerate(meshes):
        p.append(m.positions)
        n.append(m.normals)
        assert m.uv is not None
        uv.append(np.stack([(m.uv[:, 0] + k) / len(meshes), m.uv[:, 1]], axis=1))
        tri.append(m.triangles + base)
        parts.append(Part(f"{m.parts[0].name} {k + 1}", first, len(m.triangles), 0))
        base += len(m.positions)
        first += len(m.triangles)
    return Mesh(
        np.concatenate(p),
        np.concatenate(n),
        np.concatenate(tri),
        np.concatenate(uv).astype(np.float32),
        parts=tuple(parts),
        source=source,
    )
