"""What an object looked like when it was last at rest, kept on disk, so that it is there at once when it is opened again.

One file for each object, among what can be made again: within its budget, and swept like it.
"""

from __future__ import annotations

import json
import logging
import re
import struct
import threading
from contextlib import suppress
from typing import Any

from django.db import connection
from isal import isal_zlib

from limus.formats.files import write_whole
from limus.readings.kept import cache_folder
from server.projects import storage
from server.projects.map_store import Pictures
from server.projects.models import WorkObject

log = logging.getLogger(__name__)
#: Seconds that an object must be at rest before its picture is written.
REST = 3.0
_HASH = re.compile(r"[0-9a-f]{32}")
_MAGIC = b"limus view 1\n"
_timers: dict[int, threading.Timer] = {}
_lock = threading.Lock()


def _name(pk: int) -> str:
    return f"view-{pk}.bin"


def _hashes(value: Any) -> list[str]:
    """Names of pictures anywhere in an answer."""
    out: list[str] = []
    stack = [value]
    while stack:
        one = stack.pop()
        if isinstance(one, str) and _HASH.fullmatch(one):
            out.append(one)
        elif isinstance(one, dict):
            stack.extend(one.values())
        elif isinstance(one, list):
            stack.extend(one)
    return list(dict.fromkeys(out))


def keep_soon(item: WorkObject, version: int, answer: dict[str, Any]) -> None:
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


def keep(item: WorkObject, version: int, answer: dict[str, Any]) -> bool:
    """Write it now; False where a picture of it is gone already."""
    pictures = Pictures(item.project.owner_id)
    blobs: list[bytes] = []
    about = []
    for name in _hashes(answer):
        found = pictures.get(name)
        if found is None:
            # Something that only looks like the name of a picture, or one that was let go: maps must all be there.
            if name in _hashes(answer.get("maps")):
                return False
            continue
        packed = isal_zlib.compress(found[0], 1)
        about.append({"name": name, "media": found[1], "size": len(packed)})
        blobs.append(packed)
    head = json.dumps({"version": version, "answer": answer, "pictures": about}, allow_nan=False).encode()
    write_whole(cache_folder() / _name(item.pk), _MAGIC + struct.pack("<I", len(head)) + head + b"".join(blobs))
    storage.note_kept(item.pk, [_name(item.pk)], whole=False)
    return True


def last_view(item: WorkObject) -> dict[str, Any] | None:
    """The answer that was kept for the version shown now, its pictures to be fetched like any; None where there is none."""
    path = cache_folder() / _name(item.pk)
    try:
        with path.open("rb") as file:
            if file.read(len(_MAGIC)) != _MAGIC:
                return None
            (size,) = struct.unpack("<I", file.read(4))
            head = json.loads(file.read(size))
            if head["version"] != item.head_id:
                return None
            pictures = Pictures(item.project.owner_id)
            for entry in head["pictures"]:
                data = isal_zlib.decompress(file.read(entry["size"]))
                if pictures.put(data, entry["media"]) != entry["name"]:
                    return None
    except (OSError, ValueError, KeyError, TypeError, struct.error, isal_zlib.error):
        return None
    with suppress(Exception):
        storage.note_kept(item.pk, [_name(item.pk)], whole=False)
    answer: dict[str, Any] = head["answer"]
    return answer
