"""A base as a file of its own: the entry of a scene, in JSON, with the names of its maps relative to it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from pydantic import ValidationError

from limus.bases.choice import BaseChoice
from limus.common.errors import InputError
from limus.common.refusal import first_refusal, refuse_odd_text
from limus.formats.files import write_whole
from limus.formats.json_read import read_json


def with_files(base: BaseChoice, renamed: Callable[[str], str]) -> BaseChoice:
    """The base with other names for its files."""
    out = base.model_copy(deep=True)
    for use in getattr(out.material, "maps", []):
        use.file = renamed(use.file)
    return out


def read_base(path: Path, beside: Path) -> BaseChoice:
    """A base from a file, its maps named relative to the folder ``beside``.

    Raises
    ------
    InputError : unreadable, or not a base; with the path of the field.
    """
    document = read_json(path)
    if not isinstance(document, dict):
        raise InputError(
            "it holds no base", where=path.name, remedy="Use a file that 'limus base ... --out x.json' wrote"
        )
    refuse_odd_text(document, path.name)
    try:
        base = BaseChoice.model_validate(document)
    except ValidationError as error:
        raise first_refusal(error).error(path.name) from error
    folder = path.resolve().parent
    return with_files(base, lambda name: Path(os.path.relpath(folder / name, beside.resolve())).as_posix())


def write_base(path: Path, base: BaseChoice) -> None:
    """Write a base whose maps are named by paths from where we are."""
    there = path.resolve().parent
    out = with_files(base, lambda name: Path(os.path.relpath(Path(name).resolve(), there)).as_posix())
    write_whole(path, (out.model_dump_json(indent=2, exclude_defaults=False) + "\n").encode())
