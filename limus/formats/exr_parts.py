"""OpenEXR with several parts, in tiles."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np


def exr_in_parts(parts: Mapping[str, Path]) -> bytes:
    """One file, a part by each name, of OpenEXR files of one size; the numbers stay as they are, half or single."""
    import OpenEXR

    out = []
    for name, path in parts.items():
        with OpenEXR.File(str(path), separate_channels=True) as file:
            channels = {title: np.array(one.pixels) for title, one in file.channels().items()}
        header = {
            "type": OpenEXR.tiledimage, "compression": OpenEXR.ZIP_COMPRESSION, "tiles": OpenEXR.TileDescription(),
        }  # fmt: skip
        out.append(OpenEXR.Part(header, channels, name=name))
    with tempfile.TemporaryDirectory() as folder:
        whole = Path(folder) / "parts.exr"
        OpenEXR.File(out).write(str(whole))
        return whole.read_bytes()
