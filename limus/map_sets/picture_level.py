"""A picture as numbers, no finer than needed."""

from __future__ import annotations

import numpy as np

from limus.common.colour import to_linear, to_srgb
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.formats.picture_read import ReadPicture
from limus.formats.png import png_bytes, quantise


@kernel
def _means(start, end, pixels, table, times, out):  # type: ignore[no-untyped-def]
    share = np.float32(1.0 / (times * times))
    for y in range(start, end):
        for x in range(out.shape[1]):
            for c in range(out.shape[2]):
                total = np.float32(0.0)
                for b in range(times):
                    for a in range(times):
                        total += table[pixels[y * times + b, x * times + a, c]]
                out[y, x, c] = total * share


@kernel
def _float_means(start, end, pixels, times, out):  # type: ignore[no-untyped-def]
    share = np.float32(1.0 / (times * times))
    for y in range(start, end):
        for x in range(out.shape[1]):
            for c in range(out.shape[2]):
                total = np.float32(0.0)
                for b in range(times):
                    for a in range(times):
                        total += pixels[y * times + b, x * times + a, c]
                out[y, x, c] = total * share


def reduction(width: int, wanted: float) -> int:
    """The power of two by which a picture of this width can be reduced and still has ``wanted`` pixels across."""
    times = 1
    while width / (times * 2) >= wanted and width // (times * 2) >= 1 and times < 64:
        times *= 2
    return times


def level_of(picture: ReadPicture, times: int, *, gamma: float = 1.0) -> np.ndarray:
    """(h // times, w // times, c) float32: means of ``times`` x ``times`` pixels, as linear numbers.

    Parameters
    ----------
    gamma : 1 plain numbers; 2.2 sRGB (IEC 61966-2-1); any other an exponent. Light is averaged after it was made
        linear.
    """
    h, w, count = picture.pixels.shape
    times = max(1, min(times, h, w))
    out = np.empty((h // times, w // times, count), np.float32)
    if picture.pixels.dtype == np.float32:
        pixels = picture.pixels if gamma == 1.0 else _decoded(picture.pixels, gamma)
        for_ranges(_float_means, out.shape[0], pixels, times, out, smallest=16)
        return out
    table = _decoded(np.arange(int(picture.full) + 1, dtype=np.float32) / picture.full, gamma)
    colour = table
    if count in (2, 4) and gamma != 1.0:
        # Alpha is never encoded.
        plain = np.arange(int(picture.full) + 1, dtype=np.float32) / picture.full
        for_ranges(_means, out.shape[0], picture.pixels, colour, times, out, smallest=16)
        alpha = np.empty((*out.shape[:2], 1), np.float32)
        for_ranges(_means, out.shape[0], picture.pixels[:, :, -1:], plain, times, alpha, smallest=16)
        out[:, :, -1:] = alpha
        return out
    for_ranges(_means, out.shape[0], picture.pixels, colour, times, out, smallest=16)
    return out


def _decoded(values: np.ndarray, gamma: float) -> np.ndarray:
    if gamma == 1.0:
        return values.astype(np.float32)
    if abs(gamma - 2.2) < 0.05:
        return to_linear(values)
    return (np.maximum(values, 0.0) ** np.float32(gamma)).astype(np.float32)


def resized(planes: np.ndarray, height: int, width: int) -> np.ndarray:
    """(height, width, c) float32: ``planes`` (h, w, c) read bilinearly, wrapping round."""
    if planes.shape[:2] == (height, width):
        return planes
    y = (np.arange(height) + 0.5) * planes.shape[0] / height - 0.5
    x = (np.arange(width) + 0.5) * planes.shape[1] / width - 0.5
    y0, x0 = np.floor(y).astype(int), np.floor(x).astype(int)
    fy, fx = (y - y0).astype(np.float32)[:, None, None], (x - x0).astype(np.float32)[None, :, None]
    h, w = planes.shape[:2]
    rows = planes[y0 % h] * (1 - fy) + planes[(y0 + 1) % h] * fy
    return np.asarray(rows[:, x0 % w] * (1 - fx) + rows[:, (x0 + 1) % w] * fx, np.float32)


def shown_png(picture: ReadPicture, most: int = 1000) -> bytes:
    """PNG of a picture as a screen shows it, reduced by powers of two while more than ``most`` pixels across are left;
    grey for one component, light as sRGB.
    """
    small = level_of(picture, reduction(max(picture.pixels.shape[:2]), most))
    three = small[:, :, :3] if small.shape[2] >= 3 else np.repeat(small[:, :, :1], 3, axis=2)
    return png_bytes(quantise(to_srgb(three) if picture.kind == "EXR" else np.clip(three, 0, 1)))
