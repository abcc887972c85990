"""Pictures written row by row, as they come: a picture larger than memory is no larger than its rows."""

from __future__ import annotations

import queue
import struct
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from isal import isal_zlib

from limus.formats.png import COLOUR_TYPES, SIGNATURE, chunk, filtered_rows


class RowWriter:
    """Takes the rows of one picture from top to bottom.

    Parameters
    ----------
    path : written as rows come; nothing but ``close`` makes a whole file of it. shape : height, width and numbers a
        pixel. dtype : uint8, uint16, float16 or float32, where the format has it. srgb : the numbers are sRGB colour.
    names : of the components, for formats that know them by name.
    """

    suffix = ""

    def __init__(
        self,
        path: Path,
        shape: tuple[int, int, int],
        dtype: np.dtype[Any],
        *,
        srgb: bool = False,
        names: tuple[str, ...] = (),
    ) -> None:
        self.path, self.shape, self.dtype, self.srgb = path, shape, np.dtype(dtype), srgb
        self.names = names or tuple("RGBA"[: shape[2]] if shape[2] > 1 else "Y")
        self.done = 0

    def add(self, rows: np.ndarray) -> None:
        """The next rows, (h, width, c)."""
        raise NotImplementedError

    def close(self) -> None:
        """All rows are there: make a whole file of it."""
        raise NotImplementedError

    def stop(self) -> None:
        """Leave off and remove what there is of it."""
        self.path.unlink(missing_ok=True)


class PngRows(RowWriter):
    """PNG, as of ``formats.png``."""

    suffix = ".png"

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        height, width, count = self.shape
        if self.dtype not in (np.uint8, np.uint16) or count not in COLOUR_TYPES:
            raise ValueError("PNG takes uint8 or uint16 with 1 to 4 channels")
        self._out: BinaryIO = self.path.open("wb")
        self._pack = isal_zlib.compressobj(1)
        self._last: np.ndarray | None = None
        header = struct.pack(">IIBBBBB", width, height, 8 * self.dtype.itemsize, COLOUR_TYPES[count], 0, 0, 0)
        self._out.write(SIGNATURE + chunk(b"IHDR", header) + (chunk(b"sRGB", b"\x00") if self.srgb else b""))

    def add(self, rows: np.ndarray) -> None:
        """See ``RowWriter``."""
        filtered, self._last = filtered_rows(rows, self._last)
        data = self._pack.compress(filtered.data)
        if data:
            self._out.write(chunk(b"IDAT", data))
        self.done += len(rows)

    def close(self) -> None:
        """See ``RowWriter``."""
        self._out.write(chunk(b"IDAT", self._pack.flush()) + chunk(b"IEND", b""))
        self._out.close()

    def stop(self) -> None:
        """See ``RowWriter``."""
        self._out.close()
        super().stop()


class TiffRows(RowWriter):
    """TIFF (BigTIFF from 3 GB), strips of 16 rows, deflate: whole numbers, half or single ones."""

    suffix = ".tif"
    STRIP = 16

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        # The library pulls its strips from an iterator; ours are pushed.
        self._strips: queue.Queue[bytes | None] = queue.Queue(8)
        self._fault: BaseException | None = None
        self._left = np.empty((0, *self.shape[1:]), self.dtype)
        self._thread = threading.Thread(target=self._write, daemon=True)
        self._thread.start()

    def _pulled(self) -> Iterator[bytes]:
        while (strip := self._strips.get()) is not None:
            yield strip

    def _write(self) -> None:
        import tifffile

        height, width, count = self.shape
        size = height * width * count * self.dtype.itemsize
        try:
            with tifffile.TiffWriter(self.path, bigtiff=size > 3 << 30) as out:
                out.write(
                    self._pulled(), shape=self.shape if count > 1 else self.shape[:2], dtype=self.dtype,
                    rowsperstrip=self.STRIP, compression="zlib", photometric="rgb" if count >= 3 else "minisblack",
                    extrasamples=["unassalpha"] if count in (2, 4) else None, metadata=None, software=False,
                )  # fmt: skip
        except BaseException as fault:
            self._fault = fault

    def _push(self, strip: bytes | None) -> None:
        while self._thread.is_alive():
            try:
                self._strips.put(strip, timeout=0.2)
            except queue.Full:
                continue
            return

    def _check(self) -> None:
        if self._fault is not None:
            raise self._fault

    def add(self, rows: np.ndarray) -> None:
        """See ``RowWriter``."""
        self.done += len(rows)
        rows = np.concatenate([self._left, rows]) if len(self._left) else rows
        whole = len(rows) if self.done == self.shape[0] else len(rows) // self.STRIP * self.STRIP
        for first in range(0, whole, self.STRIP):
            strip = rows[first : first + self.STRIP]
            # Packed here: what the library packs by itself it wants whole.
            self._push(isal_zlib.compress(np.ascontiguousarray(strip, self.dtype.newbyteorder("<")).data, 1))
        self._left = rows[whole:].copy()
        self._check()

    def close(self) -> None:
        """See ``RowWriter``."""
        self._push(None)
        self._thread.join()
        self._check()

    def stop(self) -> None:
        """See ``RowWriter``."""
        self._push(None)
        self._thread.join()
        super().stop()


class ExrRows(RowWriter):
    """OpenEXR, scan lines, ZIP: half or single numbers, each component by its name."""

    suffix = ".exr"

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        import Imath  # type: ignore[import-untyped]
        import OpenEXR

        height, width, count = self.shape
        if self.dtype not in (np.float16, np.float32):
            raise ValueError("OpenEXR takes half and single numbers")
        half = self.dtype == np.float16
        kind = Imath.PixelType(Imath.PixelType.HALF if half else Imath.PixelType.FLOAT)
        header = OpenEXR.Header(width, height) | {"channels": {n: Imath.Channel(kind) for n in self.names[:count]}}
        # The library's newer class takes whole pictures only; this one takes rows (the version is pinned).
        self._out = OpenEXR.OutputFile(str(self.path), header)

    def add(self, rows: np.ndarray) -> None:
        """See ``RowWriter``."""
        rows = rows.astype(self.dtype, copy=False)
        self._out.writePixels(
            {name: np.ascontiguousarray(rows[:, :, k]).tobytes() for k, name in enumerate(self.names)}, len(rows)
        )
        self.done += len(rows)

    def close(self) -> None:
        """See ``RowWriter``."""
        self._out.close()

    def stop(self) -> None:
        """See ``RowWriter``."""
        self._out.close()
        super().stop()


FORMS: dict[str, Callable[..., RowWriter]] = {"png": PngRows, "tiff": TiffRows, "exr": ExrRows}
