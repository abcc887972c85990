"""What is made by hand and brought for places: strokes and pictures, as files that never change."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.conf import settings

from limus.errors import InputError
from limus.formats.files import write_whole
from limus.formats.picture_read import PICTURES, read_picture
from limus.masks.stroke import stroke_from
from server.projects.intake import clean_name
from server.projects.models import Project, SourceFile
from server.projects.workshop import find

#: Bytes of the largest picture.
LARGEST_PICTURE = 128 << 20


def keep_stroke(project: Project, document: Any) -> str:
    """Check a stroke and write it to a file of the project; its name, as it goes into a scene.

    Raises
    ------
    InputError : not a stroke; too many dabs; a stamp that is not a file of this project.
    """
    stroke = stroke_from(document)
    if stroke.brush.picture and not SourceFile.objects.filter(project=project, path=stroke.brush.picture).exists():
        raise InputError(
            f"'{stroke.brush.picture[:120]}' is not a picture of this project",
            where="stroke: brush.picture",
            remedy="Bring it in first",
        )
    data = stroke.model_dump_json().encode()
    path = f"strokes/{hashlib.blake2b(data, digest_size=16).hexdigest()}.json"
    if not find(path).exists():
        write_whole(find(path), data)
    SourceFile.objects.get_or_create(project=project, path=path, defaults={"name": "stroke"})
    return path


def keep_picture(project: Project, name: str, pieces: Iterable[bytes]) -> SourceFile:
    """Write a picture to a file of the project as it comes, and see that it can be read.

    Raises
    ------
    InputError : not a picture that can be read, or too large; nothing is left behind.
    """
    name = clean_name(name)
    if Path(name).suffix.lower() not in PICTURES:
        raise InputError(
            f"'{Path(name).suffix or name}' files are no pictures", where=name, remedy=f"Bring one of {', '.join(PICTURES)}"
        )
    folder = Path(settings.DATA_DIR) / "pictures"
    folder.mkdir(parents=True, exist_ok=True)
    digest = hashlib.blake2b(digest_size=16)
    part = folder / f"{hashlib.blake2b(name.encode(), digest_size=8).hexdigest()}-{id(pieces)}.part"
    size = 0
    try:
        with part.open("wb") as out:
            for piece in pieces:
                size += len(piece)
                if size > LARGEST_PICTURE:
                    raise InputError(f"more than {LARGEST_PICTURE >> 20} MB", where=name, remedy="Make the picture smaller")
                digest.update(piece)
                out.write(piece)
        read_picture(part, name)
        path = f"pictures/{digest.hexdigest()}/{name}"
        find(path).parent.mkdir(parents=True, exist_ok=True)
        part.replace(find(path))
    finally:
        part.unlink(missing_ok=True)
    row, _ = SourceFile.objects.get_or_create(project=project, path=path, defaults={"name": name})
    return row
