"""What a broken outline looks like: how far it is pulled at each place."""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.patterns.fractures import fractures
from limus.patterns.noise import fractal

#: "soft" a rolling line, "crumbled" along the borders of pieces, "sharp" teeth, "scalloped" arcs.
Character = Literal["soft", "crumbled", "sharp", "scalloped"]
#: The words that people choose by.
CHARACTERS = {
    "soft": "soft, rolling",
    "crumbled": "crumbled, by pieces",
    "sharp": "sharp, toothed",
    "scalloped": "scalloped",
}


def pull_of(
    points_m: np.ndarray, size_mm: float, character: Character, seed: int, *, texel_mm: float, tall: float = 1.0
) -> np.ndarray:
    """How far an edge of this character is pulled at each place, as a share of the whole way.

    Parameters
    ----------
    points_m : (n, 3) metres. size_mm : wavelength, or width of a piece. texel_mm : what is finer fades. tall : so many
        times as long upwards as wide.

    Returns
    -------
    (n,) float32 about -1.2..1.2.
    """
    if tall != 1.0:
        points_m = points_m * np.array([1.0, 1.0 / tall, 1.0], np.float32)
    if character == "crumbled":
        # Even within each piece, so that the outline runs along the borders of pieces.
        pieces = fractures(points_m, size_mm, seed=seed, texel_mm=texel_mm)
        weights = np.array((0.6, 0.3, 0.1)[: len(pieces.value)], np.float32)
        mixed = np.tensordot(weights / weights.sum(), np.stack(pieces.value), 1)
        return np.asarray((mixed - 0.5) * 2.4, np.float32)
    octaves = 3 if character == "soft" else 1
    noise = fractal(points_m, size_mm, octaves=octaves, seed=seed, texel_mm=texel_mm)
    if character == "soft":
        # A deviation of half the distance: hardly anything goes beyond it.
        return np.asarray(np.clip(noise * 0.5, -1.2, 1.2), np.float32)
    # Where noise passes through nought it has a crease: upwards it is a tooth, downwards the cusp between two arcs.
    arcs = np.minimum(np.abs(noise) * 0.8, 1.0) * 2.0 - 1.0
    return np.asarray(-arcs if character == "sharp" else arcs, np.float32)


def one_way(pull: np.ndarray) -> np.ndarray:
    """(n,) float32 0..1 of a ``pull_of``: from nothing to the whole way, where an edge moves to one side only."""
    return np.clip(0.5 + 0.5 * pull, 0.0, 1.0)
