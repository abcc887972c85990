"""One reading or mask as a file: .npy, .exr or .png."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

import numpy as np

from limus.common.errors import InputError
from limus.formats.files import write_whole
from limus.formats.png import png_bytes, quantise

SUFFIXES = (".npy", ".exr", ".png")


def write_field(path: Path, image: np.ndarray, *, low: float = 0.0, high: float = 1.0) -> None:
    """Write a (n, n) float32 image, or (n, n, c) as ``.npy``; NaN where there is no texel.

    ``.npy`` keeps the numbers and the NaNs, row 0 at v = 0 as in glTF. ``.exr`` keeps the numbers (0 where there is
    no texel).
    ``.png`` is 16-bit grey from ``low`` (black) to ``high`` (white).

    Raises
    ------
    InputError : another suffix.
    """
    suffix = path.suffix.lower()
    if suffix == ".npy":
        out = io.BytesIO()
        np.save(out, image.astype(np.float32))
        write_whole(path, out.getvalue())
    elif suffix == ".exr":
        write_whole(path, exr_bytes({"Y": np.nan_to_num(image, nan=0.0)}))
    elif suffix == ".png":
        write_whole(path, png_bytes(quantise((np.nan_to_num(image, nan=low) - low) / (high - low), 16)))
    else:
        raise InputError(
            f"cannot write '{suffix or path.name}' files",
            where="--out",
            remedy=f"End the file name with one of {', '.join(SUFFIXES)}",
        )


def exr_bytes(channels: dict[str, np.ndarray]) -> bytes:
    """A ZIP-packed scan-line OpenEXR file of float32 channels."""
    import OpenEXR

    data = {name: np.ascontiguousarray(values, np.float32) for name, values in channels.items()}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "field.exr"
        with OpenEXR.File(header, data) as out:
            out.write(str(path))
        return path.read_bytes()
