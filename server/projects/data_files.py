"""Files of the data folder by the names that documents give them. Whatever a document says, nothing outside its own
kind of folder is found.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from django.conf import settings

from limus.common.errors import InputError
from limus.common.named_files import file_fields, named_in
from limus.document.scene import Scene
from limus.masks.hand.stroke import Stroke

#: An object with what belongs to it, a picture, a stroke: kind, digest of the content, name.
_FORM = re.compile(r"(?:(?:objects|pictures)/[0-9a-f]{32}/[^/\\\0]+(?:/[^/\\\0]+)*|strokes/[0-9a-f]{32}\.json)")
#: What came in and was not accepted yet: number of the intake, name.
_RECEIVED = re.compile(r"intakes/[0-9]+/[^/\\\0]+(?:/[^/\\\0]+)*")
#: Fields of scenes, bases and strokes that name files.
_FIELDS = file_fields(Scene) | file_fields(Stroke)


def is_exact(name: str) -> bool:
    """Whether a name has the form that this server gives to files: nothing in it leads up, or to no place."""
    return bool(_FORM.fullmatch(name)) and not {".", ".."} & set(name.split("/"))


def files_in(document: Any, field: str = "") -> set[str]:
    """Files of the data folder that a plain document names, or a piece of one that stands in ``field``; of any
    version of the program.
    """
    return {name for name in named_in(document, _FIELDS, field=field) if is_exact(name)}


def find(name: str) -> Path:
    """The place of a file that a scene names.

    Raises
    ------
    InputError : the name has another form, or a link leads elsewhere.
    """
    if not is_exact(name):
        raise _no_file(name)
    return _inside(name)


def find_received(name: str) -> Path:
    """The place of a file of an intake, or of one that a scene names.

    Raises
    ------
    InputError : as of ``find``.
    """
    if _RECEIVED.fullmatch(name) and not {".", ".."} & set(name.split("/")):
        return _inside(name)
    return find(name)


def _inside(name: str) -> Path:
    root = Path(settings.DATA_DIR).resolve()
    # Equal, not only within: a link to another file of the folder would be a way to somebody else's things.
    if (root / name).resolve() != root / name:
        raise _no_file(name)
    return root / name


def _no_file(name: str) -> InputError:
    return InputError(f"'{name[:120]}' is no file of this server", where="file", remedy="Bring the file in first")
