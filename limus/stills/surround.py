"""What surroundings look like in a mirror that is more or less rough."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Roughness of the mirrors that are made, and pixels across of the pictures of what they show.
_LEVELS = ((0.1, 128), (0.2, 96), (0.3, 64), (0.45, 64), (0.6, 32), (0.8, 32), (1.0, 32))

#: Pixels across of what they are made from, at most.
_SOURCE = 128


def directions(width: int) -> np.ndarray:
    """(width / 2 * width, 3) float32 unit vectors of the pixels of a panorama, y up; azimuth 0 is +x, 90 is +z."""
    height = width // 2
    az = np.radians((np.arange(width) + 0.5) / width * 360 - 180)
    el = np.radians((np.arange(height) + 0.5) / height * 180 - 90)
    a, e = np.meshgrid(az, el)
    return (
        np.stack([np.cos(a) * np.cos(e), np.sin(e), np.sin(a) * np.cos(e)], axis=-1).reshape(-1, 3).astype(np.float32)
    )


def _halved(picture: np.ndarray) -> np.ndarray:
    h, w, _ = picture.shape
    return np.asarray(picture.reshape(h // 2, 2, w // 2, 2, 3).mean(axis=(1, 3)), np.float32)


def _sampled(picture: np.ndarray, direction: np.ndarray) -> np.ndarray:
    """(n, 3) of a panorama, between its pixels."""
    h, w, _ = picture.shape
    x = (np.arctan2(direction[:, 2], direction[:, 0]) / (2 * np.pi) + 0.5) * w - 0.5
    y = np.clip((np.arcsin(np.clip(direction[:, 1], -1, 1)) / np.pi + 0.5) * h - 0.5, 0, h - 1)
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0)[:, None].astype(np.float32), (y - y0)[:, None].astype(np.float32)
    left, right, y1 = x0 % w, (x0 + 1) % w, np.minimum(y0 + 1, h - 1)
    low = picture[y0, left] * (1 - fx) + picture[y0, right] * fx
    high = picture[y1, left] * (1 - fx) + picture[y1, right] * fx
    return np.asarray(low * (1 - fy) + high * fy)


@dataclass(frozen=True)
class Surround:
    """Panoramas of growing ``roughness``, the first a mirror."""

    roughness: np.ndarray
    pictures: tuple[np.ndarray, ...]

    @classmethod
    def of(cls, panorama: np.ndarray) -> Surround:
        """Of a (h, w, 3) linear panorama.

        Each pixel is the mean of the surroundings with the weight that a surface of that roughness gives them when it
        is seen from straight ahead: cosine times the GGX distribution of the half vector (E. Heitz, "Sampling the GGX
        Distribution of Visible Normals", 2018). At roughness 1 that is the cosine: what comes in on a matt surface.
        """
        pictures, source = [panorama.astype(np.float32)], panorama.astype(np.float32)
        while source.shape[1] > _SOURCE:
            source = _halved(source)
        way = directions(source.shape[1])
        # Pixels are smaller towards the poles.
        weight = np.sqrt(np.maximum(1 - way[:, 1] ** 2, 0)).astype(np.float32)
        for rough, width in _LEVELS:
            out = directions(width)
            a2 = np.float32(rough**4)
            made = np.empty((len(out), 3), np.float32)
            # In rows, so that the table of all pairs stays small.
            for first in range(0, len(out), 512):
                share = np.maximum(out[first : first + 512] @ way.T, 0.0)
                # Of the half vector of two directions: (n.h)^2 = (1 + n.l) / 2.
                lobe = (share + 1) * ((a2 - 1) / 2) + 1
                share *= weight
                share /= lobe * lobe
                made[first : first + 512] = share @ source.reshape(-1, 3) / share.sum(axis=1, keepdims=True)
            pictures.append(made.reshape(width // 2, width, 3))
        return cls(np.array([0.0, *(rough for rough, _ in _LEVELS)], np.float32), tuple(pictures))

    def seen(self, direction: np.ndarray, roughness: np.ndarray) -> np.ndarray:
        """(n, 3) float32: what a mirror of (n,) ``roughness`` shows in (n, 3) ``direction``."""
        out = np.zeros((len(direction), 3), np.float32)
        place = np.interp(roughness, self.roughness, np.arange(len(self.pictures)))
        low = np.minimum(place.astype(np.int64), len(self.pictures) - 2)
        share = (place - low).astype(np.float32)
        for k in range(len(self.pictures)):
            below, above = low == k, low == k - 1
            for rows, weight in ((below, 1 - share), (above, share)):
                if rows.any():
                    out[rows] += _sampled(self.pictures[k], direction[rows]) * weight[rows, None]
        return out

    def irradiance(self, normal: np.ndarray) -> np.ndarray:
        """(n, 3) float32: what comes in on a matt surface, divided by pi."""
        return _sampled(self.pictures[-1], normal)
