"""Normal maps: which way their green points, and the relief they are the slopes of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


def slopes(normals: np.ndarray, green: str = "up") -> tuple[np.ndarray, np.ndarray]:
    """Slopes of a relief, in pixels of height per pixel to the right and down the picture.

    Parameters
    ----------
    normals : (h, w, 3) float32, components as they stand in the map, 0..1.
    """
    n = normals.astype(np.float32) * 2.0 - 1.0
    z = np.maximum(n[:, :, 2], 0.05)
    down = n[:, :, 1] / z
    return -n[:, :, 0] / z, down if green == "up" else -down


def _ahead(plane: np.ndarray, axis: int) -> np.ndarray:
    return np.asarray((np.roll(plane, -1, axis) - np.roll(plane, 1, axis)) * 0.5)


@dataclass(frozen=True)
class Green:
    """``green`` "up" or "down"; ``sure`` 0 nothing speaks for either .. 1; ``why`` in words."""

    green: str
    sure: float
    why: str


def green_of(normals: np.ndarray, height: np.ndarray | None = None) -> Green:
    """Which way the green of a normal map points.

    Slopes of a surface have no curl: the change of the slope across, downwards, is that of the slope down, across. Of
    the two readings of green only one can fulfil that. Where the relief has no slanting shapes both do; then a height
    map decides.

    Parameters
    ----------
    normals : (h, w, 3) 0..1. height : (h, w) of the same relief, or None.
    """
    right, down = slopes(
        normals - normals.mean(axis=(0, 1)) + np.array([0.5, 0.5, normals[:, :, 2].mean()], np.float32)
    )
    a, b = _ahead(right, 0), _ahead(down, 1)
    up_error, down_error = float(((a - b) ** 2).mean()), float(((a + b) ** 2).mean())
    total = up_error + down_error
    sure = abs(up_error - down_error) / total if total > 1e-12 else 0.0
    if sure > 0.04:
        return Green(
            "up" if up_error < down_error else "down", sure, "only this way its slopes can be those of a surface"
        )
    if height is not None and float(height.std()) > 1e-4:
        rise = _ahead(height, 0)
        fits = float((rise * down).sum()) / max(float(np.sqrt((rise**2).sum() * (down**2).sum())), 1e-12)
        along = _ahead(height, 1)
        # A height map that is upside down would turn both.
        sign = (
            1.0
            if float((along * right).sum()) >= 0
            or abs(float((along * right).sum())) < abs(float((rise * down).sum())) * 0.05
            else -1.0
        )
        if abs(fits) > 0.05:
            return Green("up" if fits * sign > 0 else "down", min(1.0, abs(fits)), "it fits the height map this way")
    return Green("up", 0.0, "its relief does not tell; this is the direction of glTF")


def integrated(normals: np.ndarray, green: str = "up") -> np.ndarray:
    """(h, w) float32: the relief, in widths of the picture, whose slopes come nearest to the map's.

    R. T. Frankot and R. Chellappa, "A Method for Enforcing Integrability in Shape from Shading Algorithms", 1988, with
    the spectrum of central differences, on a picture that repeats.
    """
    right, down = slopes(normals, green)
    right, down = right - right.mean(), down - down.mean()
    h, w = right.shape
    # The middle frequency of a central difference is 0; half a pixel's exact derivative is used instead.
    kx, ky = 2 * np.pi * np.fft.rfftfreq(w)[None, :], 2 * np.pi * np.fft.fftfreq(h)[:, None]
    power = kx**2 + ky**2
    power[0, 0] = 1.0
    spectrum = (-1j * kx * np.fft.rfft2(right) - 1j * ky * np.fft.rfft2(down)) / power
    spectrum[0, 0] = 0.0
    return np.asarray(np.fft.irfft2(spectrum, (h, w)) / w, np.float32)


def range_from(height: np.ndarray, normals: np.ndarray, green: str) -> float:
    """How high white stands above black, in widths of the picture, so that the slopes of ``height`` are those of the
    normal map.

    Least squares over all pixels; 0 where the two have nothing to do with each other.
    """
    right, down = slopes(normals, green)
    a, b = _ahead(height, 1), _ahead(height, 0)
    power = float((a * a + b * b).sum())
    product = float((a * right + b * down).sum())
    size = float((right * right + down * down).sum())
    if power < 1e-12 or size < 1e-12 or abs(product) / np.sqrt(power * size) < 0.25:
        return 0.0
    return product / power / height.shape[1]
