"""Objects far from the origin of their file, as survey and site coordinates put them."""

from __future__ import annotations

import numpy as np

#: Distance from the origin in sizes of the object from which on it is moved: single precision has 24 bits, so that a
#: millionth of the object is lost at about 17 sizes, and this leaves six decimal digits of every place.
FAR = 16.0


def recentred(positions: np.ndarray) -> tuple[np.ndarray, np.ndarray, str]:
    """Positions about the object's own middle where they lie far from the origin.

    Parameters
    ----------
    positions : (V, 3) float64, finite.

    Returns
    -------
    (V, 3) float32 positions; (3,) float64 what was taken off them (zero where nothing was); a note in words, or "".
    """
    low, high = positions.min(axis=0), positions.max(axis=0)
    size = float(np.linalg.norm(high - low))
    middle = (low + high) / 2
    if not np.abs(middle).max() > FAR * size:
        return positions.astype(np.float32), np.zeros(3), ""
    # A short number, so that it reads well and adds up without a rest.
    step = 2.0 ** np.floor(np.log2(max(size, 1e-300)))
    offset = np.round(middle / step) * step
    away = float(np.linalg.norm(offset))
    note = (
        f"it lies {away:.7g} units of its file from the origin; it is worked on about its own middle, and exports "
        "are put back there"
    )
    return (positions - offset).astype(np.float32), offset, note
