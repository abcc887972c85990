"""A picture laid over the surface: repeated, and with its repetition broken."""

from __future__ import annotations

import numpy as np

from limus.parallel import for_ranges, kernel
from limus.patterns.cells import salt_of
from limus.patterns.lattice import again, hashed, unit


def reduced(image: np.ndarray, times: float) -> np.ndarray:
    """(h, w) ``image`` halved, by means of four, while one of its pixels is less than 1 / ``times`` of what reads it."""
    while times >= 2.0 and min(image.shape) > 1:
        h, w = image.shape[0] // 2 * 2, image.shape[1] // 2 * 2
        image = image[:h, :w].reshape(h // 2, 2, w // 2, 2).mean(axis=(1, 3), dtype=np.float32)
        times /= 2.0
    return np.ascontiguousarray(image, np.float32)


@kernel
def _bilinear(image, u, v):  # type: ignore[no-untyped-def]
    h, w = image.shape
    x, y = u * w - 0.5, v * h - 0.5
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = np.float32(x - x0), np.float32(y - y0)
    a, b = int(x0) % w, int(y0) % h
    c, d = (a + 1) % w, (b + 1) % h
    one = np.float32(1.0)
    return (image[b, a] * (one - fx) + image[b, c] * fx) * (one - fy) + (image[d, a] * (one - fx) + image[d, c] * fx) * fy


@kernel
def _plain(start, end, image, u, v, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] = _bilinear(image, u[i], v[i])


@kernel
def _broken(start, end, image, u, v, mean, salt, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        # Corners of a lattice of triangles of about the picture's size, and how near the place is to each.
        s = v[i] * 1.1547005
        r = u[i] - 0.5 * s
        a, b = np.floor(r), np.floor(s)
        fr, fs = r - a, s - b
        total, value, square = 0.0, 0.0, 0.0
        for k in range(3):
            if fr + fs < 1.0:
                da, db = (0, 0) if k == 0 else ((1, 0) if k == 1 else (0, 1))
                weight = 1.0 - fr - fs if k == 0 else (fr if k == 1 else fs)
            else:
                da, db = (1, 1) if k == 0 else ((0, 1) if k == 1 else (1, 0))
                weight = fr + fs - 1.0 if k == 0 else (1.0 - fr if k == 1 else 1.0 - fs)
            if weight <= 0.0:
                continue
            h = hashed(np.int32(a + da), np.int32(b + db), np.int32(0), salt)
            # Turned in steps of ten degrees, 70 to 120 % of the size in steps of ten.
            turn = 0.17453292519943295 * np.floor(unit(again(h, 1)) * 36.0)
            size = 0.7 + 0.1 * np.floor(unit(again(h, 2)) * 6.0)
            cx, cy = (a + da) + 0.5 * (b + db), (b + db) / 1.1547005
            x, y = (u[i] - cx) / size, (v[i] - cy) / size
            co, si = np.cos(turn), np.sin(turn)
            w = weight**4
            total += w
            square += w * w
            value += w * (_bilinear(image, co * x - si * y + unit(again(h, 3)), si * x + co * y + unit(again(h, 4))) - mean)
        # Blending three would flatten the contrast; dividing by the length of the weights keeps it.
        out[i] = min(max(mean + value / np.sqrt(max(square, 1e-12)), 0.0), 1.0)


def repeated(image: np.ndarray, u: np.ndarray, v: np.ndarray, *, broken: bool = False, seed: int = 0) -> np.ndarray:
    """A picture read at (n,) places, in widths of the picture, repeating.

    Parameters
    ----------
    image : (h, w) float32. broken : each patch of a lattice of triangles shows it shifted, turned and scaled in its own way, blended
        where patches meet (tiling and blending: E. Heitz and F. Neyret, "High-Performance By-Example Noise using a
        Histogram-Preserving Blending Operator", 2018; here with their linear, variance-keeping blend).

    Returns
    -------
    (n,) float32.
    """
    out = np.empty(len(u), np.float32)
    u, v = np.ascontiguousarray(u, np.float64), np.ascontiguousarray(v, np.float64)
    if broken:
        for_ranges(_broken, len(u), image, u, v, float(image.mean()), salt_of(seed), out, smallest=2048)
    else:
        for_ranges(_plain, len(u), image, u, v, out)
    return out


def triplanar_weights(normals: np.ndarray, sharpness: float = 4.0) -> np.ndarray:
    """(n, 3) float32 shares of the three projections along x, y and z: ``|n|^sharpness``, summing to 1; continuous in the normal."""
    w = np.abs(normals).astype(np.float32) ** np.float32(sharpness)
    return w / np.maximum(w.sum(axis=1, keepdims=True), np.float32(1e-12))
