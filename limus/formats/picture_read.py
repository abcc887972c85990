"""Reading pictures: PNG, JPEG, TIFF, WebP, BMP, TGA, HEIF, OpenEXR, SVG."""

from __future__ import annotations

import struct
import warnings
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pi_heif
import tifffile
from PIL import Image, ImageOps, UnidentifiedImageError

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.store import shared
from limus.formats.files import need_regular
from limus.formats.svg_read import read_svg

#: Kinds of pictures that are taken.
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp", ".tga", ".heic", ".heif", ".exr", ".svg")
#: Most pixels of a picture, and most along one side.
MOST_PIXELS, LONGEST = 8192 * 8192, 16384
#: Largest number that a float picture may hold: that of a half float (IEEE 754-2008, binary16). More is a fault of what
#: wrote it.
LARGEST = np.float32(65504.0)


pi_heif.register_heif_opener(thumbnails=False)
#: What Pillow may open: other kinds (EPS among them) would be handed to programs we do not know.
KINDS = ("PNG", "JPEG", "TIFF", "WEBP", "BMP", "TGA", "HEIF")


@dataclass(frozen=True)
class ReadPicture:
    """A picture as it stands in its file.

    Attributes
    ----------
    pixels : (h, w, c) uint8, uint16 or float32, c = 1 grey, 2 grey and alpha, 3 or 4 colour. notes : in words.
    kind : of file, "PNG", "JPEG", ... gamma : the exponent of its encoding where the file says so (1: plain numbers,
        about 2.2: sRGB). profile : the ICC profile that its colours are meant by, for whoever asks what they are.
    """

    pixels: np.ndarray
    notes: tuple[str, ...] = ()
    kind: str = ""
    gamma: float | None = None
    profile: bytes = b""

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store."""
        return self.pixels.nbytes, ()

    @property
    def full(self) -> float:
        """The number that stands for 1."""
        return {"u1": 255.0, "u2": 65535.0}.get(self.pixels.dtype.str[1:], 1.0)

    @property
    def values(self) -> np.ndarray:
        """(h, w, c) float32 0..1, made at each call: four times the memory of most pictures."""
        out = self.pixels.astype(np.float32)
        return np.clip(out / self.full, 0.0, 1.0)


def read_picture(path: Path, name: str = "") -> ReadPicture:
    """Read a picture once; the last few are kept.

    Raises
    ------
    InputError : missing, not a picture, broken off, without pixels, or more than ``MOST_PIXELS`` or ``LONGEST``.
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


def check_picture(path: Path, name: str = "") -> None:
    """See that a picture can be read; nothing of it is kept in memory.

    Raises
    ------
    InputError : as of ``read_picture``.
    """
    _read(path, name or path.name)


def _fits(width: int, height: int, name: str) -> None:
    if width < 1 or height < 1:
        raise InputError("the picture has no pixels", where=name, remedy="Save it again")
    if width * height > MOST_PIXELS or max(width, height) > LONGEST:
        raise InputError(
            f"{width} x {height} pixels are more than {MOST_PIXELS >> 20} megapixels or {LONGEST} along one side",
            where=name,
            remedy="Make it smaller and bring it in again",
        )


def _holds(numbers: int, path: Path, name: str, times: int = 1100) -> None:
    """Refuse what claims more numbers than its bytes can hold, before anything is allocated: deflate packs at most
    1032 to 1.
    """
    if numbers > path.stat().st_size * times + 4096:
        raise InputError(
            "broken off: its header claims more than the file can hold", where=name, remedy="Save it again"
        )


def _read(path: Path, name: str) -> ReadPicture:
    need_regular(path, name)
    try:
        with path.open("rb") as file:
            start = file.read(64)
        if not start:
            raise InputError(
                "the file is empty (0 bytes)", where=name, remedy="Save the picture again, or copy the file again"
            )
        if start[:4] == b"\x76\x2f\x31\x01":
            found = _exr(path, name)
        elif start.removeprefix(b"\xef\xbb\xbf").lstrip()[:1] == b"<" or start[:4] in (b"\xff\xfe<\0", b"\xfe\xff\0<"):
            found = ReadPicture(read_svg(path, name), (), "SVG", 2.2)
        else:
            found = _raster(path, name)
    except InputError:
        raise
    except Image.DecompressionBombError as error:
        raise InputError(
            f"it has more than {MOST_PIXELS >> 20} megapixels",
            where=name,
            remedy="Make it smaller and bring it in again",
        ) from error
    except FAULTS as error:
        raise InputError(
            f"this is not a picture that can be read ({str(error)[:100] or 'broken off'})",
            where=name,
            remedy=f"Save it again as one of {', '.join(PICTURES)}",
        ) from error
    found.pixels.setflags(write=False)
    return found


#: Endings that files of a kind have.
_ENDINGS = {
    "PNG": (".png",), "JPEG": (".jpg", ".jpeg"), "TIFF": (".tif", ".tiff"), "WEBP": (".webp",), "BMP": (".bmp",),
    "TGA": (".tga",), "HEIF": (".heic", ".heif"),
}  # fmt: skip


def _raster(path: Path, name: str) -> ReadPicture:
    notes: list[str] = []
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with Image.open(path, formats=KINDS) as found:
            _fits(found.width, found.height, name)
            kind = str(found.format or "")
            if kind in ("PNG", "TIFF"):
                _holds(found.width * found.height * len(found.getbands()), path, name)
            if (
                kind
                and Path(name).suffix
                and Path(name).suffix.lower() not in _ENDINGS.get(kind, (Path(name).suffix.lower(),))
            ):
                notes.append(f"it is a {kind} file, whatever its name says")
            profile = found.info.get("icc_profile") or b""
            if profile:
                notes.append("its colour profile is not used")
            if getattr(found, "n_frames", 1) > 1:
                notes.append("it holds several pictures, of which the first is used")
            gamma = found.info.get("gamma")
            encoding = (
                1 / gamma if isinstance(gamma, float) and 0.05 < gamma < 20 else (2.2 if "srgb" in found.info else None)
            )
            deep = _deep(path, kind, found, notes)
            if deep is not None:
                return ReadPicture(deep, tuple(notes), kind, encoding, profile)
            image = ImageOps.exif_transpose(found)
            image.load()
    if image.mode == "CMYK":
        notes.append("its printing colours were turned into red, green and blue without a profile")
    if image.mode.startswith("I;16"):
        pixels = np.asarray(image).astype(np.uint16)
    elif image.mode == "I":
        whole = np.asarray(image)
        top = 65535 if whole.max(initial=0) <= 65535 else 2**31 - 1
        pixels = np.clip(whole, 0, None).astype(np.float32) / np.float32(top)
    elif image.mode == "F":
        pixels = _finite(np.asarray(image).astype(np.float32), notes)
    else:
        mode = {"1": "L", "L": "L", "LA": "LA", "La": "LA", "RGB": "RGB"}.get(image.mode)
        if mode is None:
            mode = "RGBA" if image.mode in ("RGBA", "RGBa", "PA") or "transparency" in image.info else "RGB"
        pixels = np.asarray(image if image.mode == mode else image.convert(mode))
    return ReadPicture(pixels if pixels.ndim == 3 else pixels[:, :, None], tuple(notes), kind, encoding, profile)


def _finite(values: np.ndarray, notes: list[str]) -> np.ndarray:
    wrong = ~np.isfinite(values)
    if wrong.any():
        notes.append(f"{int(wrong.sum())} of its numbers are not finite and were set to 0")
        values = np.where(wrong, np.float32(0), values)
    beyond = np.abs(values) > LARGEST
    if beyond.any():
        notes.append(f"{int(beyond.sum())} of its numbers are beyond {LARGEST:g} and were taken as that")
        values = np.clip(values, -LARGEST, LARGEST)
    return values


def _deep(path: Path, kind: str, image: Any, notes: list[str]) -> np.ndarray | None:
    """Pixels of what Pillow would bring down to 8 bit: 16-bit colour in PNG and TIFF. None: leave it to Pillow."""
    if kind == "PNG":
        return _png16(path)
    if kind != "TIFF" or image.mode not in ("RGB", "RGBA", "RGBX"):
        return None
    bits = image.tag_v2.get(258, (8,)) if hasattr(image, "tag_v2") else (8,)
    if max(bits) <= 8:
        return None
    try:
        with tifffile.TiffFile(path) as file:
            page = file.pages[0]
            if page.size > image.width * image.height * 4:  # type: ignore[union-attr]
                raise ValueError("its header claims more than it may hold")
            found = np.asarray(page.asarray())
    except Exception:
        # Its packing is not known there: eight bits of it are better than none.
        notes.append("its packing could only be read with 8 bits")
        return None
    if found.ndim != 3 or found.shape[2] not in (1, 2, 3, 4) or found.shape[:2] != (image.height, image.width):
        return None
    if found.dtype == np.uint16:
        return found
    if found.dtype.kind == "f":
        return _finite(found.astype(np.float32), notes)
    return None


@kernel
def _unfilter(data, stride, step, out):  # type: ignore[no-untyped-def]
    """Undo the filters of PNG rows; False where a filter is not known (W3C PNG, 9.2)."""
    for y in range(out.shape[0]):
        kind = data[y * (stride + 1)]
        if kind > 4:
            return False
        for x in range(stride):
            raw = np.int32(data[y * (stride + 1) + 1 + x])
            a = np.int32(out[y, x - step]) if x >= step else np.int32(0)
            b = np.int32(out[y - 1, x]) if y > 0 else np.int32(0)
            c = np.int32(out[y - 1, x - step]) if y > 0 and x >= step else np.int32(0)
            if kind == 0:
                add = np.int32(0)
            elif kind == 1:
                add = a
            elif kind == 2:
                add = b
            elif kind == 3:
                add = (a + b) >> 1
            else:
                p = a + b - c
                pa, pb, pc = abs(p - a), abs(p - b), abs(p - c)
                add = a if pa <= pb and pa <= pc else (b if pb <= pc else c)
            out[y, x] = np.uint8((raw + add) & 255)
    return True


#: What libraries raise for files that are broken or meant to break them.
FAULTS = (
    UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError, MemoryError, RuntimeError, TypeError,
    IndexError, KeyError,
    struct.error, zlib.error, ZeroDivisionError, OverflowError,
)  # fmt: skip


def _png16(path: Path) -> np.ndarray | None:
    """(h, w, c) uint16 of a 16-bit PNG with more than one component, which Pillow reads with 8 bits; None for all
    others.
    """
    data = path.read_bytes()
    width, height, depth, colour, _, _, interlaced = struct.unpack(">IIBBBBB", data[16:29])
    count = {2: 3, 4: 2, 6: 4}.get(colour)
    if depth != 16 or count is None or interlaced:
        return None
    at, packed = 8, []
    while at + 8 <= len(data):
        size, kind = struct.unpack(">I4s", data[at : at + 8])
        if kind == b"IDAT":
            packed.append(data[at + 8 : at + 8 + size])
        if kind == b"IEND":
            break
        at += 12 + size
    stride = width * count * 2
    wanted = height * (stride + 1)
    rows = zlib.decompressobj().decompress(b"".join(packed), wanted)
    if len(rows) < wanted:
        raise ValueError("broken off")
    out = np.empty((height, stride), np.uint8)
    if not _unfilter(np.frombuffer(rows, np.uint8), stride, count * 2, out):
        raise ValueError("unknown filter")
    return out.view(">u2").reshape(height, width, count).astype(np.uint16)


def _exr(path: Path, name: str) -> ReadPicture:
    import OpenEXR

    notes: list[str] = []
    with OpenEXR.File(str(path), header_only=True) as head:
        (x0, y0), (x1, y1) = head.header()["dataWindow"]
        _fits(int(x1) - int(x0) + 1, int(y1) - int(y0) + 1, name)
        numbers = (int(x1) - int(x0) + 1) * (int(y1) - int(y0) + 1) * max(1, len(head.header().get("channels", [])))
        _holds(numbers, path, name, 4000)
        if numbers > MOST_PIXELS * 4:
            raise InputError("it holds too many channels", where=name, remedy="Save only those that are used")
    with OpenEXR.File(str(path), separate_channels=True) as file:
        held = {str(k): np.asarray(c.pixels, np.float32) for k, c in file.channels().items()}
    whole: list[str] = [n for n in ("R", "G", "B") if n in held]
    if len(whole) == 3:
        names = ["R", "G", "B"] + (["A"] if "A" in held else [])
    elif whole:
        names = whole[:1]
        notes.append(f"of red, green and blue it holds only {' and '.join(whole)}; {whole[0]} is read as grey")
    elif held:
        names = ["Y"] if "Y" in held else sorted(held)[:1]
    else:
        raise InputError("there is no channel in it", where=name, remedy="Save it again with its channels")
    shapes = {held[n].shape for n in names}
    if len(shapes) > 1:
        raise InputError("its channels differ in size", where=name, remedy="Save them all at full size")
    return ReadPicture(_finite(np.stack([held[n] for n in names], axis=2), notes), tuple(notes), "EXR", 1.0)
