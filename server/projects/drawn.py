"""What is made by hand and brought for places: strokes and pictures, as files that never change."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.conf import settings

from limus.common.errors import InputError
from limus.formats.bundle import unpack_pictures
from limus.formats.files import write_whole
from limus.formats.picture_read import PICTURES, check_picture
from limus.masks.hand.stroke import stroke_from
from server.projects import storage
from server.projects.data_files import find
from server.projects.intake import PART, clean_name
from server.projects.models import Project, SourceFile

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
    storage.need_room(project.owner, len(data), "stroke")
    if not find(path).exists():
        write_whole(find(path), data)
    SourceFile.objects.get_or_create(project=project, path=path, defaults={"name": "stroke", "size": len(data)})
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
            f"'{Path(name).suffix or name}' files are no pictures",
            where=name,
            remedy=f"Bring one of {', '.join(PICTURES)}",
        )
    folder = Path(settings.DATA_DIR) / "pictures"
    folder.mkdir(parents=True, exist_ok=True)
    digest = hashlib.blake2b(digest_size=16)
    handle, there = tempfile.mkstemp(dir=folder, suffix=PART)
    part = Path(there)
    size, room = 0, storage.room_for(project.owner)
    try:
        with os.fdopen(handle, "wb") as out:
            for piece in pieces:
                size += len(piece)
                if size > room:
                    storage.need_room(project.owner, size, name)
                if size > LARGEST_PICTURE:
                    raise InputError(
                        f"more than {LARGEST_PICTURE >> 20} MB", where=name, remedy="Make the picture smaller"
                    )
                digest.update(piece)
                out.write(piece)
        check_picture(part, name)
        path = f"pictures/{digest.hexdigest()}/{name}"
        find(path).parent.mkdir(parents=True, exist_ok=True)
        part.replace(find(path))
    finally:
        part.unlink(missing_ok=True)
    row, _ = SourceFile.objects.get_or_create(project=project, path=path, defaults={"name": name, "size": size})
    return row


def keep_map_files(project: Project, name: str, pieces: Iterable[bytes]) -> tuple[list[SourceFile], list[str]]:
    """Keep a texture file, or the pictures of a zip of them; the rows, and what of a zip was refused, in words.

    Raises
    ------
    InputError : as of ``keep_picture``; a zip that cannot be read, or without any picture that can.
    """
    if Path(name).suffix.lower() != ".zip":
        return [keep_picture(project, name, pieces)], []
    kept: list[SourceFile] = []
    refused: list[str] = []
    # Where the sweeper looks for what a killed upload left.
    uploads = Path(settings.DATA_DIR) / storage.UPLOADS
    uploads.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=uploads) as place:
        path = Path(place) / "set.zip"
        size = 0
        with path.open("wb") as out:
            for piece in pieces:
                size += len(piece)
                if size > settings.UPLOAD_LIMIT:
                    raise InputError(
                        f"more than {settings.UPLOAD_LIMIT >> 20} MB",
                        where=name,
                        remedy="Send the files without the zip, a few at a time",
                    )
                out.write(piece)
        for found in unpack_pictures(path, Path(place) / "in", clean_name(name)):
            try:
                with found.open("rb") as file:
                    kept.append(keep_picture(project, found.name, iter(lambda f=file: f.read(1 << 20), b"")))  # type: ignore[misc]
            except InputError as error:
                refused.append(str(error))
    if not kept:
        raise InputError(
            refused[0] if refused else "there is no picture in it",
            where=name,
            remedy="Bring the texture files themselves",
        )
    return kept, refused
