"""OpenEXR with several parts, in tiles."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np


def exr_in_parts(parts: Mapping[str, bytes]) -> bytes:
    """One file, a part by each name, of OpenEXR files of one size; the numbers stay as they are, half or single."""
    import OpenEXR

    out = []
    with tempfile.TemporaryDirectory() as folder:
        # The library reads and writes nothing but files.
        path = Path(folder) / "one.exr"
        for name, data in parts.items():
            path.write_bytes(data)
            with OpenEXR.File(str(path), separate_channels=True) as file:
                channels = {title: np.array(one.pixels) for title, one in file.channels().items()}
            header = {
                "type": OpenEXR.tiledimage, "compression": OpenEXR.ZIP_COMPRESSION, "tiles": OpenEXR.TileDescription(),
            }  # fmt: skip
            out.append(OpenEXR.Part(header, channels, name=name))
        OpenEXR.File(out).write(str(path))
        return path.read_bytes()
