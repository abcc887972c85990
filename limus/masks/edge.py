"""The edge of a mask: hardened, or pulled about by a pattern."""

from __future__ import annotations

from typing import Literal

import numpy as np

from limus.masks.shape import smoothstep
from limus.patterns.outline import Character, one_way, pull_of
from limus.surface.blur import blur
from limus.surface.texels import Texels
from limus.surface.walk import read_off, surface_gradient

Way = Literal["across", "inward", "outward", "along", "down"]


def sharpened(values: np.ndarray, share: float) -> np.ndarray:
    """(n,) values 0..1 with the slope about 0.5 steepened: ``share`` 0 a gentle S .. 1 a hard step."""
    half = max(0.5 * (1.0 - share), 1e-3)
    return smoothstep(values, 0.5 - half, 0.5 + half)


#: Lanes of what is drawn out are so many times as long as wide.
_TALL = 6.0


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
    where : (n,) 0..1 how much of the way counts at each place.
    """
    pull = pull_of(
        texels.position, size_mm, character, seed, texel_mm=texels.texel_mm, tall=_TALL if way == "down" else 1.0
    )
    if way == "down":
        # Upwards lies what comes down here.
        up = np.array([0.0, 1.0, 0.0], np.float32)
        direction = up - texels.normal * (texels.normal @ up)[:, None]
    else:
        wide = blur(texels, values, max(by_mm, 1.5 * texels.spacing_mm))
        slope = surface_gradient(texels, wide)
        direction = slope / np.maximum(np.linalg.norm(slope, axis=1, keepdims=True), 1e-6)
        if way == "along":
            direction = np.cross(texels.normal, direction)
    if way in ("inward", "outward", "down"):
        # Further along the gradient it is whiter.
        pull = one_way(pull) * (-1.0 if way == "inward" else 1.0)
    if where is not None:
        pull = pull * where
    # The pull is seldom more than one and a half times what is asked for.
    read = read_off(texels, values, direction * (pull * (by_mm / 1000.0))[:, None], 1.5 * by_mm)
    if way == "inward":
        return np.minimum(read, values)
    return read if way in ("across", "along") else np.maximum(read, values)
