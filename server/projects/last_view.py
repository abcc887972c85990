"""What an object looked like when it was last at rest, kept on disk, so that it is there at once when it is opened
again.

One file for each object, among what can be made again: within its budget, and swept like it.
"""

from __future__ import annotations

import logging
import struct
import threading
from contextlib import suppress

from django.db import connection
from isal import isal_zlib

from limus.formats.files import write_whole
from limus.looks.answering import Answered
from limus.looks.packed import packed, unpacked
from limus.readings.kept import cache_folder
from server.projects import storage
from server.projects.models import WorkObject

log = logging.getLogger(__name__)
#: Seconds that an object must be at rest before its picture is written.
REST = 3.0
_MAGIC = b"limus view 2\n"
_timers: dict[int, threading.Timer] = {}
_lock = threading.Lock()


def _name(pk: int) -> str:
    return f"view-{pk}.bin"


def keep_soon(item: WorkObject, version: int, answer: Answered) -> None:
    """Write an answer and its pictures once nothing newer came for a while."""

    def write() -> None:
        with _lock:
            if _timers.get(item.pk) is timer:
                del _timers[item.pk]
        try:
            keep(item, version, answer)
        except Exception:
            # Only a convenience: without it the object is drawn anew.
            log.warning("the picture of an object at rest was not kept", exc_info=True)
        finally:
            connection.close()

    timer = threading.Timer(REST, write)
    timer.daemon = True
    with _lock:
        before = _timers.pop(item.pk, None)
        _timers[item.pk] = timer
    if before is not None:
        before.cancel()
    timer.start()


def keep(item: WorkObject, version: int, answer: Answered) -> None:
    """Write it now."""
    whole = isal_zlib.compress(packed(answer), 1)
    write_whole(cache_folder() / _name(item.pk), _MAGIC + struct.pack("<Q", version) + whole)
    storage.note_kept(item.pk, [_name(item.pk)], whole=False)


def last_view(item: WorkObject) -> Answered | None:
    """The answer that was kept for the version shown now, with its pictures; None where there is none."""
    path = cache_folder() / _name(item.pk)
    try:
        with path.open("rb") as file:
            if file.read(len(_MAGIC)) != _MAGIC:
                return None
            (version,) = struct.unpack("<Q", file.read(8))
            if version != item.head_id:
                return None
            found = unpacked(isal_zlib.decompress(file.read()))
    except (OSError, ValueError, KeyError, TypeError, struct.error, isal_zlib.error):
        return None
    with suppress(Exception):
        storage.note_kept(item.pk, [_name(item.pk)], whole=False)
    return found
