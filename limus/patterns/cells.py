"""Cells: the space nearest to each of many scattered points.

S. Worley, "A Cellular Texture Basis Function", SIGGRAPH 1996. One point lies in each cube of a lattice, moved from
its middle by
``jitter``. Distances are exact: cubes are left out only where none of their points could matter.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.patterns.lattice import again, hashed, unit


@dataclass(frozen=True)
class Cells:
    """Attributes
    ----------
    distance : (n,) float32 mm to the cell's own point. edge : (n,) float32 mm to the nearest border between two cells.
    value : (n,) float32 0..1, the same all over a cell. number : (n,) uint32 the cell's random bits.
    from_middle : (n, 3) float32 mm from the cell's own point.
    """

    distance: np.ndarray
    edge: np.ndarray
    value: np.ndarray
    number: np.ndarray
    from_middle: np.ndarray


@inlined
def _offset(h, k, jitter):  # type: ignore[no-untyped-def]
    return np.float32(0.5) + jitter * (unit(again(h, k)) - np.float32(0.5))


@inlined
def _gap(frac, step):  # type: ignore[no-untyped-def]
    """Distance along one axis from a place in a cube to the cube ``step`` away."""
    return step - frac if step > 0 else (frac - np.float32(step + 1) if step < 0 else np.float32(0.0))


@kernel
def _cells(start, end, points, rate, jitter, salt, edges, distance, edge, number, middle):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x, y, z = np.float32(points[i, 0] * rate), np.float32(points[i, 1] * rate), np.float32(points[i, 2] * rate)
        bx, by, bz = np.floor(x), np.floor(y), np.floor(z)
        ix, iy, iz = np.int32(bx), np.int32(by), np.int32(bz)
        fx, fy, fz = x - bx, y - by, z - bz
        best = np.float32(1e9)
        px, py, pz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        mine = np.uint32(0)
        for ring in range(3):
            # A point of ring k lies at least k - 1 away.
            if ring > 0 and best <= np.float32((ring - 1) * (ring - 1)):
                break
            for dx in range(-ring, ring + 1):
                gx = _gap(fx, dx)
                if gx * gx >= best:
                    continue
                for dy in range(-ring, ring + 1):
                    gy = _gap(fy, dy)
                    if gx * gx + gy * gy >= best:
                        continue
                    for dz in range(-ring, ring + 1):
                        if max(abs(dx), abs(dy), abs(dz)) != ring:
                            continue
                        gz = _gap(fz, dz)
                        if gx * gx + gy * gy + gz * gz >= best:
                            continue
                        h = hashed(np.int32(ix + dx), np.int32(iy + dy), np.int32(iz + dz), salt)
                        qx, qy, qz = (
                            dx + _offset(h, 1, jitter) - fx,
                            dy + _offset(h, 2, jitter) - fy,
                            dz + _offset(h, 3, jitter) - fz,
                        )
                        d = qx * qx + qy * qy + qz * qz
                        if d < best:
                            best, mine = d, h
                            px, py, pz = qx, qy, qz
        distance[i] = np.sqrt(best)
        number[i] = mine
        middle[i, 0], middle[i, 1], middle[i, 2] = -px, -py, -pz
        if not edges:
            continue
        # The border to another point q lies (|q|^2 - |p|^2) / (2 |q - p|) away; only q with |q| <= |p| + 2 edge can be
        # nearer.
        near = np.float32(1e9)
        own = np.sqrt(best)
        for ring in range(4):
            reach = own + np.float32(2.0) * near
            if ring > 0 and reach <= np.float32(ring - 1):
                break
            for dx in range(-ring, ring + 1):
                gx = _gap(fx, dx)
                for dy in range(-ring, ring + 1):
                    gy = _gap(fy, dy)
                    reach = own + np.float32(2.0) * near
                    if gx * gx + gy * gy > reach * reach:
                        continue
                    for dz in range(-ring, ring + 1):
                        if max(abs(dx), abs(dy), abs(dz)) != ring:
                            continue
                        gz = _gap(fz, dz)
                        if gx * gx + gy * gy + gz * gz > reach * reach:
                            continue
                        h = hashed(np.int32(ix + dx), np.int32(iy + dy), np.int32(iz + dz), salt)
                        qx, qy, qz = (
                            dx + _offset(h, 1, jitter) - fx,
                            dy + _offset(h, 2, jitter) - fy,
                            dz + _offset(h, 3, jitter) - fz,
                        )
                        ax, ay, az = qx - px, qy - py, qz - pz
                        apart = ax * ax + ay * ay + az * az
                        if apart < np.float32(1e-10):
                            continue
                        near = min(near, (qx * qx + qy * qy + qz * qz - best) / (np.float32(2.0) * np.sqrt(apart)))
        edge[i] = near


def cells(points_m: np.ndarray, size_mm: float, *, jitter: float = 1.0, seed: int = 0, edges: bool = True) -> Cells:
    """Which cell each point lies in, and how far it is from its middle and its border.

    Parameters
    ----------
    points_m : (n, 3) positions in metres. size_mm : side of the lattice, about the width of a cell. jitter : 0 cubes
        .. 1 scattered.
    edges : whether distances to borders are wanted (they take most of the time); else they are 0.
    """
    count = len(points_m)
    distance, edge = np.empty(count, np.float32), np.zeros(count, np.float32)
    number, middle = np.empty(count, np.uint32), np.empty((count, 3), np.float32)
    for_ranges(
        _cells, count, points_m, 1000.0 / size_mm, np.float32(jitter), salt_of(seed), edges, distance, edge, number,
        middle, smallest=2048
    )  # fmt: skip
    size = np.float32(size_mm)
    value = (number >> np.uint32(8)).astype(np.float32) * (1.0 / 16777216.0)
    return Cells(distance * size, edge * size, value, number, middle * size)


def scattered(cubes: np.ndarray, size_mm: float, *, jitter: float = 1.0, seed: int = 0) -> np.ndarray:
    """(m, 3) float64 mm: the points that lie in lattice ``cubes`` (m, 3) int, for checks."""
    out = np.empty((len(cubes), 3), np.float32)
    _points(0, len(cubes), cubes.astype(np.int32), np.float32(jitter), salt_of(seed), out)
    return (cubes + out.astype(np.float64)) * size_mm


@kernel
def _points(start, end, cubes, jitter, salt, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        h = hashed(cubes[i, 0], cubes[i, 1], cubes[i, 2], salt)
        for k in range(3):
            out[i, k] = _offset(h, k + 1, jitter)


def salt_of(seed: int) -> np.uint32:
    """A seed as the salt of a lattice."""
    return np.uint32((seed * 2654435761 + 97) & 0xFFFFFFFF)
