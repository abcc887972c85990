"""Simple light on a surface, without a graphics card: enough to judge a material by."""

from __future__ import annotations

import numpy as np

from limus.common.colour import to_srgb
from limus.materials.channels import CHANNELS, Sheet, spread
from limus.materials.optics import film_reflectance


def _room(direction: np.ndarray, roughness: np.ndarray) -> np.ndarray:
    """(n, 3) light from a room with a window high on the left, as a surface of this roughness mirrors it."""
    up = direction[:, 1]
    sky = 0.30 + 0.34 * up
    wide = 0.05 + roughness**2 * 1.3
    window = np.array([-0.58, 0.62, 0.53], np.float32)
    away = 1 - direction @ (window / np.linalg.norm(window))
    # A soft window: the rougher, the wider and the weaker.
    glow = 0.36 * np.exp(-away / (wide * 0.55)) / (wide + 0.06)
    strip = np.exp(-((direction[:, 0] - 0.72) ** 2) / (2 * (wide * 0.5) ** 2)) * 0.10 / (wide + 0.12)
    return np.asarray(
        np.clip(sky, 0.06, None)[:, None] + (glow + strip)[:, None] * np.array([1.0, 0.985, 0.96]), np.float32
    )


def lit(sheet: Sheet, normal: np.ndarray, view: np.ndarray, open_: np.ndarray | None = None) -> np.ndarray:
    """(n, 3) encoded colours of points lit by one lamp and a room.

    Lambert and GGX (B. Walter et al., 2007) with Schlick's Fresnel; clear coats and fuzz as far as a small picture
    shows them.

    Parameters
    ----------
    normal, view : (n, 3) unit vectors, the second towards the eye. open_ : (n,) 0 closed .. 1 open, dims the room.
    """
    count = len(normal)

    def value(name: str) -> np.ndarray:
        return spread(sheet.get(name, CHANNELS[name].plain()), CHANNELS[name], count)

    color, metal, rough = value("base_color"), value("metalness")[:, None], np.clip(value("roughness"), 0.03, 1)
    through = value("transmission_weight")[:, None]
    ior = value("specular_ior")
    f0 = ((ior - 1) / (ior + 1)) ** 2
    light = np.array([-0.62, 0.60, 0.50], np.float32)
    light /= np.linalg.norm(light)
    half = view + light
    half /= np.linalg.norm(half, axis=1, keepdims=True)
    nl, nv = np.clip(normal @ light, 0, 1), np.clip((normal * view).sum(axis=1), 1e-3, 1)
    nh, vh = np.clip((normal * half).sum(axis=1), 0, 1), np.clip((view * half).sum(axis=1), 0, 1)
    a2 = rough**4
    d = a2 / (np.pi * (nh**2 * (a2 - 1) + 1) ** 2)
    k = rough**2 / 2
    g = 1 / ((nl * (1 - k) + k) * (nv * (1 - k) + k) * 4)
    plain = np.repeat(f0[:, None], 3, axis=1)
    if "thin_film_weight" in sheet:
        film = film_reflectance(f0, value("thin_film_ior"), value("thin_film_thickness"), nv)
        plain = plain + value("thin_film_weight")[:, None] * (film - plain)
    spec0 = plain * (1 - metal) + color * metal
    fresnel = spec0 + (1 - spec0) * ((1 - vh) ** 5)[:, None]
    diffuse = color * (1 - metal) * (1 - through * 0.75)
    room_up = np.asarray(0.34 + 0.30 * normal[:, 1], np.float32)[:, None]
    shade = np.ones((count, 1), np.float32) if open_ is None else open_[:, None]
    out = diffuse * (nl[:, None] * np.array([1.55, 1.5, 1.42]) + room_up * 0.95 * shade)
    out = out + (d * g * nl)[:, None] * fresnel * np.array([4.4, 4.3, 4.1])
    mirrored = 2 * nv[:, None] * normal - view
    grazing = spec0 + (np.maximum(1 - rough[:, None], spec0) - spec0) * ((1 - nv) ** 5)[:, None]
    out = out + _room(mirrored.astype(np.float32), rough) * grazing * shade
    if "coat_weight" in sheet:
        weight, smooth = value("coat_weight")[:, None], np.clip(value("coat_roughness"), 0.03, 1)
        c0 = (((value("coat_ior") - 1) / (value("coat_ior") + 1)) ** 2)[:, None]
        passed = (1 - weight * (c0 + (1 - c0) * ((1 - nv) ** 5)[:, None])) ** 2
        tint = 1 - weight + weight * value("coat_color")
        a2 = smooth**4
        d = a2 / (np.pi * (nh**2 * (a2 - 1) + 1) ** 2)
        k = smooth**2 / 2
        g = 1 / ((nl * (1 - k) + k) * (nv * (1 - k) + k) * 4)
        out = out * passed * tint + weight * (
            (d * g * nl)[:, None] * (c0 + (1 - c0) * ((1 - vh) ** 5)[:, None]) * 4.2
            + _room(mirrored.astype(np.float32), smooth) * (c0 + (1 - c0) * ((1 - nv) ** 5)[:, None]) * shade
        )
    fuzz = value("fuzz_weight")[:, None]
    out = out + fuzz * value("fuzz_color") * ((1 - nv) ** 2.5)[:, None] * 0.4 * shade
    out = out + through * 0.55 * value("transmission_color") * _room(
        (-view * 0.9 + normal * 0.3).astype(np.float32), np.full(count, 0.5, np.float32)
    )
    glow = value("emission_color") * (value("emission_luminance") / 100.0)[:, None]
    exposed = (out + glow) * 0.92
    # A long soft shoulder, so that neither highlights nor what is white in full light lose their shading.
    exposed = np.where(exposed > 0.5, 0.5 + 0.5 * (1 - np.exp(-(exposed - 0.5) / 0.5)), exposed)
    return to_srgb(exposed)
