"""Reading a JSON document."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from limus.common.errors import InputError
from limus.formats.files import need_regular


def _no_constant(word: str) -> Any:
    raise ValueError(f"{word} is not a number")


def read_json(path: Path, name: str = "", *, largest: int = 64 << 20) -> Any:
    """The parsed document; a byte order mark before it is passed over.

    Raises
    ------
    InputError : missing, more than ``largest`` bytes, not text, or not JSON (NaN and infinity are not JSON).
    """
    name = name or path.name
    need_regular(path, name)
    try:
        if path.stat().st_size > largest:
            raise InputError(f"it has more than {largest >> 20} MB", where=name, remedy="Divide it into smaller ones")
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise InputError(
            f"it cannot be read ({error.strerror})", where=name, remedy="Restore the file, or take it out of the scene"
        ) from error
    except UnicodeDecodeError as error:
        raise InputError("it is not text", where=name, remedy="Restore the file") from error
    try:
        return json.loads(text, parse_constant=_no_constant)
    except (ValueError, RecursionError) as error:
        raise InputError(
            f"it is not JSON ({error})", where=name, remedy="Restore the file, or correct it by hand"
        ) from error
