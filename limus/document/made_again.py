"""An edit made once more, on a document that somebody else changed meanwhile."""

from __future__ import annotations

import json
from typing import Any

from limus.common.errors import InputError

#: Fields of a document that say an id.
NAMING = ("id", "layer", "episode", "layers_off", "episodes_off")


def made_again(before: Any, after: Any, now: Any) -> Any:
    """``now`` with what changed from ``before`` to ``after``; everything the edit did not touch stays as it is.

    Layers, episodes and whatever else has an id is found by it, wherever it stands now.

    Raises
    ------
    InputError : what the edit changed is not there any more, or was changed in another way that cannot be put together.
    """
    return _put(before, _told_apart(before, after, now), now, "")


def _told_apart(before: Any, after: Any, now: Any) -> Any:
    """``after`` with ids of its own for what both added under one: two windows that each add a layer call it the same."""
    if not all(isinstance(x, dict) for x in (before, after, now)):
        return after
    for key in after:
        old, new, there = (_by_id(x.get(key)) for x in (before, after, now))
        if old is None or new is None or there is None:
            continue
        taken = {*new, *there}
        for name in new.keys() & there.keys() - old.keys():
            if not _same(new[name], there[name]):
                own = next(f"{name}-{k}" for k in range(2, len(taken) + 3) if f"{name}-{k}" not in taken)
                taken.add(own)
                after = _renamed(after, name, own)
    return after


def _renamed(value: Any, name: str, own: str, named: bool = False) -> Any:
    """Everything that means the layer, episode or snapshot ``name``, or a piece of it, says ``own``; ``named``: a text here does."""
    if isinstance(value, dict):
        looks = ("what",) if value.get("kind") == "exposed" else ()
        return {key: _renamed(inner, name, own, key in NAMING or key in looks) for key, inner in value.items()}
    if isinstance(value, list):
        return [_renamed(inner, name, own, named) for inner in value]
    if named and isinstance(value, str) and (value == name or value.startswith(f"{name}/")):
        return own + value[len(name) :]
    return value


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
