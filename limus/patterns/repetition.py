"""Whether a surface shows that it repeats."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

#: From this autocorrelation on a repetition is seen at a glance (by eye, on the pictures of the tests).
SEEN = 0.4


@dataclass(frozen=True)
class Repetition:
    """``strength`` -1..1: the highest autocorrelation away from the middle; ``apart`` pixels between what looks
    alike.
    """

    strength: float
    apart: float


def repetition(image: np.ndarray, *, least: float = 16.0) -> Repetition:
    """How alike a picture is to itself, moved.

    Autocorrelation by the Wiener-Khinchin theorem on a picture padded with its mean, each shift weighed by how much of
    the picture still overlaps; the finest grain and the widest shading, which no eye takes for repetition, are taken
    out first.

    Parameters
    ----------
    image : (h, w) values. least : shifts shorter than this many pixels are neighbours, not repeats.

    Returns
    -------
    a plain tiling is near 1, noise near 0.
    """
    plane = np.asarray(image, np.float64)
    h, w = plane.shape
    plane = scipy.ndimage.gaussian_filter(plane, 1.0, mode="nearest") - scipy.ndimage.gaussian_filter(
        plane, min(h, w) / 6, mode="nearest"
    )
    plane = plane - plane.mean()
    power = float((plane**2).mean())
    if power < 1e-10:
        return Repetition(0.0, 0.0)
    shape = (2 * h, 2 * w)

    def correlated(values: np.ndarray) -> np.ndarray:
        found = np.fft.rfft2(values, shape)
        return np.fft.irfft2(found * found.conj(), shape)

    overlap = np.maximum(np.round(correlated(np.ones_like(plane))), 1.0)
    found = np.fft.fftshift(correlated(plane) / overlap / power)
    share = np.fft.fftshift(overlap) / (h * w)
    y, x = np.mgrid[-h:h, -w:w]
    away = np.hypot(x, y)
    # Shifts of more than two thirds leave too little to compare.
    wanted = (away >= least) & (share >= 0.3)
    # A hill that begins at the middle is the size of what is in the picture, not its repetition.
    hill = scipy.ndimage.label(found > 0.15)[0]
    wanted &= hill != hill[h, w]
    if not wanted.any():
        return Repetition(0.0, 0.0)
    highest = float(np.where(wanted, found, -2.0).max())
    # Of repeats that are about as strong the nearest is the one that is seen.
    alike = wanted & (found >= highest - 0.05 * abs(highest))
    nearest = alike & (away <= away[alike].min() + 4)
    k = int(np.argmax(np.where(nearest, found, -2.0)))
    return Repetition(float(np.clip(highest, -1, 1)), float(away.reshape(-1)[k]))
