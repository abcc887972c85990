"""Thin sheets: parts that are a single skin without an inside."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from limus.surface.adjacency import Adjacency
from limus.surface.mesh import Mesh, Part
from limus.surface.shells import shells


def thin_sheets(mesh: Mesh, near: Adjacency) -> list[str]:
    """Names of parts that are mostly single sheets: shells with a free border that enclose next to nothing.

    Notes
    -----
    A closed body of area A encloses up to A^1.5 / 10.6 (the sphere). A connected shell counts as a sheet when the
    volume about its own centre is below a tenth of that and its free border is longer than half the root of its area.
    Whether its back can be seen is for the caller to find out.
    """
    count, shell = shells(near)
    q = mesh.positions.astype(np.float64)[mesh.triangles]
    area = np.bincount(shell, mesh.areas, minlength=count)
    middle = q.mean(axis=1) * mesh.areas[:, None]
    weight = np.maximum(area, 1e-300)
    centre = np.stack([np.bincount(shell, middle[:, k], minlength=count) / weight for k in range(3)], axis=1)
    a, b, c = (q[:, k] - centre[shell] for k in range(3))
    volume = np.abs(np.bincount(shell, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6, minlength=count))
    edges = np.linalg.norm(np.roll(q, -1, axis=1) - q, axis=2) * (near.twin < 0)
    border = np.bincount(shell, edges.sum(axis=1), minlength=count)
    thin = (volume < 0.1 * area**1.5 / 10.635) & (border > 0.5 * np.sqrt(area)) & (area > 0)
    found = []
    for part in mesh.parts:
        rows = slice(part.first, part.first + part.count)
        if not part.back and float(mesh.areas[rows][thin[shell[rows]]].sum()) > 0.5 * float(mesh.areas[rows].sum()):
            found.append(part.name)
    return found


def with_backs(mesh: Mesh, names: Collection[str]) -> Mesh:
    """The mesh with a back for each of the named sheets, in map sets of their own.

    The back has the same positions and UVs with reversed winding and normals; its part and map set are named after the
    front with " back" behind.
    """
    fronts = [part for part in mesh.parts if part.name in names and not part.back]
    if not fronts:
        return mesh
    domains = list(mesh.uv_domains)
    back_of: dict[int, int] = {}
    parts, triangles = list(mesh.parts), [mesh.triangles]
    rows: list[np.ndarray] = []
    base, first = len(mesh.positions), len(mesh.triangles)
    taken = {part.name for part in mesh.parts}
    for part in fronts:
        if part.map_set not in back_of:
            back_of[part.map_set] = len(domains)
            domains.append(f"{mesh.uv_domains[part.map_set]} back")
        own = mesh.triangles[part.first : part.first + part.count]
        used, local = np.unique(own, return_inverse=True)
        triangles.append((np.asarray(local).reshape(-1, 3)[:, ::-1] + base).astype(np.int32))
        rows.append(used)
        name = f"{part.name} back"
        while name in taken:
            name += "'"
        taken.add(name)
        parts.append(Part(name, first, part.count, back_of[part.map_set], back=True))
        base += len(used)
        first += part.count
    copied = np.concatenate(rows)

    def grown(array: np.ndarray | None) -> np.ndarray | None:
        return None if array is None else np.concatenate([array, array[copied]])

    more = {new: old for old, new in back_of.items()}

    def per_set(maps: tuple) -> tuple:  # type: ignore[type-arg]
        return tuple(maps[more.get(k, k)] for k in range(len(domains))) if maps else ()

    return replace(
        mesh,
        positions=np.concatenate([mesh.positions, mesh.positions[copied]]),
        normals=np.concatenate([mesh.normals, -mesh.normals[copied]]),
        triangles=np.concatenate(triangles),
        uv=grown(mesh.uv),
        other_uv=grown(mesh.other_uv),
        colours=grown(mesh.colours),
        tangents=None,
        parts=tuple(parts),
        uv_domains=tuple(domains),
        uv_titles=(*mesh.uv_titles, *domains[len(mesh.uv_titles) :]),
        normal_maps=per_set(mesh.normal_maps),
        base_maps=per_set(mesh.base_maps),
    )
