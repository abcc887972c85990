"""Writing files whole or not at all."""

from __future__ import annotations

import hashlib
import os
import shutil
import stat
import tempfile
from pathlib import Path
from typing import BinaryIO, TextIO

from limus.common.errors import InputError


def need_regular(path: Path, name: str) -> None:
    """Refuse what is there and no plain file: reading a pipe or a device may never end. What is missing is for the
    reader to say.

    Raises
    ------
    InputError : a folder, a pipe, a socket or a device.
    """
    try:
        mode = path.stat().st_mode
    except (OSError, ValueError):
        return
    if stat.S_ISREG(mode):
        return
    what = next(
        (
            word
            for test, word in (
                (stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"),
                (stat.S_ISCHR, "a device"), (stat.S_ISBLK, "a device"),
            )
            if test(mode)
        ),
        "something else",
    )  # fmt: skip
    raise InputError(f"it is {what}, not a file", where=name, remedy="Name a plain file")


def bytes_of(path: Path) -> bytes:
    """What is in a plain file.

    Raises
    ------
    InputError : it is no plain file, or cannot be read.
    """
    need_regular(path, path.name)
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(
            f"the file cannot be read ({error.strerror})", where=path.name, remedy="Check the path"
        ) from error


def write_whole(path: Path, data: bytes) -> None:
    """Write ``data`` beside ``path`` and move it into place, so that a reader never meets half a file."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, beside = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        os.chmod(beside, 0o644)
        os.replace(beside, path)
    except BaseException:
        Path(beside).unlink(missing_ok=True)
        raise


def copy_into(path: Path, out: BinaryIO) -> None:
    """What is in a file into a stream, piece by piece."""
    with path.open("rb") as file:
        shutil.copyfileobj(file, out, 1 << 20)


def move_whole(path: Path, to: Path) -> None:
    """A file that is whole, made beside its place, into its place."""
    to.parent.mkdir(parents=True, exist_ok=True)
    path.chmod(0o644)
    path.replace(to)


def nowhere(stream: TextIO) -> None:
    """What is still to be written to a stream goes to no place."""
    nothing = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nothing, stream.fileno())
    os.close(nothing)


def checksum_of(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
