"""Small pictures of the object, made without a graphics card.

One ray per pixel finds the texel that is seen; after that a picture of any field is one gather, cheap enough to refresh
every picture in the interface at each edit.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from limus.common.block_mean import block_mean
from limus.readings.rays import ray_scene, trace
from limus.surface.texels import Texels

#: The view surround, encoded sRGB.
SURROUND = 0x86


@dataclass(frozen=True)
class Picture:
    """A fixed view.

    Attributes
    ----------
    texel : (h * s, w * s) int32 texel seen by each ray, -1 for the surround; ``supersample`` s rays per pixel along
        each side.
    light : (h * s, w * s) float32 shading for flat fields, so that the shape reads.
    """

    width: int
    height: int
    supersample: int
    texel: np.ndarray
    light: np.ndarray

    @classmethod
    def of(
        cls,
        texels: Texels,
        width: int,
        height: int,
        *,
        azimuth: float = 35.0,
        elevation: float = 22.0,
        zoom: float = 1.0,
        at: tuple[float, float] = (0.0, 0.0),
        supersample: int = 2,
    ) -> Picture:
        """Look at the object from ``azimuth`` (degrees about up, 0 = +z) and ``elevation``; ``zoom`` 1 shows all of it.

        ``at`` is the middle of what is shown, to the right and up, in widths and heights of the whole view; (0, 0) is
        the middle of the object.
        """
        mesh = texels.mesh
        centre = mesh.bounds.mean(axis=0)
        a, e = np.radians([azimuth, elevation])
        back = np.array([np.sin(a) * np.cos(e), np.sin(e), np.cos(a) * np.cos(e)])
        right = np.cross([0.0, 1.0, 0.0], back)
        right /= np.linalg.norm(right)
        up = np.cross(back, right)
        seen = mesh.positions[mesh.triangles.ravel()] - centre
        wide, tall = np.abs(seen @ right).max(), np.abs(seen @ up).max()
        whole = 2.08 * max(wide / width, tall / height)
        scale = whole / zoom
        w, h = width * supersample, height * supersample
        x = (np.arange(w) + 0.5 - w / 2) / supersample * scale + at[0] * width * whole
        y = (h / 2 - np.arange(h) - 0.5) / supersample * scale + at[1] * height * whole
        gx, gy = np.meshgrid(x, y)
        origin = centre + back * mesh.diagonal * 2 + gx[..., None] * right + gy[..., None] * up
        directions = np.broadcast_to((-back).astype(np.float32), (w * h, 3)).copy()
        hits = trace(ray_scene(mesh), origin.reshape(-1, 3).astype(np.float32), directions)
        hit = hits["primID"] >= 0
        triangle = np.where(hit, hits["primID"], 0)
        corners = texels.uv[triangle]
        u, v = hits["u"][:, None], hits["v"][:, None]
        uv = corners[:, 0] * (1 - u - v) + corners[:, 1] * u + corners[:, 2] * v
        px = np.clip((uv * texels.size).astype(np.int64), 0, texels.size - 1)
        place = mesh.triangle_map_set[triangle].astype(np.int64) * texels.size**2 + px[:, 1] * texels.size + px[:, 0]
        texel = np.where(hit, texels.fill_index[place], -1).astype(np.int32)
        normal = texels.normal[np.maximum(texel, 0)]
        key = np.array([-0.45, 0.75, 0.55]) @ np.stack([right, up, back])
        light = 0.42 + 0.58 * np.clip(normal @ (key / np.linalg.norm(key)), 0, 1) + 0.10 * normal[:, 1]
        return cls(width, height, supersample, texel.reshape(h, w), light.astype(np.float32).reshape(h, w))

    @cached_property
    def seen(self) -> tuple[np.ndarray, np.ndarray]:
        """Texels that are seen, (k,) in order, and which of them each ray sees, (h * s, w * s) int32; one that sees
        none has the first texel. Found once: pictures of many layers are taken from one place.
        """
        texels, which = np.unique(np.maximum(self.texel, 0), return_inverse=True)
        return texels, np.asarray(which, np.int32).reshape(self.texel.shape)

    def show(self, field: np.ndarray, *, shade: float = 0.0) -> np.ndarray:
        """Picture of a (n,) or (n, 3) field with values 0..1 (encoded, ready for the screen).

        ``shade`` mixes in simple lighting, 0 (flat) .. 1.

        Returns
        -------
        (height, width, 3) uint8.
        """
        picked = field[np.maximum(self.texel, 0)].astype(np.float32)
        if picked.ndim == 3:
            return self.show_rows(picked, shade=shade)
        return np.repeat(self.show_rows(picked[..., None], shade=shade), 3, axis=2)

    def show_rows(self, picked: np.ndarray, *, shade: float = 0.0) -> np.ndarray:
        """The same from (h * s, w * s, c) values, one for each ray."""
        if shade > 0:
            picked = picked * (1 - shade + shade * self.light[..., None])
        picked = np.where((self.texel >= 0)[..., None], picked, np.float32(SURROUND / 255))
        return (np.clip(block_mean(picked, self.supersample), 0, 1) * 255 + 0.5).astype(np.uint8)
