"""Newer pictures that a program brings for those that objects name."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress

import numpy as np
from django.db import transaction

from limus.common.errors import InputError
from limus.formats.picture_read import read_picture
from server.projects import storage
from server.projects.data_files import files_in, find
from server.projects.drawn import keep_picture
from server.projects.models import OfferedPicture, Project, SourceFile

#: Pixels along the longer side at which two pictures are compared.
_LOOKED_AT = 256


def offer_picture(project: Project, name: str, pieces: Iterable[bytes]) -> list[OfferedPicture]:
    """Keep a picture, and offer it to every object of the project that names one of that name and another content. It
    takes the place of one that was offered before and that nobody took.

    Raises
    ------
    InputError : as ``keep_picture``.
    """
    row = keep_picture(project, name, pieces)
    out = []
    for item in project.items.order_by("pk"):
        for path in sorted(files_in(item.document)):
            if path.startswith("pictures/") and path.rsplit("/", 1)[-1] == row.name and path != row.path:
                leave(OfferedPicture.objects.filter(object=item, was=path).exclude(file=row))
                made, _ = OfferedPicture.objects.get_or_create(
                    object=item, was=path, defaults={"file": row, "note": difference(path, row.path)}
                )
                out.append(made)
    if not out:
        _unless_used(row)
    return out


def leave(offers: Iterable[OfferedPicture]) -> None:
    """Do not take them: the picture goes where nothing uses it."""
    for offer in list(offers):
        row = offer.file
        offer.delete()
        _unless_used(row)


def _unless_used(row: SourceFile) -> None:
    if not OfferedPicture.objects.filter(file=row).exists():
        # Whoever uses it keeps it.
        with suppress(InputError), transaction.atomic():
            storage.remove_picture(row)


def offered_now(object_id: int, document: object) -> list[OfferedPicture]:
    """What is offered to an object and not taken yet, the newest first."""
    named = files_in(document)
    return [
        one for one in OfferedPicture.objects.filter(object_id=object_id).select_related("file") if one.was in named
    ]


def difference(was: str, now: str) -> str:
    """What is different between two pictures, in words."""
    try:
        before, after = (read_picture(find(path), path.rsplit("/", 1)[-1]) for path in (was, now))
    except InputError as error:
        # The one that it takes the place of may be gone.
        return error.line
    (h, w), (high, wide) = before.pixels.shape[:2], after.pixels.shape[:2]
    size = f"{wide} x {high} as before" if (h, w) == (high, wide) else f"{wide} x {high}, before {w} x {h}"
    one, two = (_small(picture.pixels.astype(np.float32) / picture.full) for picture in (before, after))
    if one.shape != two.shape:
        return f"{size}; another shape or other components"
    off = np.abs(one - two).max(axis=2)
    return f"{size}; {float((off > 2 / 255).mean()):.0%} of it looks different"


def _small(pixels: np.ndarray) -> np.ndarray:
    """(h, w, c) of a picture at about ``_LOOKED_AT`` pixels, each in place of those around it."""
    h, w = pixels.shape[:2]
    side = min(_LOOKED_AT, h, w)
    rows, columns = (np.arange(side) * length // side + length // (2 * side) for length in (h, w))
    return np.asarray(pixels[rows][:, columns].reshape(side, side, -1))
