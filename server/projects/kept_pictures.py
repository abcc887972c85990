"""Pictures that are made once, when somebody first looks at them, and kept on disk: samples, pages of the guide."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from pathlib import Path

import numpy as np
from django.conf import settings

from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from server.projects.gate import gate


def code_time(what: type) -> float:
    """When the code of something was changed last: part of the key of its pictures, so that they follow it."""
    return Path(inspect.getfile(what)).stat().st_mtime


def kept_picture(folder: str, key: str, make: Callable[[], np.ndarray]) -> bytes:
    """PNG of what ``make`` gives, (h, w, 3) uint8; ``key`` a hash of all it hangs on."""
    path = Path(settings.DATA_DIR) / folder / f"{key}.png"
    try:
        return path.read_bytes()
    except OSError:
        pass
    # Nobody waits for it as for an answer to an edit.
    with gate.turn(4096, lambda: False):
        data = png_bytes(make())
    write_whole(path, data)
    return data
