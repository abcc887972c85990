"""From linear numbers 0..1 to those that a file holds."""

from __future__ import annotations

import zlib
from typing import Any

import numpy as np

from limus.common.colour import to_srgb
from limus.targets.raster import Finish


def finish_of(
    dtype: np.dtype[Any], *, colour: bool = False, unit_length: bool = False, dither: bool = False, seed: str = ""
) -> Finish:
    """Encoding as sRGB (``colour``: the first three components), then rounding where ``dtype`` is whole numbers.

    ``unit_length``: directions, 0..1 for -1..1, are made as long as one again. ``dither``: rounded up as often as
    the rest is large, by noise of each pixel's own (``seed``), so that the mean over an area is right to far below a
    step; a pixel that needs no rounding stays.
    """
    whole = np.issubdtype(dtype, np.integer)
    top = float(np.iinfo(dtype).max) if whole else 1.0
    spread = dither and dtype == np.uint8

    def make(values: np.ndarray, first: int, left: int) -> np.ndarray:
        values = np.asarray(values, np.float32)
        if unit_length:
            way = values * 2 - 1
            values = way / np.maximum(np.linalg.norm(way, axis=-1, keepdims=True), 1e-6) * 0.5 + 0.5
        if colour:
            if values.shape[-1] > 3:
                values = np.concatenate([to_srgb(values[..., :3]), values[..., 3:]], axis=-1)
            else:
                values = to_srgb(values)
        if not whole:
            return values.astype(dtype, copy=False)
        step = np.float32(0.5)
        if spread:
            step = _noise(values.shape, first, left, zlib.crc32(seed.encode()))  # type: ignore[assignment]
        return (np.clip(values, 0.0, 1.0) * top + step).astype(dtype)

    return Finish(make, spread)


def _noise(shape: tuple[int, ...], top: int, left: int, seed: int) -> np.ndarray:
    """(h, w, c) float32 below 1, even, of each pixel's own whatever the tile; components differ.

    The mixing of bits is the finaliser of MurmurHash3 (A. Appleby, public domain; from memory).
    """
    height, width, count = shape
    x = np.arange(left, left + width, dtype=np.uint32)[None, :, None]
    y = np.arange(top, top + height, dtype=np.uint32)[:, None, None]
    c = np.arange(count, dtype=np.uint32)[None, None, :]
    with np.errstate(over="ignore"):
        h = x * np.uint32(0x9E3779B1) ^ y * np.uint32(0x85EBCA77) ^ c * np.uint32(0xC2B2AE3D) ^ np.uint32(seed)
        h ^= h >> np.uint32(16)
        h *= np.uint32(0x85EBCA6B)
        h ^= h >> np.uint32(13)
        h *= np.uint32(0xC2B2AE35)
        h ^= h >> np.uint32(16)
    # Two values of a step below 1: a sum with a whole number stays below the next one in single precision.
    return (h >> np.uint32(9)).astype(np.float32) * 2.0**-23 * 0.9999
