"""What is wrong with a document: the path of the field, the value that stands there, what would be accepted, and what
to do.
"""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from pydantic_core import PydanticCustomError

from limus.common.errors import InputError

#: Type of the errors that our own validators raise.
OWN = "refused"
#: Fields that hold one of several models: the step behind them in a location is the tag, not a field.
_UNIONS = ("effect", "source", "material", "white", "black")
#: Control characters but for tabs and line breaks, and halves of surrogate pairs: no text holds them.
_ODD = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")


@dataclass(frozen=True)
class Refusal:
    """``path`` of the field, ``problem`` in words, ``value`` that was given as JSON, ``accepted`` in words,
    ``remedy``.
    """

    path: str
    problem: str
    remedy: str
    value: str = ""
    accepted: str = ""

    def error(self, where: str) -> InputError:
        """To be raised; ``where`` names the document."""
        return InputError(
            self.problem,
            where=f"{where}: {self.path}" if self.path else where,
            remedy=self.remedy,
            value=self.value,
            accepted=self.accepted,
        )


def refusal(path: str, problem: str, remedy: str, *, accepted: str = "") -> PydanticCustomError:
    """For our own validators: ``path`` is relative to the model that is checked; whatever is in the words stays in
    them.
    """
    return PydanticCustomError(
        OWN, "{problem}", {"path": path, "problem": problem, "remedy": remedy, "accepted": accepted}
    )


def _path(location: tuple[Any, ...]) -> str:
    out = ""
    before: Any = ""
    for step in location:
        if isinstance(step, int):
            out += f"[{step}]"
        elif before not in _UNIONS:
            out += f".{step}" if out else str(step)
        before = step
    return out


def _refusal(error: Any) -> Refusal:
    """One of pydantic's errors in our words."""
    path = _path(error["loc"])
    kind, context, given = error["type"], error.get("ctx", {}), error.get("input")
    shown = json.dumps(given, default=str)[:60] if not isinstance(given, (dict, list, tuple)) else ""
    if kind == OWN:
        inner = context["path"]
        whole = f"{path}{'' if not path or inner.startswith('[') else '.'}{inner}" if inner else path
        return Refusal(whole, context["problem"], context["remedy"], "", context["accepted"])
    if kind in ("less_than_equal", "greater_than_equal"):
        word, limit = ("above", context["le"]) if kind == "less_than_equal" else ("below", context["ge"])
        accepted = f"{'up to' if word == 'above' else 'from'} {limit:g}"
        return Refusal(path, f"{shown} is {word} the limit {limit:g}", f"Use a number {accepted}", shown, accepted)
    if kind == "union_tag_invalid":
        what = next((w for w in ("effect", "material") if path.endswith(w)), "source")
        tags = str(context.get("expected_tags", ""))
        return Refusal(
            f"{path}.kind",
            f"'{context.get('tag')}' is not a known {what}",
            f"Use one of {tags}",
            str(context.get("tag")),
            tags,
        )
    if kind == "union_tag_not_found":
        return Refusal(f"{path}.kind", "is missing", "Say which kind it is")
    if kind == "missing":
        return Refusal(path, "is missing", "Add it")
    if kind == "extra_forbidden":
        return Refusal(path, "is not a known field", "Remove it, or check its spelling", shown)
    if kind == "literal_error":
        accepted = str(context.get("expected", ""))
        return Refusal(path, f"{shown} is not accepted", f"Use {accepted}", shown, accepted)
    if kind == "finite_number":
        return Refusal(path, "is not a finite number", "Use a plain number", shown, "a finite number")
    words = f"{error['msg'][0].lower()}{error['msg'][1:]}"
    return Refusal(path, words + (f" (got {shown})" if shown else ""), "Correct the value", shown)


def first_refusal(error: ValidationError) -> Refusal:
    """The first thing wrong."""
    return _refusal(error.errors(include_url=False)[0])


def refuse_odd_text(document: Any, where: str) -> None:
    """Refuse control characters and broken Unicode anywhere in a parsed document: no file system, database or page
    can hold them.

    Raises
    ------
    InputError : with the path of the text.
    """
    stack: list[tuple[str, Any]] = [("", document)]
    while stack:
        path, value = stack.pop()
        if isinstance(value, str):
            if _ODD.search(value):
                raise InputError(
                    "holds characters that are no text (a control character, or half of one)",
                    where=f"{where}: {path}" if path else where,
                    remedy="Type it again",
                    value=json.dumps(value[:60]),
                )
        elif isinstance(value, dict):
            for key, inner in value.items():
                stack.append((f"{path}.{key}" if path else str(key), inner))
                if isinstance(key, str) and _ODD.search(key):
                    stack.append((f"{path}.?" if path else "?", key))
        elif isinstance(value, (list, tuple)):
            stack.extend(
                (f"{path}[{k}]", inner) for k, inner in enumerate(value) if isinstance(inner, (str, dict, list, tuple))
            )
