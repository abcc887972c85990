"""Random values, levels and tilts for each piece of something."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel
from limus.patterns.cells import cells


@dataclass(frozen=True)
class Pieces:
    """``chance`` (m, 4) float32 random numbers 0..1 of each of m pieces; ``piece`` (n,) which piece a point belongs
    to; ``at`` (n, 3) its place from the middle of the piece, in half widths of it.
    """

    piece: np.ndarray
    chance: np.ndarray
    at: np.ndarray

    def value(self) -> np.ndarray:
        """(n,) float32 0..1, evenly spread over the pieces."""
        return self.chance[self.piece, 0]

    def offset(self) -> np.ndarray:
        """(n,) float32 0..1: most pieces near the middle, a few far from it (the mean of three even numbers)."""
        return self.chance[:, :3].mean(axis=1)[self.piece]

    def tilt(self) -> np.ndarray:
        """(n,) float32 0..1: a slant across each piece, each in a direction and strength of its own; 0.5 in the
        middle.
        """
        z = 2.0 * self.chance[:, 0] - 1.0
        turn = 2 * np.pi * self.chance[:, 1]
        flat = np.sqrt(np.maximum(1.0 - z * z, 0.0))
        way = np.stack([flat * np.cos(turn), flat * np.sin(turn), z], axis=1) * (0.25 + 0.75 * self.chance[:, 2:3])
        slant = np.einsum("ij,ij->i", self.at, way.astype(np.float32)[self.piece])
        return np.clip(0.5 + 0.5 * slant, 0.0, 1.0).astype(np.float32)


def _chances(numbers: np.ndarray, seed: int) -> np.ndarray:
    """(m, 4) float32 0..1 of (m,) whole numbers: splitmix64 (S. Vigna), vectorised."""
    with np.errstate(over="ignore"):
        x: np.ndarray = numbers.astype(np.uint64)[:, None] * np.uint64(4) + np.arange(4, dtype=np.uint64)
        x = (x + np.uint64(seed & 0xFFFFFFFF) * np.uint64(0x632BE59BD9B4E019)) + np.uint64(0x9E3779B97F4A7C15)
        x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        x ^= x >> np.uint64(31)
    return (np.right_shift(x, np.uint64(40)).astype(np.float64) / float(1 << 24)).astype(np.float32)


@kernel
def _extents(piece, points, low, high):  # type: ignore[no-untyped-def]
    for i in range(len(piece)):
        for k in range(3):
            low[piece[i], k] = min(low[piece[i], k], points[i, k])
            high[piece[i], k] = max(high[piece[i], k], points[i, k])


def by_number(piece: np.ndarray, numbers: list[int], points_m: np.ndarray, seed: int) -> Pieces:
    """Pieces that are numbered already: ``piece`` (n,) int, ``numbers`` the number each one draws its chances from."""
    count = len(numbers)

    def extents() -> tuple[np.ndarray, np.ndarray]:
        low, high = np.full((count, 3), np.inf, np.float32), np.full((count, 3), -np.inf, np.float32)
        _extents(np.ascontiguousarray(piece, np.int64), np.ascontiguousarray(points_m, np.float32), low, high)
        return low, high

    low, high = decided("extents", extents)
    # Of a piece that none of the texels that decide lies on, all is its middle.
    seen = low[:, 0] <= high[:, 0]
    low, high = np.where(seen[:, None], low, 0.0), np.where(seen[:, None], high, 0.0)
    half = np.maximum(np.linalg.norm(high - low, axis=1) / 2, 1e-9)
    middle = (low + high) / 2
    at = np.where(seen[piece][:, None], (points_m - middle[piece]) / half[piece][:, None], 0.0)
    return Pieces(piece, _chances(np.array(numbers), seed), at.astype(np.float32))


def by_box(points_m: np.ndarray, size_mm: float, stagger: float, seed: int) -> Pieces:
    """Tiles: boxes of ``size_mm`` in rows, every other row of height moved by ``stagger`` of a width, as masonry is
    laid.
    """
    at = points_m.astype(np.float64) * (1000.0 / size_mm)
    row = np.floor(at[:, 1])
    shift = np.where(row % 2 == 1, stagger, 0.0)
    at[:, 0] += shift
    at[:, 2] += shift
    box = np.floor(at)
    rows, piece = np.unique(box.astype(np.int64), axis=0, return_inverse=True)
    number = (rows[:, 0] * 73856093) ^ (rows[:, 1] * 19349663) ^ (rows[:, 2] * 83492791)
    return Pieces(
        np.asarray(piece).reshape(-1), _chances(number & 0xFFFFFFFF, seed), ((at - box - 0.5) * 2).astype(np.float32)
    )


def by_cell(points_m: np.ndarray, size_mm: float, seed: int) -> Pieces:
    """Scattered cells about ``size_mm`` wide."""
    found = cells(points_m, size_mm, seed=seed, edges=False)
    number, piece = np.unique(found.number, return_inverse=True)
    return Pieces(np.asarray(piece).reshape(-1), _chances(number, seed), found.from_middle * (2.0 / size_mm))
