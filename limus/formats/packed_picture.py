"""Pictures inside object files: looked at by their header, unpacked when they are needed."""

from __future__ import annotations

import io
import warnings
from collections.abc import Callable

import numpy as np
from PIL import Image

from limus.common.hashing import key_of
from limus.formats.picture_read import FAULTS, KINDS, LONGEST, MOST_PIXELS
from limus.surface.picture import Picture

#: Pixels of all pictures of one object.
MOST_IN_ALL = 8 * MOST_PIXELS


class PictureBox:
    """The pictures of one object, each kept once whatever refers to it."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, str], Picture] = {}
        self._pixels = 0

    def take(
        self, data: bytes, mode: str, change: Callable[[np.ndarray], np.ndarray] | None = None, changed: str = ""
    ) -> Picture:
        """The picture in ``data`` as (h, w, c) uint8 of ``mode`` ("RGB", "RGBA"), then as ``change`` makes it
        (``changed`` names how).

        Raises
        ------
        ValueError : not a picture that is taken, broken off, or more pixels than there may be.
        """
        key = key_of("packed picture", data, mode, changed)
        found = self._known.get((key, mode))
        if found is not None:
            return found
        width, height = _looked_at(data)
        self._pixels += width * height
        if self._pixels > MOST_IN_ALL:
            raise ValueError(f"the pictures of the object have more than {MOST_IN_ALL >> 20} megapixels in all")

        def unpack() -> np.ndarray:
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    with Image.open(io.BytesIO(data), formats=KINDS) as image:
                        pixels = np.ascontiguousarray(np.asarray(image.convert(mode)))
            except FAULTS:
                # Its end is broken: a plain one stands in for it.
                pixels = np.full((1, 1, len(mode)), 255, np.uint8)
            return pixels if change is None else change(pixels)

        picture = Picture(key, height, width, unpack, len(data))
        self._known[(key, mode)] = picture
        return picture


def _looked_at(data: bytes) -> tuple[int, int]:
    """(width, height) by the header; what can be checked without unpacking is checked."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data), formats=KINDS) as image:
                width, height = image.size
                if width < 1 or height < 1:
                    raise ValueError("it has no pixels")
                if width * height > MOST_PIXELS or max(width, height) > LONGEST:
                    raise ValueError(
                        f"{width} x {height} pixels are more than {MOST_PIXELS >> 20} megapixels or {LONGEST} along "
                        "a side"
                    )
                if width * height > len(data) * 8800 + 4096:
                    raise ValueError("its header claims more than the file can hold")
                # The check sums of PNG; for the others only that it opens.
                image.verify()
                return int(width), int(height)
    except ValueError:
        raise
    except (*FAULTS, Image.DecompressionBombError) as error:
        raise ValueError(str(error)[:100] or "broken off") from error
