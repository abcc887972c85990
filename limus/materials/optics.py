"""Reflectances that follow from physics."""

from __future__ import annotations


def reflectance_at_normal(n: float, k: float = 0.0) -> float:
    """Fresnel reflectance at normal incidence, ((n-1)^2 + k^2) / ((n+1)^2 + k^2) (Hecht, Optics, ch. 4).

    ``n`` index of refraction, ``k`` extinction coefficient (0 for glass, water, lacquer).
    """
    return ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)
