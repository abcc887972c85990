"""Whether a colour can be an albedo, and a colour with the light taken out."""

from __future__ import annotations

import numpy as np

from limus.common.colour import luminance
from limus.common.errors import InputError

#: Albedos of dry surfaces, low and high (T. R. Oke, Boundary Layer Climates, table 1.1; from memory), and wood and
#: metals (common practice, no source).
RANGES: dict[str, tuple[float, float]] = {
    "fresh snow": (0.80, 0.95),
    "concrete": (0.10, 0.35),
    "brick": (0.20, 0.40),
    "asphalt": (0.05, 0.20),
    "dry soil": (0.10, 0.40),
    "timber": (0.08, 0.45),
}
#: Lowest and highest reflectance of anything diffuse, and lowest of clean metal (common practice, no source).
DARKEST, LIGHTEST, DULLEST_METAL = 0.02, 0.90, 0.25


def plausible(color: tuple[float, float, float] | np.ndarray, metalness: float = 0.0) -> str:
    """What is unlikely about a linear colour as albedo (or as reflectance of metal), in a sentence; "" where nothing
    is.
    """
    mean = float(luminance(np.asarray(color, np.float32)))
    if metalness > 0.5:
        return (
            f"{mean:.0%} is dark for clean metal, which reflects {DULLEST_METAL:.0%} or more"
            if mean < DULLEST_METAL
            else ""
        )
    if mean < DARKEST:
        return f"{mean:.1%} is darker than soot or fresh asphalt, which reflect {DARKEST:.0%} or more"
    if mean > LIGHTEST:
        return f"{mean:.0%} is lighter than fresh snow, which reflects up to {LIGHTEST:.0%}"
    return ""


def without_light(
    seen: np.ndarray, grey: np.ndarray | None = None, *, reflectance: float = 0.18, exposure: float = 0.0
) -> np.ndarray:
    """(3,) linear albedo of a place in a photograph.

    Parameters
    ----------
    seen : (3,) linear colour in the picture. grey : (3,) linear colour of a neutral patch in the same light, whose
        ``reflectance``
        is known (a grey card: 0.18); both strength and tint of the light go out. Without one, ``exposure`` in stops
        is taken out.

    Raises
    ------
    InputError : the patch is black or burnt out, so it says nothing of the light.
    """
    if grey is None:
        return np.clip(np.asarray(seen, np.float32) * 2.0**-exposure, 0.0, 1.0)
    patch = np.asarray(grey, np.float32)
    if patch.min() < 0.004 or patch.max() > 0.985:
        what = "black" if patch.min() < 0.004 else "burnt out"
        raise InputError(
            f"the grey patch is {what} in the picture",
            where="grey",
            remedy="Choose a place in even light, or state the exposure",
        )
    return np.clip(np.asarray(seen, np.float32) / patch * reflectance, 0.0, 1.0)
