"""Finer triangles where a mesh is too coarse to hold painting."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from limus.common.errors import InputError
from limus.surface.mesh import Mesh, Part

#: Most triangles that subdividing may make.
MOST = 4_000_000


def subdivided(mesh: Mesh, longest_mm: float, most: int = MOST, where: str = "subdivide_mm") -> Mesh:
    """The mesh with no edge longer than ``longest_mm``; shape, UVs and parts stay.

    Each round halves the edges that are too long. An edge is judged by its own length only, so both its triangles cut
    it at the same place and no crack opens; a triangle with one, two or three cut edges becomes two, three or four.

    Raises
    ------
    InputError : it would take more than ``most`` triangles; ``where`` is the field that asked for it.
    """
    limit = longest_mm / 1000.0
    too_many = InputError(
        f"edges of at most {longest_mm:g} mm would take more than {most} triangles",
        where=f"{mesh.source}: {where}",
        remedy="Choose a longer edge",
    )
    # No triangle with such edges is larger than an equilateral one: so many there would be at least.
    if float(mesh.areas.sum()) / (0.4330127 * limit**2) > most:
        raise too_many
    tri = mesh.triangles.astype(np.int64)
    columns = {
        "positions": mesh.positions,
        "normals": mesh.normals,
        "uv": mesh.uv,
        "other_uv": mesh.other_uv,
        "colours": mesh.colours,
        "tangents": mesh.tangents,
    }
    table = {name: array.astype(np.float64) for name, array in columns.items() if array is not None}
    owner = mesh.triangle_part.astype(np.int64)
    for _ in range(24):
        p = table["positions"]
        start, end = tri.ravel(), np.roll(tri, -1, axis=1).ravel()
        low, high = np.minimum(start, end), np.maximum(start, end)
        # A hair of slack, so that the two sides of a seam, whose vertices differ, round alike.
        too_long = np.linalg.norm(p[low] - p[high], axis=1) > limit * (1 + 1e-6)
        if not too_long.any():
            break
        if len(tri) + too_long.sum() > most:
            raise too_many
        edge, which = np.unique(low[too_long] * len(p) + high[too_long], return_inverse=True)
        a, b = np.divmod(edge, len(p))
        middle: np.ndarray = np.full(len(start), -1, np.int64)
        middle[too_long] = len(p) + np.asarray(which).reshape(-1)
        middle = middle.reshape(-1, 3)
        for name, array in table.items():
            half = (array[a] + array[b]) / 2
            if name == "normals":
                half /= np.maximum(np.linalg.norm(half, axis=1, keepdims=True), 1e-20)
            if name == "tangents":
                half[:, :3] /= np.maximum(np.linalg.norm(half[:, :3], axis=1, keepdims=True), 1e-20)
                half[:, 3] = array[a][:, 3]
            table[name] = np.concatenate([array, half])
        tri, owner = _cut(tri, middle, owner)
    order = np.argsort(owner, kind="stable")
    counts = np.bincount(owner, minlength=len(mesh.parts))
    firsts = np.concatenate([[0], np.cumsum(counts)])
    parts = tuple(Part(x.name, int(firsts[k]), int(counts[k]), x.map_set, x.back) for k, x in enumerate(mesh.parts))
    single = {name: array.astype(np.float32) for name, array in table.items()}
    return replace(mesh, triangles=tri[order].astype(np.int32), parts=parts, **single)  # type: ignore[arg-type]


def _cut(tri: np.ndarray, middle: np.ndarray, owner: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    cuts = middle >= 0
    number = cuts.sum(axis=1)
    out, owners = [tri[number == 0]], [owner[number == 0]]
    # Turn each triangle so that the pattern of cuts is always the same one.
    for pattern, pieces in (
        ((True, False, False), (("0", "m", "2"), ("m", "1", "2"))),
        ((True, True, False), (("0", "m", "2"), ("m", "n", "2"), ("m", "1", "n"))),
        ((True, True, True), (("0", "m", "o"), ("m", "1", "n"), ("o", "n", "2"), ("m", "n", "o"))),
    ):
        for turn in range(1 if all(pattern) else 3):
            rolled = np.roll(cuts, -turn, axis=1)
            here = (rolled == np.array(pattern)).all(axis=1)
            if not here.any():
                continue
            corner, mid = np.roll(tri[here], -turn, axis=1), np.roll(middle[here], -turn, axis=1)
            names = {
                "0": corner[:, 0],
                "1": corner[:, 1],
                "2": corner[:, 2],
                "m": mid[:, 0],
                "n": mid[:, 1],
                "o": mid[:, 2],
            }
            for piece in pieces:
                out.append(np.stack([names[x] for x in piece], axis=1))
                owners.append(owner[here])
    return np.concatenate(out), np.concatenate(owners)
