"""What changed from one document to the next, and back: a version costs its difference, not its whole.

A difference is a list of steps. ``["set", path, value]`` puts a value in place, ``["drop", path]`` takes a key out,
``["splice", path, start, count, [values]]`` exchanges a stretch of a list. Paths are lists of keys and numbers.
"""

from __future__ import annotations

import json
from typing import Any

Step = list[Any]


def difference(old: Any, new: Any) -> tuple[list[Step], list[Step]]:
    """Steps from ``old`` to ``new``, and steps back."""
    there: list[Step] = []
    back: list[Step] = []
    _compare(old, new, [], there, back)
    back.reverse()
    return there, back


def _compare(old: Any, new: Any, path: list[Any], there: list[Step], back: list[Step]) -> None:
    if not isinstance(old, (dict, list)) and _same(old, new):
        return
    if isinstance(old, dict) and isinstance(new, dict):
        for key in old.keys() - new.keys():
            there.append(["drop", [*path, key]])
            back.append(["set", [*path, key], old[key]])
        for key, value in new.items():
            if key in old:
                _compare(old[key], value, [*path, key], there, back)
            else:
                there.append(["set", [*path, key], value])
                back.append(["drop", [*path, key]])
        return
    if isinstance(old, list) and isinstance(new, list):
        if len(old) == len(new) and all(isinstance(x, (dict, list)) for x in old):
            for k, (a, b) in enumerate(zip(old, new, strict=True)):
                _compare(a, b, [*path, k], there, back)
            return
        start = 0
        while start < min(len(old), len(new)) and _same(old[start], new[start]):
            start += 1
        end = 0
        while end < min(len(old), len(new)) - start and _same(old[-1 - end], new[-1 - end]):
            end += 1
        if start == len(old) == len(new):
            return
        gone, come = old[start : len(old) - end], new[start : len(new) - end]
        there.append(["splice", path, start, len(gone), come])
        back.append(["splice", path, start, len(come), gone])
        return
    there.append(["set", path, new])
    back.append(["set", path, old])


def _same(a: Any, b: Any) -> bool:
    """Alike as JSON: 1, 1.0 and true are three values."""
    if type(a) is not type(b):
        return False
    return json.dumps(a) == json.dumps(b) if isinstance(a, (dict, list)) else bool(a == b)


def applied(document: Any, steps: list[Step]) -> Any:
    """The document after the steps; the one given stays as it is. What no step touches is shared between the two, so
    neither is written to.
    """
    out = document
    own: set[int] = set()

    def opened(value: Any) -> Any:
        """A copy that belongs to the new document."""
        if id(value) in own:
            return value
        made: Any = dict(value) if isinstance(value, dict) else list(value)
        own.add(id(made))
        held.append(made)
        return made

    # Numbers of objects are used again once these are gone.
    held: list[Any] = []
    for step in steps:
        kind, path = step[0], step[1]
        if kind == "set" and not path:
            out = step[2]
            continue
        out = owner = opened(out)
        for key in path[:-1] if kind != "splice" else path:
            owner[key] = opened(owner[key])
            owner = owner[key]
        if kind == "set":
            owner[path[-1]] = step[2]
        elif kind == "drop":
            del owner[path[-1]]
        else:
            owner[step[2] : step[2] + step[3]] = step[4]
    return out


def values(steps: list[Step]) -> list[tuple[str, Any]]:
    """What the steps put in place, each with the name of the field that it is, or is in a list of."""
    return [
        (next((key for key in reversed(step[1]) if isinstance(key, str)), ""), step[2] if step[0] == "set" else step[4])
        for step in steps
        if step[0] != "drop"
    ]
