"""Reflectances that follow from physics."""

from __future__ import annotations

from typing import Any

import numpy as np

#: Index of refraction of water (Hecht, Optics).
WATER_IOR = 1.33
#: Mean reflectance of a water surface for diffuse light from inside (Judd 1942, from memory).
WATER_INSIDE = 0.472


def reflectance_at_normal(n: float, k: float = 0.0) -> float:
    """Fresnel reflectance at normal incidence, ((n-1)^2 + k^2) / ((n+1)^2 + k^2) (Hecht, Optics, ch. 4).

    ``n`` index of refraction, ``k`` extinction coefficient (0 for glass, water, lacquer).
    """
    return ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)


def index_from_reflectance(f0: float) -> float:
    """Index of refraction of a dielectric from its reflectance at normal incidence, (1 + sqrt F0) / (1 - sqrt F0);
    the inverse of the above.
    """
    root = min(max(f0, 0.0), 0.99) ** 0.5
    return (1 + root) / (1 - root)


def reflectance_from_level(level: float) -> float:
    """Reflectance at normal incidence of a "specular level" map, of which 1 stands for 8 % (common practice, no
    source).
    """
    return 0.08 * level


def wet_albedo(dry: Any) -> Any:
    """Albedo of a rough absorbing surface under a film of water, from its dry albedo 0..1 (a number or an array).

    ``1 - (1 - R)(1 - a) / (1 - p a)`` with R the reflectance of water for light from above and p that for diffuse
    light from inside: A. Angstrom, Geografiska Annaler 7, 1925; J. Lekner and M. Dorf, "Why some things are darker when
    wet", Applied Optics 27(7), 1988.
    """
    outside = reflectance_at_normal(WATER_IOR)
    return 1.0 - (1.0 - outside) * (1.0 - dry) / (1.0 - WATER_INSIDE * dry)


def transmittance(depth: Any, length: Any) -> Any:
    """Share of light left after ``depth`` where 1/e of it is left after ``length``: ``exp(-d / l)`` (Beer and
    Lambert).
    """
    return np.exp(-np.asarray(depth) / length)


def roughness_from_gloss(gloss: Any) -> Any:
    """A number or an array; gloss maps are roughness turned round (common practice, no source)."""
    return 1.0 - gloss


#: Wavelengths that stand for red, green and blue, nm.
WAVES_NM = np.array([600.0, 550.0, 450.0], np.float32)


def film_reflectance(
    below: np.ndarray,
    film_ior: np.ndarray,
    thickness_nm: np.ndarray,
    cosine: np.ndarray,
    waves_nm: np.ndarray = WAVES_NM,
) -> np.ndarray:
    """(n, w) reflectance of a thin film on a dielectric, at each wavelength.

    Airy's sum over the reflections inside the film (M. Born and E. Wolf, Principles of Optics, 7.6; from memory), with
    the amplitudes of normal incidence; the way through the film is refracted.

    Parameters
    ----------
    below : (n,) reflectance of what lies below, without a film, at normal incidence. film_ior : (n,) above 1.
    thickness_nm : (n,). cosine : (n,) of the angle to the normal, outside.
    """
    root = np.sqrt(np.clip(below, 0.0, 0.99))
    base_ior = (1.0 + root) / (1.0 - root)
    first, second = (1.0 - film_ior) / (1.0 + film_ior), (film_ior - base_ior) / (film_ior + base_ior)
    inside = np.sqrt(np.maximum(1.0 - (1.0 - cosine**2) / film_ior**2, 0.0))
    phase = 4.0 * np.pi * (film_ior * thickness_nm * inside)[:, None] / waves_nm
    cross = 2.0 * (first * second)[:, None] * np.cos(phase)
    both = (first**2)[:, None] + (second**2)[:, None]
    return np.asarray((both + cross) / (1.0 + ((first * second) ** 2)[:, None] + cross), np.float32)
