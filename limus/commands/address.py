"""Addresses of fields in a document: ``layers[rust].where.terms[1].low``.

In brackets stands the number of an entry or its id. What has an id is better called by it: it stays right when
something is moved.
"""

from __future__ import annotations

import re
from typing import Any

from limus.common.errors import InputError

Step = str | int


class Id(str):
    """A step that stands in brackets: an entry is called by its id."""


#: A field name, or anything in brackets without a bracket in it.
_PIECE = re.compile(r"(?:^|\.)([A-Za-z_][A-Za-z0-9_ -]*)|\[([^\[\]]+)\]")
#: Steps that an address has at most.
MOST_STEPS = 24


def steps_of(address: str) -> list[Step]:
    """The address taken apart: field names and ids are texts, numbers of entries whole numbers.

    Raises
    ------
    InputError : it is no address.
    """
    out: list[Step] = []
    at = 0
    while at < len(address):
        found = _PIECE.match(address, at)
        if found is None or len(out) >= MOST_STEPS:
            raise InputError(
                "is no address of a field",
                where=address,
                remedy="Write it like layers[rust].effect.years or bases[0].relief",
            )
        inside = found[2]
        out.append(found[1] if inside is None else int(inside) if inside.isascii() and inside.isdigit() else Id(inside))
        at = found.end()
    if not out:
        raise InputError("is empty", where="path", remedy="Write it like layers[rust].effect.years")
    return out


def resolved(document: Any, address: str, *, new: bool = False) -> list[Step]:
    """The steps with every id replaced by the number of the entry, as it stands in this document.

    Parameters
    ----------
    new : the last step may name a key that is not there yet.

    Raises
    ------
    InputError : the address leads nowhere; with the piece where it ends.
    """
    steps = steps_of(address)
    out: list[Step] = []
    here = document
    for k, step in enumerate(steps):
        if isinstance(here, list):
            number = step if isinstance(step, int) else _number(here, step)
            if number is None or number >= len(here):
                raise _nowhere(address, steps[: k + 1])
            out.append(number)
            here = here[number]
        elif isinstance(here, dict) and (str(step) in here or (new and k == len(steps) - 1)):
            out.append(str(step))
            here = here.get(str(step))
        else:
            raise _nowhere(address, steps[: k + 1])
    return out


def value_at(document: Any, steps: list[Step]) -> Any:
    """What stands there; ``steps`` as ``resolved`` gives them."""
    for step in steps:
        document = document[step]
    return document


def _number(entries: list[Any], name: str) -> int | None:
    return next((k for k, entry in enumerate(entries) if isinstance(entry, dict) and entry.get("id") == name), None)


def written(steps: list[Step]) -> str:
    """Steps as an address."""
    out = ""
    for step in steps:
        if isinstance(step, (int, Id)):
            out += f"[{step}]"
        else:
            out += f".{step}" if out else step
    return out


def _nowhere(address: str, steps: list[Step]) -> InputError:
    return InputError(f"there is no '{written(steps)}'", where=address, remedy="Look at the document as it is now")
