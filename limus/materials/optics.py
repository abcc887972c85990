"""Reflectances that follow from physics."""

from __future__ import annotations

from typing import Any


def reflectance_at_normal(n: float, k: float = 0.0) -> float:
    """Fresnel reflectance at normal incidence, ((n-1)^2 + k^2) / ((n+1)^2 + k^2) (Hecht, Optics, ch. 4).

    ``n`` index of refraction, ``k`` extinction coefficient (0 for glass, water, lacquer).
    """
    return ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)


def index_from_reflectance(f0: float) -> float:
    """Index of refraction of a dielectric from its reflectance at normal incidence, (1 + sqrt F0) / (1 - sqrt F0); the inverse of the above."""
    root = min(max(f0, 0.0), 0.99) ** 0.5
    return (1 + root) / (1 - root)


def reflectance_from_level(level: float) -> float:
    """Reflectance at normal incidence of a "specular level" map, of which 1 stands for 8 % (common practice, no source)."""
    return 0.08 * level


def roughness_from_gloss(gloss: Any) -> Any:
    """A number or an array; gloss maps are roughness turned round (common practice, no source)."""
    return 1.0 - gloss
