"""Writing files whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import TextIO


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


def nowhere(stream: TextIO) -> None:
    """What is still to be written to a stream goes to no place."""
    nothing = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nothing, stream.fileno())
    os.close(nothing)
