"""A still of the finished surface, under the light of the view."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from limus.common.block_mean import block_mean
from limus.common.colour import to_srgb
from limus.common.hashing import key_of
from limus.common.store import shared
from limus.materials.channels import CHANNELS, Sheet, at_rows, is_even, spread
from limus.materials.encode import in_use
from limus.playing.chronicle import Surface
from limus.readings.rays import blocked, ray_scene, trace
from limus.stills.camera import Camera
from limus.stills.lights import SETUPS, Setup, panorama
from limus.stills.physical import Lighting, Points, exposed, shaded
from limus.stills.surround import Surround
from limus.surface.frames import to_object_space
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels

#: The neutral surround, encoded sRGB 0..1; how dark a shadow on the ground is.
SURROUND, SHADOW = 0x86 / 255, 0.26
#: Rays at a time.
_BLOCK = 1 << 18
#: What the simple light of a still has no place for: the view shows it.
_LEFT_OUT = ("transmission_weight", "thin_film_weight", "glint_density")


@dataclass(frozen=True)
class Light:
    """``setup`` one of ``SETUPS``; where its key light stands, degrees (None: as the set-up has it); ``strength`` of
    all of it.
    """

    setup: str = "north"
    azimuth: float | None = None
    elevation: float | None = None
    strength: float = 1.0
    of: Setup = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "of", SETUPS[self.setup])

    def lighting(self) -> Lighting:
        """As points take it."""
        setup = self.of
        a = np.radians(setup.azimuth if self.azimuth is None else self.azimuth)
        e = np.radians(setup.elevation if self.elevation is None else self.elevation)
        way = np.array([np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)], np.float32)
        surround = shared().get(key_of("surround", self.setup), lambda: Surround.of(panorama(setup)))
        key = np.array(setup.tint, np.float32) * (setup.key * self.strength)
        # The surroundings turn with the key light (surfaceScene.ts).
        return Lighting(way, key, surround, setup.around * self.strength, float(a) + 0.6 + np.pi)


def still(
    texels: Texels, surface: Surface, camera: Camera, light: Light, width: int, height: int, *,
    sub: int = 2, clear: bool = False, check: Callable[[float], None] = lambda share: None,
) -> np.ndarray:  # fmt: skip
    """(height, width, 4) uint8 RGBA, encoded sRGB.

    Parameters
    ----------
    sub : rays along each side of a pixel. clear : nothing but the object and its shadow, the rest transparent. check :
        told which share is done; may raise ``Cancelled``.
    """
    mesh, lighting = texels.mesh, light.lighting()
    ways = camera.rays(width, height, sub)
    rows, wide = height * sub, width * sub
    texel: np.ndarray = np.full((len(ways), 4), -1, np.int32)
    share = np.empty((len(ways), 4), np.float32)
    reach = np.empty(len(ways), np.float32)
    shape = np.zeros((len(ways), 3), np.float32)
    scene = ray_scene(mesh)
    eye = camera.eye.astype(np.float32)
    for first in range(0, len(ways), _BLOCK):
        check(0.4 * first / len(ways))
        rows_ = slice(first, first + _BLOCK)
        texel[rows_], share[rows_], reach[rows_], shape[rows_] = _hits(texels, scene, eye, ways[rows_])
    hit = texel[:, 0] >= 0
    normal = np.zeros((len(ways), 3), np.float32)
    seen, back = np.unique(texel[hit], return_inverse=True)
    # Of the texels that are seen only: frames of all of them are large.
    there = to_object_space(texels, surface.normal, seen)[np.asarray(back).reshape(-1, 4)]
    normal[hit] = _unit((there * share[hit][..., None]).sum(axis=1))
    del there
    scatter = _differences(normal.reshape(rows, wide, 3), hit.reshape(rows, wide), sub, squared=True)
    bend = _differences(shape.reshape(rows, wide, 3), hit.reshape(rows, wide), sub, squared=False)
    out: np.ndarray = np.zeros((len(ways), 4), np.float32)
    spots = np.flatnonzero(hit)
    for first in range(0, len(spots), _BLOCK):
        check(0.4 + 0.5 * first / max(len(spots), 1))
        some = spots[first : first + _BLOCK]
        place = eye + ways[some] * reach[some, None]
        points = Points(
            _between(surface.sheet, texel[some], share[some]), normal[some], -ways[some],
            1 - (surface.occlusion[texel[some]] * share[some]).sum(axis=1),
            _lit(mesh, place, shape[some], lighting.way), scatter[some], bend[some],
        )  # fmt: skip
        out[some, :3] = to_srgb(np.clip(exposed(shaded(points, lighting), light.of.exposure), 0, 1))
        opacity = points.sheet.get("opacity", CHANNELS["opacity"].plain())
        out[some, 3] = spread(opacity, CHANNELS["opacity"], len(some))
    bare = np.flatnonzero(~hit)
    for first in range(0, len(bare), _BLOCK):
        check(0.9 + 0.1 * first / max(len(bare), 1))
        some = bare[first : first + _BLOCK]
        out[some, 3] = _on_the_ground(mesh, eye, ways[some], lighting.way)
    image = out.reshape(rows, wide, 4)
    if clear:
        image[..., :3] *= image[..., 3:]
        image = block_mean(image, sub)
        image[..., :3] /= np.maximum(image[..., 3:], 1e-6)
    else:
        # What lies on the ground is drawn over the surround as it is encoded, as the view does.
        image[..., :3] = image[..., :3] * image[..., 3:] + SURROUND * (1 - image[..., 3:])
        image[..., 3] = 1.0
        image = block_mean(image, sub)
    return np.asarray(np.clip(image, 0, 1) * 255 + 0.5).astype(np.uint8)


def lacking(surface: Surface) -> list[str]:
    """Titles of channels in use that a still does not show."""
    return [channel.title for channel in in_use(surface.sheet) if channel.name in _LEFT_OUT]


def _between(sheet: Sheet, texel: np.ndarray, share: np.ndarray) -> Sheet:
    """The sheet at points that lie between four texels each: (n, 4) which, with (n, 4) shares."""
    corners = [at_rows(sheet, texel[:, k]) for k in range(4)]
    out: dict[str, np.ndarray] = {}
    for name, first in corners[0].items():
        if is_even(first, CHANNELS[name]):
            out[name] = first
            continue
        parts = [corner[name] * _beside(share[:, k], first) for k, corner in enumerate(corners)]
        out[name] = parts[0] + parts[1] + parts[2] + parts[3]
    return out


def _beside(share: np.ndarray, values: np.ndarray) -> np.ndarray:
    return share if values.ndim == 1 else share[:, None]


def _hits(
    texels: Texels, scene: Any, eye: np.ndarray, ways: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The four texels that a point lies between (-1: none) and their shares, as a renderer reads a picture between its
    pixels; distance in m; and normal of the shape.
    """
    mesh = texels.mesh
    hits = trace(scene, np.broadcast_to(eye, ways.shape).copy(), ways)
    hit = hits["primID"] >= 0
    triangle = np.where(hit, hits["primID"], 0)
    u, v = hits["u"][:, None], hits["v"][:, None]
    corners = texels.uv[triangle]
    uv = corners[:, 0] * (1 - u - v) + corners[:, 1] * u + corners[:, 2] * v
    size, grid = texels.size, uv * texels.size - 0.5
    low = np.floor(grid).astype(np.int64)
    fx, fy = (grid - low).T
    page = mesh.triangle_map_set[triangle].astype(np.int64) * size**2
    x, y = (np.clip(low[:, [k]] + [[0, 1]], 0, size - 1) for k in (0, 1))
    place = (page[:, None, None] + y[:, :, None] * size + x[:, None, :]).reshape(-1, 4)
    share = np.stack([(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy], axis=1)
    n = mesh.normals[mesh.triangles[triangle]]
    normal = n[:, 0] * (1 - u - v) + n[:, 1] * u + n[:, 2] * v
    found = np.where(hit[:, None], texels.fill_index[place], -1).astype(np.int32)
    return found, share.astype(np.float32), hits["tfar"], np.where(hit[:, None], _unit(normal), 0)


def _unit(vectors: np.ndarray) -> np.ndarray:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-9), np.float32)


def _differences(vectors: np.ndarray, hit: np.ndarray, step: int, *, squared: bool) -> np.ndarray:
    """(h * w,) how far vectors differ from those a pixel to the side and a pixel below: squared and added, or the
    largest component.
    """
    out: np.ndarray = np.zeros(vectors.shape[:2], np.float32)
    for axis in (0, 1):
        if vectors.shape[axis] <= step:
            continue
        near = [slice(None), slice(None)]
        far = [slice(None), slice(None)]
        near[axis], far[axis] = slice(None, -step), slice(step, None)
        apart = np.abs(vectors[tuple(far)] - vectors[tuple(near)]) * (hit[tuple(far)] & hit[tuple(near)])[..., None]
        if squared:
            out[tuple(near)] += (apart**2).sum(axis=-1)
        else:
            out[tuple(near)] = np.maximum(out[tuple(near)], apart.max(axis=-1))
    return out.reshape(-1)


def _lit(mesh: Mesh, place: np.ndarray, normal: np.ndarray, way: np.ndarray) -> np.ndarray:
    """(n,) float32 0 where the object itself stands before the key light."""
    reach = mesh.diagonal
    origin = (place + normal * (reach * 0.002)).astype(np.float32)
    ways = np.broadcast_to(way.astype(np.float32), origin.shape).copy()
    limits: np.ndarray = np.full(len(origin), reach * 4, np.float32)
    return np.asarray(~blocked(ray_scene(mesh), origin, ways, limits), np.float32)


def _on_the_ground(mesh: Mesh, eye: np.ndarray, ways: np.ndarray, way: np.ndarray) -> np.ndarray:
    """(n,) how dark the ground is where rays meet it: in the shadow, and under the object, where the sky does not
    reach.
    """
    low, high = mesh.bounds
    reach = mesh.diagonal
    out: np.ndarray = np.zeros(len(ways), np.float32)
    if eye[1] <= low[1]:
        return out
    down = ways[:, 1] < -1e-6
    far = np.where(down, (low[1] - eye[1]) / np.where(down, ways[:, 1], -1.0), np.inf)
    place = eye + ways * np.where(np.isfinite(far), far, 0)[:, None]
    middle = (low + high) / 2
    on = down & (np.abs(place[:, [0, 2]] - middle[[0, 2]]).max(axis=1) < reach * 4)
    if not on.any():
        return out
    spots = place[on].astype(np.float32)
    shadow = 1 - _lit(mesh, spots, np.tile(np.array([0, 1, 0], np.float32), (len(spots), 1)), way)
    foot = mesh.positions[mesh.positions[:, 1] <= low[1] + 0.05 * (high[1] - low[1])]
    wide, under = np.ptp(foot, axis=0), (foot.min(axis=0) + foot.max(axis=0)) / 2
    half = (wide[[0, 2]] * 1.6 + reach * 0.02) / 2
    away = np.linalg.norm((spots[:, [0, 2]] - under[[0, 2]]) / half, axis=1)
    patch = np.interp((away * 64 - 8) / 56, [0.0, 0.45, 1.0], [0.46, 0.20, 0.0]) * (away <= 1)
    out[on] = 1 - (1 - SHADOW * shadow) * (1 - patch)
    return out
