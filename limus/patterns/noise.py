"""Gradient noise and its fractal sums, at 3-D points.

Gradient noise after K. Perlin, "An Image Synthesizer", SIGGRAPH 1985, with the quintic fade of "Improving Noise", 2002.
The gradient at a lattice point comes from an integer hash instead of a table, so that the loop needs no look-ups and
the compiler turns it into vector instructions.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np

from limus.common.kernel import inlined, kernel
from limus.common.parallel import for_ranges
from limus.patterns.lattice import hashed

Form = Literal["fractal", "ridged", "billow"]
_FORMS = {"fractal": 0, "ridged": 1, "billow": 2}
#: Standard deviation of one octave: root of 8 A B^2, A and B the integrals of (1 - fade)^2 x^2 and (1 - fade)^2 over
#: 0..1, since the components of a gradient are independent and even over -1..1 (variance 1/3).
OCTAVE_DEVIATION = 0.190944
#: Ratio of the rates of two octaves; not exactly 2, so that the zeros of the octaves do not fall on one lattice.
LACUNARITY = 2.03


@inlined
def _corner(ix, iy, iz, salt, x, y, z):  # type: ignore[no-untyped-def]
    h = hashed(ix, iy, iz, salt)
    gx = np.float32(np.int32(h & np.uint32(1023))) - np.float32(511.5)
    gy = np.float32(np.int32((h >> np.uint32(10)) & np.uint32(1023))) - np.float32(511.5)
    gz = np.float32(np.int32((h >> np.uint32(20)) & np.uint32(1023))) - np.float32(511.5)
    return (gx * x + gy * y + gz * z) * np.float32(1.0 / 511.5)


@inlined
def octave(px, py, pz, salt):  # type: ignore[no-untyped-def]
    """Gradient noise at one place in lattice units, float32, about -1..1, 0 on lattice points."""
    six, fifteen, ten, one = np.float32(6.0), np.float32(15.0), np.float32(10.0), np.float32(1.0)
    fx, fy, fz = np.floor(px), np.floor(py), np.floor(pz)
    ix, iy, iz = np.int32(fx), np.int32(fy), np.int32(fz)
    x, y, z = px - fx, py - fy, pz - fz
    u = x * x * x * (x * (x * six - fifteen) + ten)
    v = y * y * y * (y * (y * six - fifteen) + ten)
    w = z * z * z * (z * (z * six - fifteen) + ten)
    jx, jy, jz = ix + np.int32(1), iy + np.int32(1), iz + np.int32(1)
    a, b, c = x - one, y - one, z - one
    n000, n100 = _corner(ix, iy, iz, salt, x, y, z), _corner(jx, iy, iz, salt, a, y, z)
    n010, n110 = _corner(ix, jy, iz, salt, x, b, z), _corner(jx, jy, iz, salt, a, b, z)
    n001, n101 = _corner(ix, iy, jz, salt, x, y, c), _corner(jx, iy, jz, salt, a, y, c)
    n011, n111 = _corner(ix, jy, jz, salt, x, b, c), _corner(jx, jy, jz, salt, a, b, c)
    n00, n10 = n000 + u * (n100 - n000), n010 + u * (n110 - n010)
    n01, n11 = n001 + u * (n101 - n001), n011 + u * (n111 - n011)
    n0, n1 = n00 + v * (n10 - n00), n01 + v * (n11 - n01)
    return n0 + w * (n1 - n0)


@kernel
def _sum(start, end, points, rate, weights, salts, shift, form, out):  # type: ignore[no-untyped-def]
    # In pieces that stay in the cache; octave by octave, so that the innermost loop runs over points and can be
    # vectorised.
    xs, ys, zs, acc = (
        np.empty(512, np.float32),
        np.empty(512, np.float32),
        np.empty(512, np.float32),
        np.empty(512, np.float32),
    )
    first = start
    while first < end:
        count = min(512, end - first)
        for j in range(count):
            xs[j], ys[j], zs[j] = points[first + j, 0], points[first + j, 1], points[first + j, 2]
            acc[j] = np.float32(0.0)
        scale = rate
        for k in range(len(weights)):
            weight, salt, r = weights[k], salts[k], np.float32(scale)
            sx, sy, sz = shift[k], shift[k + 1], shift[k + 2]
            if form == 0:
                for j in range(count):
                    acc[j] += weight * octave(xs[j] * r + sx, ys[j] * r + sy, zs[j] * r + sz, salt)
            elif form == 1:
                for j in range(count):
                    acc[j] -= weight * np.sqrt(abs(octave(xs[j] * r + sx, ys[j] * r + sy, zs[j] * r + sz, salt)))
            else:
                for j in range(count):
                    acc[j] += weight * abs(octave(xs[j] * r + sx, ys[j] * r + sy, zs[j] * r + sz, salt))
            scale *= 2.03
        for j in range(count):
            out[first + j] = acc[j]
        first += count


def kept_octaves(octaves: int, gain: float, size_mm: float, texel_mm: float) -> np.ndarray:
    """(octaves,) float32 weights, the first 1; an octave fades out where its wavelength comes down from four texels
    to two.
    """
    weights = gain ** np.arange(octaves)
    if texel_mm > 0:
        wave = size_mm / LACUNARITY ** np.arange(octaves)
        weights = weights * np.clip(wave / (2.0 * texel_mm) - 1.0, 0.0, 1.0)
    return weights.astype(np.float32)


def _play(points_m: np.ndarray, size_mm: float, weights: np.ndarray, form: int, seed: int) -> np.ndarray:
    octaves = len(weights)
    draw = np.random.Generator(np.random.PCG64([seed, 17]))
    shift = draw.uniform(0, 256, octaves + 2).astype(np.float32)
    salts = draw.integers(0, 2**32, octaves, dtype=np.uint32)
    out = np.empty(len(points_m), np.float32)
    # By rows, as it is compiled for.
    rows = np.ascontiguousarray(points_m)
    for_ranges(_sum, len(rows), rows, 1000.0 / size_mm, weights, salts, shift, form, out)
    return out


def fractal(
    points_m: np.ndarray, size_mm: float, *, octaves: int = 4, gain: float = 0.5, seed: int = 0, texel_mm: float = 0.0
) -> np.ndarray:
    """Fractal sum of gradient noise over the surface.

    Parameters
    ----------
    points_m : (n, 3) positions in metres. size_mm : wavelength of the widest octave. gain : amplitude ratio of
        successive octaves.
    texel_mm : octaves finer than two texels are left out; 0 leaves out nothing.

    Returns
    -------
    (n,) float32 with mean 0 and standard deviation about 1 (less where octaves are left out).
    """
    octaves = max(1, int(octaves))
    deviation = OCTAVE_DEVIATION * np.sqrt(sum(gain ** (2 * k) for k in range(octaves)))
    weights = kept_octaves(octaves, gain, size_mm, texel_mm) / np.float32(deviation)
    return _play(points_m, size_mm, weights.astype(np.float32), 0, seed)


@kernel
def _even(start, end, values, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = np.float32(1.0) / (np.float32(1.0) + np.exp(np.float32(-1.702) * values[i]))


def evened(values: np.ndarray) -> np.ndarray:
    """Values of deviation 1 to 0..1, spread almost evenly (the logistic stand-in for the normal distribution function).

    So a level of 0.3 hides about 30 % of the surface, whatever the octaves.
    """
    out = np.empty_like(values)
    for_ranges(_even, len(values), values, out)
    return out


@lru_cache(maxsize=128)
def _table(form: str, octaves: int, gain: float) -> np.ndarray:
    """(256,) quantiles of a form of noise, measured once at fixed points far apart."""
    points = np.random.Generator(np.random.PCG64(71)).uniform(0, 100, (40000, 3)).astype(np.float32)
    values = _play(points, 1000.0, kept_octaves(octaves, gain, 1000.0, 0.0), _FORMS[form], 5)
    return np.quantile(values, np.linspace(0, 1, 256)).astype(np.float32)


@kernel
def _rank(start, end, values, table, out):  # type: ignore[no-untyped-def]
    last = len(table) - 1
    for i in range(start, end):
        x = values[i]
        low, high = 0, last
        while high - low > 1:
            middle = (low + high) // 2
            if table[middle] <= x:
                low = middle
            else:
                high = middle
        step = max(table[high] - table[low], np.float32(1e-12))
        out[i] = min(max((low + (x - table[low]) / step) / last, np.float32(0.0)), np.float32(1.0))


def noise(
    points_m: np.ndarray,
    size_mm: float,
    *,
    form: Form = "fractal",
    octaves: int = 4,
    gain: float = 0.5,
    warp: float = 0.0,
    seed: int = 0,
    texel_mm: float = 0.0,
) -> np.ndarray:
    """Noise of any form, spread evenly over 0..1.

    Parameters
    ----------
    form : "fractal"; "ridged": sharp crests, 1 where the noise crosses zero; "billow": rounded heaps with sharp valleys
        (its magnitude). warp : turbulence: how far points are first moved by another noise, in widths of ``size_mm``.
    Others as for ``fractal``.

    Returns
    -------
    (n,) float32 0..1: a level of 0.3 hides about 30 % of the surface, whatever the form.
    """
    octaves = max(1, int(octaves))
    if warp > 0:
        points_m = warped(points_m, size_mm, warp * size_mm, seed=seed + 101, texel_mm=texel_mm)
    if form == "fractal":
        return evened(fractal(points_m, size_mm, octaves=octaves, gain=gain, seed=seed, texel_mm=texel_mm))
    table = _table(form, octaves, float(gain))
    values = _play(points_m, size_mm, kept_octaves(octaves, gain, size_mm, texel_mm), _FORMS[form], seed)
    full = kept_octaves(octaves, gain, size_mm, 0.0)
    # What octaves left out would have given on average, so that the level stays.
    values += np.float32(table.mean() * (1.0 - kept_octaves(octaves, gain, size_mm, texel_mm).sum() / full.sum()))
    out = np.empty_like(values)
    for_ranges(_rank, len(values), values, table, out)
    return out


def warped(
    points_m: np.ndarray, size_mm: float, by_mm: float, *, seed: int = 0, octaves: int = 2, texel_mm: float = 0.0
) -> np.ndarray:
    """(n, 3) points moved by a vector noise of deviation ``by_mm`` along each axis and wavelength ``size_mm``."""
    out = points_m.astype(np.float32, copy=True)
    for k in range(3):
        out[:, k] += by_mm / 1000.0 * fractal(points_m, size_mm, octaves=octaves, seed=seed + k * 7, texel_mm=texel_mm)
    return out
