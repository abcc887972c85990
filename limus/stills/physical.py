"""How a point of the surface looks under a set-up of light: the model that the view draws with.

The renderer of the view (three.js, MIT) has it in its shader chunk ``lights_physical_pars_fragment``; what is taken
from there is named where it stands. So both show the same surface alike, and a still needs no browser.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from limus.materials.channels import CHANNELS, Sheet, spread
from limus.stills.surround import Surround

#: Roughness below which the view's surroundings are no sharper.
_SMOOTHEST = 0.0525
#: Reflectance from straight ahead of what has no index of its own: that of an index of 1.5.
_F0 = 0.04


@dataclass(frozen=True)
class Points:
    """Points that are seen: (n,) rows of fields by channel in ``sheet``; ``normal``, ``view`` (n, 3) unit vectors, the
    second towards the eye; ``open`` (n,) share of the sky; ``lit`` (n,) 0 in the shadow of the key light .. 1;
    ``scatter`` (n,) what normals within a pixel scatter, and ``bend`` (n,) how the shape bends within one.
    """

    sheet: Sheet
    normal: np.ndarray
    view: np.ndarray
    open: np.ndarray
    lit: np.ndarray
    scatter: np.ndarray
    bend: np.ndarray


@dataclass(frozen=True)
class Lighting:
    """``way`` (3,) unit vector to the key light, ``key`` (3,) its irradiance from straight ahead; ``surround`` and
    ``around`` how strong it is; ``turn`` by how much it is turned about up, radians.
    """

    way: np.ndarray
    key: np.ndarray
    surround: Surround
    around: float
    turn: float


@cache
def _split() -> np.ndarray:
    """(33, 33, 2) float32 scale and bias of the reflectance of surroundings, by roughness and cosine (the split sum of
    B. Karis, course on physically based shading, SIGGRAPH 2013, with the height-correlated Smith term of E. Heitz,
    2014).
    """
    count = 256
    k = np.arange(count)
    u1 = (k + 0.5) / count
    bits = np.array([int(f"{j:08b}"[::-1], 2) for j in k]) / 256.0
    out = np.empty((33, 33, 2), np.float32)
    for r in range(33):
        a = max(r / 32, 0.02) ** 2
        cosine = np.sqrt((1 - u1) / (1 + (a * a - 1) * u1))
        sine, turn = np.sqrt(1 - cosine**2), 2 * np.pi * bits
        h = np.stack([sine * np.cos(turn), sine * np.sin(turn), cosine], axis=1)
        for c in range(33):
            nv = max(c / 32, 0.01)
            v = np.array([np.sqrt(1 - nv * nv), 0.0, nv])
            vh = np.clip(h @ v, 1e-6, 1)
            nl, nh = np.clip(2 * vh * h[:, 2] - nv, 0, 1), np.clip(h[:, 2], 1e-6, 1)
            visible = _smith(np.float64(a), nl, np.float64(nv)) * 4 * nl * vh / nh
            fresnel = (1 - vh) ** 5
            out[r, c] = [(visible * (1 - fresnel)).mean(), (visible * fresnel).mean()]
    return out


def _smith(alpha: Any, nl: np.ndarray, nv: Any) -> np.ndarray:
    """``V_GGX_SmithCorrelated``."""
    a2 = alpha**2
    gv, gl = nl * np.sqrt(a2 + (1 - a2) * nv**2), nv * np.sqrt(a2 + (1 - a2) * nl**2)
    return np.asarray(0.5 / np.maximum(gv + gl, 1e-6))


def _ggx(alpha: np.ndarray, nh: np.ndarray) -> np.ndarray:
    """``D_GGX``."""
    a2 = alpha**2
    return np.asarray(a2 / np.pi / (nh**2 * (a2 - 1) + 1) ** 2)


def _environment(rough: np.ndarray, cosine: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(n, 1) scale and (n, 1) bias, between the entries of the table."""
    table = _split()
    x, y = np.clip(rough, 0, 1) * 32, np.clip(cosine, 0, 1) * 32
    x0, y0 = np.minimum(x.astype(np.int64), 31), np.minimum(y.astype(np.int64), 31)
    fx, fy = (x - x0)[:, None].astype(np.float32), (y - y0)[:, None].astype(np.float32)
    low = table[x0, y0] * (1 - fy) + table[x0, y0 + 1] * fy
    high = table[x0 + 1, y0] * (1 - fy) + table[x0 + 1, y0 + 1] * fy
    both = low * (1 - fx) + high * fx
    return both[:, :1], both[:, 1:]


def _schlick(f0: Any, cosine: np.ndarray, grazing: Any = 1) -> np.ndarray:
    """Fresnel's reflectance (C. Schlick, 1994), up to that at ``grazing`` angles."""
    return np.asarray(f0 + (grazing - f0) * ((1 - cosine) ** 5)[:, None])


def _scattered(
    f0: np.ndarray, grazing: np.ndarray, scale: np.ndarray, bias: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """``computeMultiscattering`` (C. Fdez-Agüera, 2019): reflected once, and more than once."""
    once, lost = f0 * scale + grazing * bias, 1 - (scale + bias)
    mean = f0 + (1 - f0) * (1 / 21)
    return once, once * mean / (1 - lost * mean) * lost


def shaded(points: Points, light: Lighting) -> np.ndarray:
    """(n, 3) float32 linear radiance towards the eye, not yet exposed."""
    count, normal, view = len(points.normal), points.normal, points.view

    def value(name: str) -> np.ndarray:
        return spread(points.sheet.get(name, CHANNELS[name].plain()), CHANNELS[name], count)

    def with_turn(direction: np.ndarray) -> np.ndarray:
        c, s = np.cos(-light.turn), np.sin(-light.turn)
        x, z = direction[:, 0] * c + direction[:, 2] * s, direction[:, 2] * c - direction[:, 0] * s
        return np.stack([x, direction[:, 1], z], axis=1)

    def dots(n: np.ndarray) -> tuple[np.ndarray, ...]:
        half = view + light.way
        half = half / np.maximum(np.linalg.norm(half, axis=1, keepdims=True), 1e-9)
        products = (n @ light.way, (n * view).sum(axis=1), (n * half).sum(axis=1), (view * half).sum(axis=1))
        return tuple(np.clip(p, 0, 1).astype(np.float32) for p in products)

    def roughened(rough: np.ndarray, share: float, most: float) -> np.ndarray:
        # As the view's own material calms gloss (surfaceMaterial.ts), after Tokuyoshi and Kaplanyan, 2019.
        rough = np.minimum(np.maximum(rough, _SMOOTHEST) + points.bend, 1.0)
        return np.asarray(np.minimum((rough**4 + np.minimum(share * points.scatter, most)) ** 0.25, 1.0))

    nl, nv, nh, vh = dots(normal)
    color, metal = value("base_color"), value("metalness")[:, None]
    if "subsurface_weight" in points.sheet:
        share = value("subsurface_weight")[:, None]
        color = color + share * (value("subsurface_color") - color)
    coat = value("coat_weight")[:, None] if "coat_weight" in points.sheet else None
    if coat is not None and "coat_color" in points.sheet:
        color = color * (1 + coat * (value("coat_color") - 1))
    rough = roughened(value("roughness"), 0.5, 0.18)
    f0 = np.float32(_F0)
    if "specular_ior" in points.sheet:
        ior = value("specular_ior")[:, None]
        f0 = ((ior - 1) / (ior + 1)) ** 2
    weight = value("specular_weight")[:, None] if "specular_weight" in points.sheet else np.float32(1.0)
    tint = value("specular_color") if "specular_color" in points.sheet else np.ones(3, np.float32)
    plain = np.broadcast_to(np.asarray(np.minimum(f0 * tint, 1) * weight, np.float32), (count, 3))
    grazing, diffuse = weight + metal * (1 - weight), color * (1 - metal)
    blended = plain + metal * (color - plain)

    irradiance = (nl * points.lit)[:, None] * light.key
    kept = np.ones((count, 1), np.float32)
    fuzz = value("fuzz_weight")[:, None] * value("fuzz_color") if "fuzz_weight" in points.sheet else None
    out = np.zeros((count, 3), np.float32)
    matt = light.surround.irradiance(with_turn(normal)) * light.around
    if fuzz is not None:
        soft = np.clip(value("fuzz_roughness"), 1e-2, 1)
        seen, towards = _sheen_albedo(nv, soft), _sheen_albedo(nl, soft)
        out += irradiance * fuzz * _sheen(soft, nl, nv, nh)[:, None]
        out += matt * fuzz * seen[:, None] * points.open[:, None]
        strongest = fuzz.max(axis=1, keepdims=True)
        irradiance = irradiance * (1 - strongest * np.maximum(seen, towards)[:, None])
        kept = 1 - strongest * seen[:, None]

    # The key light: ``RE_Direct_Physical`` with ``BRDF_GGX_Multiscatter`` (E. Turquin, 2019).
    alpha = rough**2
    scale, bias = _environment(rough, nv)
    scale_l, bias_l = _environment(rough, nl)
    lost_v, lost_l = 1 - (scale + bias), 1 - (scale_l + bias_l)
    mean = blended + (1 - blended) * (1 / 21)
    many = (
        (blended * scale + grazing * bias)
        * (blended * scale_l + grazing * bias_l)
        * mean
        / (1 - lost_v * lost_l * mean + 1e-6)
    )
    mirrored = _schlick(blended, vh, grazing) * (_smith(alpha, nl, nv) * _ggx(alpha, nh))[:, None]
    out += irradiance * (mirrored + many * lost_v * lost_l + diffuse / np.pi)

    # The surroundings: ``RE_IndirectSpecular_Physical``, and occlusion as ``aomap_fragment`` has it.
    single_d, many_d = _scattered(plain, grazing, scale, bias)
    single_m, many_m = _scattered(color, grazing, scale, bias)
    single, more = single_d + metal * (single_m - single_d), many_d + metal * (many_m - many_d)
    radiance = _radiance(light, with_turn, view, normal, rough)
    hidden = np.clip(
        (nv + points.open) ** np.exp2(-16 * rough - 1) - 1 + points.open, 0, 1
    )[:, None]  # fmt: skip
    out += (radiance * single + more * matt) * hidden * kept
    out += diffuse * (1 - (single_d + many_d)) * matt * points.open[:, None] * kept

    if coat is not None:
        smooth = roughened(value("coat_roughness"), 0.25, 0.05)
        c0 = np.float32(_F0)
        if "coat_ior" in points.sheet:
            ior = value("coat_ior")[:, None]
            c0 = ((ior - 1) / (ior + 1)) ** 2
        # No mirror of a film is turned away from the eye (surfaceMaterial.ts).
        film = normal + view * np.maximum(0, 0.12 - (normal * view).sum(axis=1))[:, None]
        film = film / np.linalg.norm(film, axis=1, keepdims=True)
        nl, nv, nh, vh = dots(film)
        top, edge = _environment(smooth, nv)
        lit = (
            (nl * points.lit)[:, None]
            * light.key
            * _schlick(c0, vh)
            * (_smith(smooth**2, nl, nv) * _ggx(smooth**2, nh))[:, None]
        )
        room = _radiance(light, with_turn, view, film, smooth) * (c0 * top + edge) * points.open[:, None]
        out = out * (1 - coat * _schlick(c0, nv)) + (lit + room) * coat
    if "emission_luminance" in points.sheet:
        out += value("emission_color") * (value("emission_luminance") / CHANNELS["emission_luminance"].full)[:, None]
    return out.astype(np.float32)


def _radiance(light: Lighting, with_turn: Any, view: np.ndarray, normal: np.ndarray, rough: np.ndarray) -> np.ndarray:  # type: ignore[no-untyped-def]
    """``getIBLRadiance``."""
    way = 2 * (normal * view).sum(axis=1, keepdims=True) * normal - view
    way = way + (rough**4)[:, None] * (normal - way)
    way = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-9)
    return np.asarray(light.surround.seen(with_turn(way), rough) * light.around)


def _sheen(rough: np.ndarray, nl: np.ndarray, nv: np.ndarray, nh: np.ndarray) -> np.ndarray:
    """``BRDF_Sheen``: A. Estevez and C. Kulla, 2017, with the visibility of Neubelt and Pettineo, 2013."""
    power = 1 / rough**2
    sine2 = np.maximum(1 - nh**2, 0.0078125)
    return np.asarray(
        (2 + power) * sine2 ** (power / 2) / (2 * np.pi)
        * np.clip(1 / np.maximum(4 * (nl + nv - nl * nv), 1e-6), 0, 1)
    )  # fmt: skip


def _sheen_albedo(cosine: np.ndarray, rough: np.ndarray) -> np.ndarray:
    """``IBLSheenBRDF``: a fit to it over the hemisphere."""
    inverse = 1 / (rough + 0.1)
    a = -1.9362 + 1.0678 * rough + 0.4573 * rough**2 - 0.8469 * inverse
    b = -0.6014 + 0.5538 * rough - 0.4670 * rough**2 - 0.1255 * inverse
    return np.asarray(np.clip(np.exp(a * cosine + b), 0, 1))


def exposed(linear: np.ndarray, exposure: float) -> np.ndarray:
    """(n, 3) linear 0..1: the neutral tone curve of Khronos (PBR Neutral, 2024), which leaves colours below 0.8 as
    they are but for the 4 % that a surface mirrors anyway.
    """
    color = linear * exposure
    least = color.min(axis=1, keepdims=True)
    color = color - np.where(least < 0.08, least - 6.25 * least**2, 0.04)
    peak, start = color.max(axis=1, keepdims=True), 0.8 - 0.04
    d = 1 - start
    new = 1 - d * d / (np.maximum(peak, start) + d - start)
    pale = 1 - 1 / (0.15 * (peak - new) + 1)
    bright = color * new / np.maximum(peak, 1e-6)
    return np.asarray(np.where(peak < start, color, bright + pale * (new - bright)), np.float32)
