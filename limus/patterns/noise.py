"""Gradient noise and its fractal sum, at 3-D points.

Improved noise: K. Perlin, "Improving Noise", SIGGRAPH 2002, with the published permutation; other seeds shuffle that permutation.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from limus.parallel import for_ranges, kernel

# The permutation published with the reference implementation.
_PUBLISHED = np.array(
    [151, 160, 137, 91, 90, 15, 131, 13, 201, 95, 96, 53, 194, 233, 7, 225, 140, 36, 103, 30, 69, 142, 8, 99, 37, 240, 21, 10, 23, 190, 6, 148,
     247, 120, 234, 75, 0, 26, 197, 62, 94, 252, 219, 203, 117, 35, 11, 32, 57, 177, 33, 88, 237, 149, 56, 87, 174, 20, 125, 136, 171, 168, 68, 175,
     74, 165, 71, 134, 139, 48, 27, 166, 77, 146, 158, 231, 83, 111, 229, 122, 60, 211, 133, 230, 220, 105, 92, 41, 55, 46, 245, 40, 244, 102, 143, 54,
     65, 25, 63, 161, 1, 216, 80, 73, 209, 76, 132, 187, 208, 89, 18, 169, 200, 196, 135, 130, 116, 188, 159, 86, 164, 100, 109, 198, 173, 186, 3, 64,
     52, 217, 226, 250, 124, 123, 5, 202, 38, 147, 118, 126, 255, 82, 85, 212, 207, 206, 59, 227, 47, 16, 58, 17, 182, 189, 28, 42, 223, 183, 170, 213,
     119, 248, 152, 2, 44, 154, 163, 70, 221, 153, 101, 155, 167, 43, 172, 9, 129, 22, 39, 253, 19, 98, 108, 110, 79, 113, 224, 232, 178, 185, 112, 104,
     218, 246, 97, 228, 251, 34, 242, 193, 238, 210, 144, 12, 191, 179, 162, 241, 81, 51, 145, 235, 249, 14, 239, 107, 49, 192, 214, 31, 181, 199, 106, 157,
     184, 84, 204, 176, 115, 121, 50, 45, 127, 4, 150, 254, 138, 236, 205, 93, 222, 114, 67, 29, 24, 72, 243, 141, 128, 195, 78, 66, 215, 61, 156, 180],
    np.int32,
)  # fmt: skip
#: Standard deviation of one octave, measured over 10^7 points.
OCTAVE_DEVIATION = 0.2704


@lru_cache(maxsize=64)
def permutation(seed: int) -> np.ndarray:
    """(512,) int32 permutation table, repeated once; seed 0 is the published one."""
    table = _PUBLISHED if seed == 0 else np.random.Generator(np.random.PCG64(seed)).permutation(_PUBLISHED)
    return np.concatenate([table, table]).astype(np.int32)


@kernel
def _grad(h, x, y, z):  # type: ignore[no-untyped-def]
    h = h & 15
    u = x if h < 8 else y
    v = y if h < 4 else (x if h == 12 or h == 14 else z)
    return (u if (h & 1) == 0 else -u) + (v if (h & 2) == 0 else -v)


@kernel
def _octave(x, y, z, p):  # type: ignore[no-untyped-def]
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = int(fx) & 255, int(fy) & 255, int(fz) & 255
    x, y, z = np.float32(x - fx), np.float32(y - fy), np.float32(z - fz)
    six, fifteen, ten, one = np.float32(6.0), np.float32(15.0), np.float32(10.0), np.float32(1.0)
    u = x * x * x * (x * (x * six - fifteen) + ten)
    v = y * y * y * (y * (y * six - fifteen) + ten)
    w = z * z * z * (z * (z * six - fifteen) + ten)
    a = p[ix] + iy
    aa, ab = p[a] + iz, p[a + 1] + iz
    b = p[ix + 1] + iy
    ba, bb = p[b] + iz, p[b + 1] + iz
    n000, n100 = _grad(p[aa], x, y, z), _grad(p[ba], x - one, y, z)
    n010, n110 = _grad(p[ab], x, y - one, z), _grad(p[bb], x - one, y - one, z)
    n001, n101 = _grad(p[aa + 1], x, y, z - one), _grad(p[ba + 1], x - one, y, z - one)
    n011, n111 = _grad(p[ab + 1], x, y - one, z - one), _grad(p[bb + 1], x - one, y - one, z - one)
    n00, n10 = n000 + u * (n100 - n000), n010 + u * (n110 - n010)
    n01, n11 = n001 + u * (n101 - n001), n011 + u * (n111 - n011)
    n0, n1 = n00 + v * (n10 - n00), n01 + v * (n11 - n01)
    return n0 + w * (n1 - n0)


@kernel
def _fractal(start, end, points, scale, octaves, gain, normalise, table, shift, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        total = np.float32(0.0)
        weight = np.float32(1.0)
        rate = scale
        for k in range(octaves):
            total += weight * _octave(
                points[i, 0] * rate + shift[k], points[i, 1] * rate + shift[k + 1], points[i, 2] * rate + shift[k + 2], table
            )
            weight *= gain
            # Not exactly 2, so that the zeros of the octaves do not fall on one lattice.
            rate *= 2.03
        out[i] = total * normalise


def perlin(points: np.ndarray, seed: int = 0) -> np.ndarray:
    """One octave of improved noise at (n, 3) points in lattice units; (n,) float32, about -1..1, exactly 0 on lattice points."""
    out = np.empty(len(points), np.float32)
    for_ranges(
        _fractal,
        len(points),
        np.ascontiguousarray(points, np.float64),
        1.0,
        1,
        np.float32(0.5),
        np.float32(1.0),
        permutation(seed),
        np.zeros(3),
        out,
    )
    return out


def fractal(points_m: np.ndarray, size_mm: float, *, octaves: int = 4, gain: float = 0.5, seed: int = 0) -> np.ndarray:
    """Fractal sum of gradient noise over the surface.

    Parameters
    ----------
    points_m : (n, 3) positions in metres. size_mm : wavelength of the widest octave. gain : amplitude ratio of successive octaves.

    Returns
    -------
    (n,) float32 with mean 0 and standard deviation about 1.
    """
    octaves = max(1, int(octaves))
    deviation = OCTAVE_DEVIATION * np.sqrt(sum(gain ** (2 * k) for k in range(octaves)))
    shift = np.random.Generator(np.random.PCG64([seed, 17])).uniform(0, 256, octaves + 2)
    out = np.empty(len(points_m), np.float32)
    for_ranges(
        _fractal,
        len(points_m),
        points_m,
        1000.0 / size_mm,
        octaves,
        np.float32(gain),
        np.float32(1.0 / deviation),
        permutation(seed),
        shift,
        out,
    )
    return out


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
