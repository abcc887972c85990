"""The store room as a small service: what there is, page by page, what each looks like, and what people put in
themselves.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from pydantic import ValidationError

from limus.bases.choice import BaseChoice, from_stock
from limus.bases.store_room import STOCK, searched
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.named_files import named_files
from limus.common.refusal import first_refusal, refuse_odd_text
from limus.materials.substance import FAMILIES
from limus.review.sample import sample_picture
from server.projects.data_files import files_in, find, is_exact
from server.projects.kept_pictures import code_time, kept_picture
from server.projects.models import Favourite, OwnBase, Project, SourceFile, note_uses

#: Pixels of a sample's picture.
SAMPLE = (236, 188)
#: Most bases that one person may put in.
MOST_OWN = 500


@dataclass(frozen=True)
class Shelved:
    """One base as the store room shows it. ``name`` is what it is asked for by: own ones begin with "own:" and a
    number.
    """

    name: str
    title: str
    about: str
    family: str
    own: bool
    favourite: bool


class StoreRoomDown(Exception):
    """The catalogue does not answer (only in the failing mode, which tests and demonstrations of it switch on)."""


def _as_set() -> None:
    """``LIMUS_STORE_ROOM``: "slow" waits before each answer, "failing" gives none."""
    if settings.STORE_ROOM == "slow":
        time.sleep(2.0)
    if settings.STORE_ROOM == "failing":
        raise StoreRoomDown


def shelves(
    owner: AbstractBaseUser, text: str = "", family: str = "", *, own: bool = False, favourites: bool = False
) -> list[Shelved]:
    """What fits the search: own bases first, then those of the program."""
    _as_set()
    liked = set(Favourite.objects.filter(owner_id=owner.pk).values_list("name", flat=True))
    words = text.lower().split()
    out = []
    for row in OwnBase.objects.filter(owner_id=owner.pk):
        its = _family_of(row.document)
        if all(w in f"{row.name} {FAMILIES.get(its, '')}".lower() for w in words) and (not family or its == family):
            name = f"own:{row.pk}"
            out.append(Shelved(name, row.name, "Put in by you", its, True, name in liked))
    if not own:
        out += [
            Shelved(s.name, s.name.capitalize(), s.about, s.family, False, s.name in liked)
            for s in searched(text, family)
        ]
    return [s for s in out if s.favourite] if favourites else out


def _family_of(document: dict[str, Any]) -> str:
    try:
        return BaseChoice.model_validate(document).substance.family
    except ValidationError:
        return ""


def _own(owner: AbstractBaseUser, name: str) -> OwnBase:
    number = name.removeprefix("own:")
    row = OwnBase.objects.filter(
        owner_id=owner.pk, pk=int(number) if number.isdigit() and len(number) < 12 else 0
    ).first()
    if row is None:
        raise InputError(f"there is no base '{name[:60]}' in the store room", where="name", remedy="Choose another")
    return row


def entry(owner: AbstractBaseUser, name: str) -> BaseChoice:
    """The entry of a scene for a base of the store room.

    Raises
    ------
    InputError : there is none of that name, or it is from a later version of the program.
    """
    if name.startswith("own:"):
        try:
            return BaseChoice.model_validate(_own(owner, name).document)
        except ValidationError as error:
            problem = first_refusal(error).problem
            raise InputError(
                f"it cannot be read any more: {problem}", where=name, remedy="Remove it and put it in again"
            ) from error
    if name not in STOCK:
        raise InputError(f"there is no base '{name[:60]}' in the store room", where="name", remedy="Choose another")
    return from_stock(name)


def taken(owner: AbstractBaseUser, name: str, project: Project) -> BaseChoice:
    """The entry, with its files made those of ``project`` too."""
    choice = entry(owner, name)
    theirs = SourceFile.objects.filter(project__owner_id=owner.pk)
    for file in filter(is_exact, dict.fromkeys(named_files(choice).values())):
        # What is left out was not asked about in earlier versions when a base was put in.
        if file not in choice.files and not theirs.filter(path=file).exists():
            continue
        SourceFile.objects.get_or_create(project=project, path=file, defaults={"name": file.rsplit("/", 1)[-1]})
    # Whoever chooses a base wants to see it, not the maps that the object came with.
    return choice.model_copy(update={"file_maps": False})


def picture_of(owner: AbstractBaseUser, name: str) -> bytes:
    """PNG of a sample, made once and kept on disk."""
    _as_set()
    choice = entry(owner, name)
    shown = STOCK[name].shown_mm if name in STOCK else choice.placing.size_cm * 12.0
    key = key_of("sample 1", choice.model_dump(), shown, SAMPLE, [code_time(type(choice.material))])
    return kept_picture("samples", key, lambda: sample_picture(choice, shown, SAMPLE, files=find))


def put_in(owner: AbstractBaseUser, name: str, document: dict[str, Any], project: Project) -> OwnBase:
    """Put a base in, under a name of its own.

    Raises
    ------
    InputError : not a base; files that are not the project's; the name is taken; too many.
    """
    refuse_odd_text({"name": name, **document}, "base")
    try:
        choice = BaseChoice.model_validate({**document, "name": name, "parts": None, "where": None})
    except ValidationError as error:
        raise first_refusal(error).error("base") from error
    mine = set(project.files.values_list("path", flat=True))
    # Those that are left out as well: what is put in vouches for its files wherever it is taken.
    for field, file in named_files(choice).items():
        if file not in mine:
            raise InputError(
                f"'{file[:120]}' is not a file of this project", where=f"base: {field}", remedy="Bring it in first"
            )
    if name.lower() in STOCK or OwnBase.objects.filter(owner_id=owner.pk, name=name).exists():
        raise InputError(f"there is a base called '{name}' already", where="name", remedy="Choose another name")
    if OwnBase.objects.filter(owner_id=owner.pk).count() >= MOST_OWN:
        raise InputError(
            f"{MOST_OWN} bases of your own are all there is room for", where="store room", remedy="Remove some first"
        )
    with transaction.atomic():
        row = OwnBase.objects.create(owner_id=owner.pk, name=name, document=choice.model_dump(mode="json"))
        note_uses(files_in(row.document), base=row)
    return row


def take_out(owner: AbstractBaseUser, name: str) -> None:
    """Remove a base of one's own; scenes that use it keep it."""
    row = _own(owner, name)
    Favourite.objects.filter(owner_id=owner.pk, name=name).delete()
    row.delete()


def like(owner: AbstractBaseUser, name: str, on: bool) -> None:
    """Keep a base at hand, or not any more."""
    entry(owner, name)
    if on:
        Favourite.objects.get_or_create(owner_id=owner.pk, name=name)
    else:
        Favourite.objects.filter(owner_id=owner.pk, name=name).delete()
