"""Several files in one zip, the same bytes for the same files."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import BinaryIO

#: The same files make the same zip, whenever it is made.
_WHEN = (1980, 1, 1, 0, 0, 0)


def write_zip(files: Iterable[tuple[str, int, Callable[[BinaryIO], None]]], path: Path) -> None:
    """All of them in one zip, whole or not at all: names, bytes, and what copies each into a stream. They are taken
    one by one, and none is held in memory.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.part")
    try:
        # Pictures do not get smaller by packing them again.
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as out:
            for name, size, into in files:
                with out.open(zipfile.ZipInfo(name, _WHEN), "w", force_zip64=size >= 1 << 31) as entry:
                    into(entry)  # type: ignore[arg-type]
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
