"""What the pieces of one kind are like: how large, how ragged, how much they keep together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

#: Sizes that openings are tried at, by this factor.
_STEP = 1.15
#: Radius in pixels up to which openings are made at full resolution.
_FINE = 8.0


@dataclass(frozen=True)
class Pieces:
    """Of one kind of surface in a region.

    Attributes
    ----------
    share : of the region, 0..1. count : separate pieces. low, size, high : diameters in pixels below which lie a
        tenth, a half and nine tenths of its area (granulometry by openings with discs: G. Matheron, 1975; from
        memory). ragged : 0 round .. 1 torn. clustered : 0 as scattered by chance or more evenly .. 1 all together.
        lower : how many times as much of it lies in the lower half as in the upper one.
    """

    share: float
    count: int
    low: float
    size: float
    high: float
    ragged: float
    clustered: float
    lower: float


def pieces_of(mask: np.ndarray, inside: np.ndarray) -> Pieces:
    """Measure where ``mask`` (h, w) bool is within the region ``inside`` (h, w) bool."""
    mask = mask & inside
    area, whole = int(mask.sum()), int(inside.sum())
    share = area / max(whole, 1)
    if not area:
        return Pieces(0.0, 0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0)
    _, count = scipy.ndimage.label(mask)
    low, size, high = _sizes(mask, inside)
    rows = np.arange(mask.shape[0])[:, None]
    middle = float((rows * inside).sum() / whole)
    upper, lower = (
        float((mask & side).sum() / max((inside & side).sum(), 1)) for side in (rows < middle, rows >= middle)
    )
    return Pieces(
        share,
        int(count),
        low,
        size,
        high,
        _ragged(mask, inside, size),
        _clustered(mask, inside, size),
        lower / max(upper, 1e-6),
    )


def _sizes(mask: np.ndarray, inside: np.ndarray) -> tuple[float, float, float]:
    """Diameters by area. What lies outside the region is no border of a piece: nobody knows how it goes on."""
    filled = mask | ~inside
    area = int(mask.sum())
    if filled.all():
        side = float(area**0.5)
        return side, side, side
    radius, left, sizes, scale = 0.5, [1.0], [0.0], 1
    longest = float(max(mask.shape))
    here, within = filled, mask
    away = scipy.ndimage.distance_transform_edt(here)
    while left[-1] > 0.02 and radius < longest:
        # Large discs are as well told at half the pixels, which is a quarter of the work.
        if radius > _FINE * scale and min(here.shape) > 32:
            scale *= 2
            here, within = _halved(here), _halved(within)
            away = scipy.ndimage.distance_transform_edt(here)
        core = away > radius / scale
        opened = scipy.ndimage.distance_transform_edt(~core) <= radius / scale if core.any() else np.zeros_like(within)
        left.append(float((opened & within).sum()) / max(int(within.sum()), 1))
        sizes.append(2.0 * radius)
        radius = max(radius * _STEP, radius + 0.5)
    gone = 1.0 - np.minimum.accumulate(left)
    low, size, high = (float(np.interp(share, gone, sizes)) for share in (0.1, 0.5, 0.9))
    return low, size, high


def _halved(mask: np.ndarray) -> np.ndarray:
    """Half as many pixels each way, by majority."""
    h, w = mask.shape[0] // 2 * 2, mask.shape[1] // 2 * 2
    blocks = mask[:h, :w].reshape(h // 2, 2, w // 2, 2).sum(axis=(1, 3))
    return np.asarray(blocks >= 2)


def _length(mask: np.ndarray, inside: np.ndarray) -> float:
    """Length of the border in pixels, by how often lines in four directions cross it (Cauchy and Crofton)."""
    total = 0.0
    for dy, dx, apart in ((0, 1, 1.0), (1, 0, 1.0), (1, 1, 2**-0.5), (1, -1, 2**-0.5)):
        one = (slice(None, -dy or None), slice(-dx if dx < 0 else None, -dx if dx > 0 else None))
        two = (slice(dy, None), slice(dx if dx > 0 else None, dx if dx < 0 else None))
        crossed = (mask[one] != mask[two]) & inside[one] & inside[two]
        total += float(crossed.sum()) * apart
    return total * np.pi / 8.0


def _smoothed(field: np.ndarray, over: float) -> np.ndarray:
    """(h, w) ``field`` under a Gaussian of deviation ``over`` pixels, with nothing beyond its border. Its transform is
    known, so a wide one costs no more than a narrow one.
    """
    shape = [scipy.fft.next_fast_len(side + int(4 * over), real=True) for side in field.shape]
    fy, fx = np.fft.fftfreq(shape[0])[:, None], np.fft.rfftfreq(shape[1])[None, :]
    seen = scipy.fft.rfft2(field, shape)
    seen *= np.exp(-2.0 * (np.pi * over) ** 2 * (fy**2 + fx**2)).astype(np.float32)
    return np.asarray(scipy.fft.irfft2(seen, shape)[: field.shape[0], : field.shape[1]])


def _ragged(mask: np.ndarray, inside: np.ndarray, size: float) -> float:
    """How much longer the border is than that of the same pieces smoothed over a fifth of their size."""
    over = max(1.0, 0.2 * size)
    smooth, weight = (_smoothed(field.astype(np.float32), over) for field in (mask, inside))
    plain = _length((smooth > 0.5 * weight) & inside, inside)
    fine = _length(scipy.ndimage.gaussian_filter(mask.astype(np.float32), 0.7) > 0.5, inside)
    return float(np.clip((fine / plain - 1.0) / 0.8, 0.0, 1.0)) if plain > 0 else 1.0


def _clustered(mask: np.ndarray, inside: np.ndarray, size: float) -> float:
    """By how much the share of blocks varies beyond what pieces of this size scattered by chance give: 0 not at all, 1
    ten times, on a logarithmic scale.
    """
    block = int(np.clip(round(5.0 * size), 4, max(4, min(mask.shape) // 3)))
    rows, columns = mask.shape[0] // block, mask.shape[1] // block
    if rows * columns < 6:
        return 0.0

    def sums(field: np.ndarray) -> np.ndarray:
        return field[: rows * block, : columns * block].reshape(rows, block, columns, block).sum(axis=(1, 3))

    there = sums(inside)
    full = there > 0.5 * block * block
    shares = sums(mask)[full] / there[full]
    if len(shares) < 6:
        return 0.0
    mean = float(shares.mean())
    by_chance = mean * (1.0 - mean) * (np.pi / 4.0 * size * size) / (block * block)
    ratio = float(shares.var()) / max(by_chance, 1e-12)
    return float(np.clip(np.log10(max(ratio, 1e-6)), 0.0, 1.0))
