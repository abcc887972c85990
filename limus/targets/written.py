"""A file of a delivery, and names that every file system takes."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from functools import cached_property
from pathlib import Path
from typing import BinaryIO

from limus.formats.files import bytes_of, checksum_of, copy_into, move_whole, write_whole
from limus.surface.mesh import distinct


class Written:
    """One file of a delivery, in memory."""

    def __init__(self, name: str, data: bytes) -> None:
        self.name, self._data = name, data

    @property
    def data(self) -> bytes:
        """What is in it."""
        return self._data

    @property
    def size(self) -> int:
        """Bytes."""
        return len(self._data)

    @property
    def checksum(self) -> str:
        """SHA-256 of it, in hexadecimal."""
        return hashlib.sha256(self._data).hexdigest()

    def into(self, out: BinaryIO) -> None:
        """Copy it into a stream."""
        out.write(self._data)

    def to(self, path: Path) -> None:
        """Put it at ``path``, whole or not at all."""
        write_whole(path, self._data)


class OnDisk(Written):
    """One that lies in a file of its own until it is taken."""

    def __init__(self, name: str, path: Path) -> None:
        super().__init__(name, b"")
        self.path = path

    @cached_property
    def checksum(self) -> str:  # type: ignore[override]
        """See ``Written``."""
        return checksum_of(self.path)

    @property
    def data(self) -> bytes:
        """All of it, read."""
        return bytes_of(self.path)

    @property
    def size(self) -> int:
        """Bytes."""
        return self.path.stat().st_size

    def into(self, out: BinaryIO) -> None:
        """See ``Written``."""
        copy_into(self.path, out)

    def to(self, path: Path) -> None:
        """See ``Written``; it is gone from where it lay."""
        move_whole(self.path, path)


def file_stem(name: str, otherwise: str = "object") -> str:
    """A name that every file system takes; ``otherwise`` where nothing of it is left."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower()[:100].rstrip("-") or otherwise


def map_set_stems(names: Iterable[str]) -> tuple[str, ...]:
    """A file name for each map set, no two alike, the same at every export."""
    return distinct((file_stem(name, "map-set") for name in names), "-")
