"""The UVs to look at: checker, islands, overlaps, stretch and texel density, as colours on the surface."""

from __future__ import annotations

import numpy as np

from limus.surface.texels import Texels
from limus.surface.uv_health import claims

#: name -> (title, what it shows)
UV_LOOKS: dict[str, tuple[str, str]] = {
    "checker": ("Checker", "Squares of a sixteenth of the picture: they should be square and of like size everywhere"),
    "islands": ("Islands", "Each UV island in a tone of its own"),
    "overlap": ("Overlaps", "Marked where more than one triangle claims a texel, or UVs lie outside 0 to 1"),
    "stretch": ("Stretch", "How much longer a texel is than wide"),
    "density": ("Texel density", "Texels per metre at 1024"),
}
#: Rust marks what is wrong, grey what is not (encoded sRGB).
WRONG, RIGHT = (0.643, 0.29, 0.165), (0.62, 0.63, 0.62)


def checker(texels: Texels) -> np.ndarray:
    """(n, 3) encoded colours: a checker in u and v, tinted a little along both so that turned islands can be told."""
    _, u, v = texels.page_xy
    dark = ((np.floor(u * 16) + np.floor(v * 16)) % 2).astype(np.float32)
    fine = ((np.floor(u * 64) + np.floor(v * 64)) % 2).astype(np.float32)
    value = 0.42 + 0.34 * dark + 0.06 * fine
    tint = np.stack([1.0 + 0.06 * (u - 0.5), np.ones_like(u), 1.0 - 0.10 * (v - 0.5)], axis=1)
    return np.clip(value[:, None] * tint, 0, 1).astype(np.float32)


def numbered(numbers: np.ndarray) -> np.ndarray:
    """(n, 3) encoded colours that tell whole numbers apart: muted hues by the golden ratio, two levels of lightness."""
    hue = (numbers.astype(np.float64) * 0.6180339887 + 0.08) % 1.0
    light = 0.50 + 0.17 * (numbers.astype(np.int64) % 3)
    angle = 2 * np.pi * (hue[:, None] + np.array([0.0, 1 / 3, 2 / 3]))
    return np.clip(light[:, None] + 0.085 * np.cos(angle), 0, 1).astype(np.float32)


def overlap(texels: Texels) -> np.ndarray:
    """(n,) float32: 1 where a texel is claimed more than once, or its triangle leaves 0..1."""
    out = (claims(texels.mesh, texels.size)[texels.pixel] > 1).astype(np.float32)
    uv = texels.mesh.need_uv()[texels.mesh.triangles]
    outside = ((uv < -1e-5) | (uv > 1 + 1e-5)).any(axis=(1, 2))
    return np.maximum(out, outside[texels.triangle].astype(np.float32))


def stretch(texels: Texels) -> np.ndarray:
    """(n,) float32: longer over shorter side of a texel, 1 and up."""
    step = texels.step_of_triangle
    return (step.max(axis=1) / np.maximum(step.min(axis=1), 1e-9)).astype(np.float32)[texels.triangle]


def density(texels: Texels) -> np.ndarray:
    """(n,) float32: texels per metre at 1024."""
    return (1.0 / np.sqrt(np.maximum(texels.area, 1e-20)) * (1024 / texels.size)).astype(np.float32)
