"""An edit made once more, on a document that somebody else changed meanwhile."""

from __future__ import annotations

import json
from typing import Any

from limus.errors import InputError


def made_again(before: Any, after: Any, now: Any) -> Any:
    """``now`` with what changed from ``before`` to ``after``; everything the edit did not touch stays as it is.

    Layers, episodes and whatever else has an id is found by it, wherever it stands now.

    Raises
    ------
    InputError : what the edit changed is not there any more, or was changed in another way that cannot be put together.
    """
    return _put(before, after, now, "")


def _same(a: Any, b: Any) -> bool:
    return json.dumps(a, sort_keys=True) == json.dumps(b, sort_keys=True)


def _by_id(value: Any) -> dict[str, Any] | None:
    """A list of things with ids, by id."""
    if not isinstance(value, list) or not all(isinstance(x, dict) and isinstance(x.get("id"), str) for x in value):
        return None
    return {x["id"]: x for x in value}


def _put(before: Any, after: Any, now: Any, path: str) -> Any:
    if _same(before, after) or _same(after, now):
        return now
    if _same(before, now):
        return after
    if isinstance(before, dict) and isinstance(after, dict) and isinstance(now, dict):
        out = dict(now)
        for key in {**before, **after}:
            here = f"{path}.{key}" if path else str(key)
            if key in before and key in after:
                if not _same(before[key], after[key]):
                    if key not in now:
                        raise _gone(here)
                    out[key] = _put(before[key], after[key], now[key], here)
            elif key in after:
                out[key] = after[key]
            else:
                out.pop(key, None)
        return out
    old, new, there = _by_id(before), _by_id(after), _by_id(now)
    if old is not None and new is not None and there is not None:
        return _things(old, new, there, path)
    if isinstance(before, (dict, list)) or isinstance(now, (dict, list)):
        raise InputError(
            "was changed in another way meanwhile", where=path, remedy="Make the edit by hand on the scene as it is now"
        )
    # A plain value: who asks for it again wants it.
    return after


def _things(old: dict[str, Any], new: dict[str, Any], there: dict[str, Any], path: str) -> list[Any]:
    out = dict(there)
    for name, value in new.items():
        if name not in old:
            out[name] = value
        elif not _same(old[name], value):
            if name not in there:
                raise _gone(f"{path} '{value.get('name', name)}'")
            out[name] = _put(old[name], value, there[name], f"{path}[{name}]")
    for name in old.keys() - new.keys():
        out.pop(name, None)
    # The order of the edit where it moved or added something, with what came meanwhile behind what it stood behind.
    kept = [name for name in old if name in new]
    moved = kept != [name for name in new if name in old]
    order = [name for name in (new if moved else there) if name in out]
    source = list(there) if moved else list(new)
    for k, name in enumerate(source):
        if name in out and name not in order:
            before = next((x for x in reversed(source[:k]) if x in order), None)
            order.insert(order.index(before) + 1 if before is not None else 0, name)
    return [out[name] for name in order]


def _gone(path: str) -> InputError:
    return InputError("is not there any more", where=path, remedy="Make the edit by hand on the scene as it is now")
