"""Whether a command that was made on an older document still means the same on a newer one."""

from __future__ import annotations

from typing import Any

from limus.commands.address import resolved, value_at
from limus.commands.command import Command
from limus.common.errors import InputError


def still_meant(command: Command, before: Any, now: Any) -> None:
    """What has an id is found by it wherever it stands; what is called by its number must stand among the same
    entries as before.

    Raises
    ------
    InputError : a list in which the command counts was changed meanwhile; by hand it is quickly made anew, in the
        wrong place it would do harm.
    """
    for address in command.lists():
        old, new = _shape(before, address), _shape(now, address)
        if old is not None and old != new:
            raise InputError(
                "was changed in another way meanwhile",
                where=address,
                remedy="Make the edit by hand on the scene as it is now",
            )


def _shape(document: Any, address: str) -> list[str] | None:
    """What stands in a list, as far as it tells its entries apart: kinds, names, ids. None where there is no such
    list.
    """
    try:
        found = value_at(document, resolved(document, address))
    except InputError:
        return None
    if not isinstance(found, list):
        return None
    return [_mark(entry) for entry in found]


def _mark(entry: Any) -> str:
    if not isinstance(entry, dict):
        return ""
    inner: dict[str, Any] = next((entry[key] for key in ("source", "material") if isinstance(entry.get(key), dict)), {})
    return f"{entry.get('id', '')} {entry.get('name', '')} {entry.get('file', '')} {inner.get('kind', '')}"
