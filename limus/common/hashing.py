"""Content keys: the same inputs give the same key on every machine and in every run."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np


def key_of(*parts: Any) -> str:
    """A 32-digit hexadecimal key over strings, numbers, JSON-like values and arrays (dtype, shape and bytes)."""
    digest = hashlib.blake2b(digest_size=16)
    for part in parts:
        if isinstance(part, np.ndarray):
            digest.update(f"{part.dtype.str}{part.shape}".encode())
            digest.update(np.ascontiguousarray(part).data)
        elif isinstance(part, bytes):
            digest.update(part)
        elif type(part) is str and part.isascii() and part.isprintable() and '"' not in part and "\\" not in part:
            # Most parts are keys themselves: the same bytes, without the encoder.
            digest.update(f'"{part}"'.encode())
        else:
            digest.update(json.dumps(part, sort_keys=True, default=str).encode())
        digest.update(b"\x1f")
    return digest.hexdigest()
