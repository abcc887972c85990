"""The edge of a mask: hardened, or pulled about by a pattern."""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.masks.shape import smoothstep
from limus.patterns.fractures import fractures
from limus.patterns.noise import fractal
from limus.surface.blur import blur
from limus.surface.texels import Texels
from limus.surface.walk import read_off, surface_gradient

Way = Literal["across", "inward", "outward", "along", "down"]
Character = Literal["soft", "crumbled", "sharp", "scalloped"]


def sharpened(values: np.ndarray, share: float) -> np.ndarray:
    """(n,) values 0..1 with the slope about 0.5 steepened: ``share`` 0 a gentle S .. 1 a hard step."""
    half = max(0.5 * (1.0 - share), 1e-3)
    return smoothstep(values, 0.5 - half, 0.5 + half)


#: Lanes of what is drawn out are so many times as long as wide.
_TALL = 6.0


def pull_of(texels: Texels, size_mm: float, character: Character, seed: int, *, tall: float = 1.0) -> np.ndarray:
    """(n,) float32 about -1.2..1.2: how far an edge of this character is pulled at each place, as a share of the whole
    way; ``tall`` times as long upwards as wide.
    """
    points = texels.position
    if tall != 1.0:
        points = points * np.array([1.0, 1.0 / tall, 1.0], np.float32)
    if character == "crumbled":
        # Even within each piece, so that the outline runs along the borders of pieces.
        pieces = fractures(points, size_mm, seed=seed, texel_mm=texels.texel_mm)
        weights = np.array((0.6, 0.3, 0.1)[: len(pieces.value)], np.float32)
        mixed = np.tensordot(weights / weights.sum(), np.stack(pieces.value), 1)
        return np.asarray((mixed - np.float32(0.5)) * np.float32(2.4), np.float32)
    octaves = 3 if character == "soft" else 1
    noise = fractal(points, size_mm, octaves=octaves, seed=seed, texel_mm=texels.texel_mm)
    if character == "soft":
        # A deviation of half the distance: hardly anything goes beyond it.
        return np.asarray(np.clip(noise * np.float32(0.5), -1.2, 1.2), np.float32)
    # Where noise passes through nought it has a crease: upwards it is a tooth, downwards the cusp between two arcs.
    arcs = np.minimum(np.abs(noise) * np.float32(0.8), np.float32(1.0)) * np.float32(2.0) - np.float32(1.0)
    return np.asarray(-arcs if character == "sharp" else arcs, np.float32)


def broken_up(
    texels: Texels,
    values: np.ndarray,
    by_mm: float,
    size_mm: float,
    way: Way,
    seed: int,
    character: Character = "soft",
    where: np.ndarray | None = None,
) -> np.ndarray:
    """A (n,) field whose edges a pattern of wavelength ``size_mm`` pulls about by up to about ``by_mm``.

    Where the field is even nothing changes. Each texel reads the field a little way off along the surface, so seams do
    not show.

    Parameters
    ----------
    way : "across" in and out, along the gradient; "inward" what is black bites into what is white, "outward" the other
        way round; "along" to and fro beside the edge; "down" what is white is drawn out downwards, in lanes.
    character : "soft" a rolling line, "crumbled" along the borders of pieces, "sharp" teeth, "scalloped" arcs.
    where : (n,) 0..1 how much of the way counts at each place.
    """
    pull = pull_of(texels, size_mm, character, seed, tall=_TALL if way == "down" else 1.0)
    if way == "down":
        # Upwards lies what comes down here.
        up = np.array([0.0, 1.0, 0.0], np.float32)
        direction = up - texels.normal * (texels.normal @ up)[:, None]
    else:
        wide = blur(texels, values, max(by_mm, 1.5 * texels.texel_mm))
        slope = surface_gradient(texels, wide)
        direction = slope / np.maximum(np.linalg.norm(slope, axis=1, keepdims=True), np.float32(1e-6))
        if way == "along":
            direction = np.cross(texels.normal, direction)
    if way in ("inward", "outward", "down"):
        # From nothing to the whole way; further along the gradient it is whiter.
        pull = np.clip(np.float32(0.5) + np.float32(0.5) * pull, 0.0, 1.0) * np.float32(
            -1.0 if way == "inward" else 1.0
        )
    if where is not None:
        pull = pull * where
    read = read_off(texels, values, direction * (pull * np.float32(by_mm / 1000.0))[:, None])
    if way == "inward":
        return np.minimum(read, values)
    return read if way in ("across", "along") else np.maximum(read, values)
