"""Reading pictures: PNG, JPEG, TIFF, WebP, BMP, TGA."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from limus.errors import InputError
from limus.hashing import key_of
from limus.store import shared

#: Kinds of pictures that are taken.
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp", ".tga")
#: Most pixels of a picture.
MOST_PIXELS = 8192 * 8192


@dataclass(frozen=True)
class ReadPicture:
    """``values`` (h, w, c) float32 0..1 as they stand in the file, c = 1 grey, 2 grey and alpha, 3 or 4 colour; ``notes`` in words."""

    values: np.ndarray
    notes: tuple[str, ...] = ()


def read_picture(path: Path, name: str = "") -> ReadPicture:
    """Read a picture once; the last few are kept.

    Raises
    ------
    InputError : missing, not a picture, broken off, or more than ``MOST_PIXELS``.
    """
    try:
        about = path.stat()
    except OSError as error:
        raise InputError(
            f"the picture cannot be read ({error.strerror})",
            where=name or path.name,
            remedy="Bring the picture in again, or choose another",
        ) from error
    key = key_of("picture", str(path.resolve()), about.st_size, about.st_mtime_ns)
    found: ReadPicture = shared().get(key, lambda: _read(path, name or path.name))
    return found


def _read(path: Path, name: str) -> ReadPicture:
    notes: list[str] = []
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path) as found:
                if found.width * found.height > MOST_PIXELS:
                    raise InputError(
                        f"{found.width} x {found.height} pixels are more than {MOST_PIXELS >> 20} megapixels",
                        where=name,
                        remedy="Make it smaller and bring it in again",
                    )
                if found.info.get("icc_profile"):
                    notes.append("its colour profile is not used")
                image = ImageOps.exif_transpose(found)
                image.load()
    except InputError:
        raise
    except Image.DecompressionBombError as error:
        raise InputError("the picture is too large", where=name, remedy="Make it smaller and bring it in again") from error
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError, MemoryError) as error:
        raise InputError(
            f"this is not a picture that can be read ({str(error)[:100] or 'broken off'})",
            where=name,
            remedy=f"Save it again as one of {', '.join(PICTURES)}",
        ) from error
    if image.mode == "CMYK":
        notes.append("its printing colours were turned into red, green and blue without a profile")
    if image.mode.startswith("I;16"):
        values = np.asarray(image).astype(np.float32) / np.float32(65535)
    elif image.mode == "I":
        whole = np.asarray(image).astype(np.float32)
        values = whole / np.float32(65535 if whole.max(initial=0) <= 65535 else 2**31 - 1)
    elif image.mode == "F":
        values = np.nan_to_num(np.asarray(image).astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0)
    else:
        mode = {"1": "L", "L": "L", "LA": "LA", "La": "LA", "RGB": "RGB"}.get(image.mode)
        if mode is None:
            mode = "RGBA" if image.mode in ("RGBA", "RGBa", "PA") or "transparency" in image.info else "RGB"
        values = np.asarray(image.convert(mode)).astype(np.float32) / np.float32(255)
    values = np.clip(values if values.ndim == 3 else values[:, :, None], 0.0, 1.0)
    values.setflags(write=False)
    return ReadPicture(values, tuple(notes))
