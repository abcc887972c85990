"""An answer with its pictures as one run of bytes, so that a step of a drag is one request.

``limus answer 1\\n``, the length of the head (4 bytes, little-endian), the head as JSON, filled up to a multiple of 8
bytes, then the pictures in the order of the head's ``pictures`` ({name, media, size}), each filled up to a multiple of
8 so that numbers in them can be read in place.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Collection, Iterator, Mapping

from pydantic import BaseModel

from limus.looks.answer import Answer
from limus.looks.answering import Answered
from limus.looks.gallery import Blob

MAGIC = b"limus answer 1\n"
_ALIGN = 8


def _filled(data: bytes) -> bytes:
    return data + b"\0" * (-len(data) % _ALIGN)


def packed(answered: Answered, has: Collection[str] = ()) -> bytes:
    """The bytes; pictures whose names are in ``has`` are left out."""
    return run_of(answered.answer, answered.pictures, has)


def run_of(answer: BaseModel, pictures: Mapping[str, Blob], has: Collection[str] = ()) -> bytes:
    """The same of any answer."""
    sent = [blob for name, blob in pictures.items() if name not in has]
    head = json.dumps(
        {
            "answer": answer.model_dump(mode="json"),
            "pictures": [{"name": blob.name, "media": blob.media, "size": len(blob.data)} for blob in sent],
        },
        allow_nan=False,
    ).encode()
    start = _filled(MAGIC + struct.pack("<I", len(head)) + head)
    return b"".join((start, *(_filled(blob.data) for blob in sent)))


def unpacked(data: bytes) -> Answered:
    """The answer and the pictures that came with it.

    Raises
    ------
    ValueError : these bytes are no packed answer, or fewer than it says.
    """
    if not data.startswith(MAGIC) or len(data) < len(MAGIC) + 4:
        raise ValueError("no packed answer")
    (size,) = struct.unpack_from("<I", data, len(MAGIC))
    at = len(MAGIC) + 4
    head = json.loads(data[at : at + size])
    pictures = {blob.name: blob for blob in _blobs(data, head["pictures"], at + size)}
    return Answered(Answer.model_validate(head["answer"]), pictures)


def _blobs(data: bytes, entries: list[dict[str, str]], at: int) -> Iterator[Blob]:
    for entry in entries:
        at += -at % _ALIGN
        end = at + int(entry["size"])
        if end > len(data):
            raise ValueError("the packed answer breaks off")
        blob = Blob.of(data[at:end], entry["media"])
        if blob.name != entry["name"]:
            raise ValueError("a picture of the packed answer is damaged")
        yield blob
        at = end
