"""Zip files that hold an object with its textures."""

from __future__ import annotations

import errno
import lzma
import stat
import struct
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from limus.common.errors import InputError
from limus.formats.picture_read import PICTURES

#: Kinds of object files, the most telling first.
OBJECTS = (".glb", ".gltf", ".obj", ".ply", ".stl")


@dataclass(frozen=True)
class Limits:
    """What a zip may unpack to: bytes in all, files, and how many times its packed size."""

    size: int = 2 << 30
    files: int = 2000
    ratio: float = 60.0

    def fits(self, unpacked: int, packed: int) -> bool:
        """Whether so many bytes out of so many are believable; a few can always come out."""
        return unpacked <= self.size and (unpacked <= (32 << 20) or unpacked <= packed * self.ratio)


def unpack(path: Path, folder: Path, name: str, limits: Limits = Limits()) -> Path:
    """Unpack a zip into an empty ``folder`` and return the object file in it; see ``unpack_all``.

    Raises
    ------
    InputError : as of ``unpack_all``; no object in it, or more than one.
    """
    unpack_all(path, folder, name, limits)
    return object_in(folder, name)


def unpack_pictures(path: Path, folder: Path, name: str, limits: Limits = Limits(files=200)) -> list[Path]:
    """Unpack a zip into an empty ``folder`` and return the pictures in it, by name.

    Raises
    ------
    InputError : as of ``unpack_all``; no picture in it.
    """
    unpack_all(path, folder, name, limits)
    found = sorted(p for p in folder.rglob("*") if p.suffix.lower() in PICTURES and p.is_file())
    if not found:
        raise InputError(
            f"there is no picture in it ({', '.join(PICTURES)})", where=name, remedy="Add the texture files"
        )
    return found


def unpack_all(path: Path, folder: Path, name: str, limits: Limits) -> None:
    """Unpack a zip into an empty ``folder``.

    Names that lead out of the folder, links and encrypted entries are refused; what unpacks to far more than it is
    packed is refused before and while it is written (a header may lie).

    Raises
    ------
    InputError : not a zip, a bomb, bad names, too many files.
    """
    again = "Zip the object and its textures again, in one folder"
    try:
        with zipfile.ZipFile(path) as archive:
            entries = [e for e in archive.infolist() if not e.is_dir() and not e.filename.startswith("__MACOSX/")]
            total = sum(e.file_size for e in entries)
            packed = max(path.stat().st_size, 1)
            if len(entries) > limits.files:
                raise InputError(
                    f"{len(entries)} files are more than the limit {limits.files}", where=name, remedy=again
                )
            if not limits.fits(total, packed):
                raise InputError(
                    f"it would unpack {packed} bytes to {total}, more than is allowed",
                    where=name,
                    remedy="Send the files without the zip",
                )
            written = 0
            for entry in entries:
                inner = PurePosixPath(entry.filename.replace("\\", "/"))
                if (
                    not inner.parts
                    or any(len(piece.encode("utf-8", "replace")) > 200 for piece in inner.parts)
                    or len(inner.parts) > 40
                ):
                    raise InputError(
                        f"'{entry.filename[:80]}' is no name for a file, or too long a one", where=name, remedy=again
                    )
                if inner.is_absolute() or ".." in inner.parts or ":" in inner.parts[0] or "\0" in entry.filename:
                    raise InputError(
                        f"the name '{entry.filename[:80]}' leads out of its folder", where=name, remedy=again
                    )
                if stat.S_ISLNK(entry.external_attr >> 16):
                    raise InputError(f"'{entry.filename[:80]}' is a link, not a file", where=name, remedy=again)
                if entry.flag_bits & 1:
                    raise InputError(
                        f"'{entry.filename[:80]}' is encrypted", where=name, remedy="Zip it without a password"
                    )
                target = folder.joinpath(*inner.parts)
                target.parent.mkdir(parents=True, exist_ok=True)
                with archive.open(entry) as source, target.open("wb") as out:
                    while block := source.read(1 << 20):
                        written += len(block)
                        if not limits.fits(written, packed):
                            raise InputError(
                                "it unpacks to more than it says", where=name, remedy="Send the files without the zip"
                            )
                        out.write(block)
    except InputError:
        raise
    except (
        zipfile.BadZipFile,
        zlib.error,
        lzma.LZMAError,
        EOFError,
        NotImplementedError,
        RuntimeError,
        ValueError,
        struct.error,
        OSError,
    ) as error:
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise
        raise InputError(
            f"the zip cannot be read ({str(error)[:100]})", where=name, remedy="Zip the files again"
        ) from error


def object_in(folder: Path, name: str) -> Path:
    """The one object file in a folder: the most telling kind, nearest to the top.

    Raises
    ------
    InputError : none, or several of the same kind.
    """
    for suffix in OBJECTS:
        found = sorted(
            (p for p in folder.rglob("*") if p.suffix.lower() == suffix and p.is_file()),
            key=lambda p: (len(p.parts), p.name),
        )
        if not found:
            continue
        top = [p for p in found if len(p.parts) == len(found[0].parts)]
        if len(top) > 1:
            raise InputError(
                f"there are {len(top)} objects in it: {', '.join(p.name for p in top[:4])}",
                where=name,
                remedy="Bring them in one by one",
            )
        return top[0]
    raise InputError(f"there is no object in it ({', '.join(OBJECTS)})", where=name, remedy="Add the object file")
