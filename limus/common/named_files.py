"""Which files a document names: only fields that are declared as ``fields.FileName`` count, whatever else looks like
a path.
"""

from __future__ import annotations

import types
from collections.abc import Iterable, Iterator
from functools import cache
from typing import Annotated, Any, Union, get_args, get_origin

from pydantic import BaseModel

from limus.common.fields import NAMES_FILE


def _leaves(annotation: Any) -> Iterator[Any]:
    """Models and marked texts anywhere inside a type: unions, lists and tables are opened."""
    if get_origin(annotation) is Annotated:
        inner, *marks = get_args(annotation)
        if NAMES_FILE in marks:
            yield NAMES_FILE
        else:
            yield from _leaves(inner)
    elif get_origin(annotation) in (Union, types.UnionType, list, tuple, dict, set, frozenset):
        for inner in get_args(annotation):
            yield from _leaves(inner)
    elif isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation


def _leaves_of(model: type[BaseModel]) -> dict[str, list[Any]]:
    """Field -> what stands in it."""
    out = {}
    for name, field in model.model_fields.items():
        found = list(_leaves(field.annotation))
        out[name] = [*found, NAMES_FILE] if NAMES_FILE in field.metadata and NAMES_FILE not in found else found
    return out


def models_in(model: type[BaseModel]) -> list[type[BaseModel]]:
    """The model and every model that can stand in it."""
    out: list[type[BaseModel]] = [model]
    for found in out:
        for leaves in _leaves_of(found).values():
            out.extend(dict.fromkeys(m for m in leaves if m is not NAMES_FILE and m not in out))
    return list(dict.fromkeys(out))


@cache
def _plan(model: type[BaseModel]) -> tuple[str, ...]:
    """Fields of a model in which a file may be named, directly or further in."""
    bears = {m for m in models_in(model) if any(NAMES_FILE in leaves for leaves in _leaves_of(m).values())}
    reached = {m: set(models_in(m)) & bears for m in models_in(model)}
    return tuple(
        name
        for name, leaves in _leaves_of(model).items()
        if any(leaf is NAMES_FILE or bool(reached[leaf]) for leaf in leaves)
    )


@cache
def file_fields(model: type[BaseModel]) -> frozenset[str]:
    """Names of the fields that name files, in the model and all that can stand in it."""
    return frozenset(name for m in models_in(model) for name, leaves in _leaves_of(m).items() if NAMES_FILE in leaves)


def named_files(model: BaseModel, path: str = "") -> dict[str, str]:
    """Path of the field -> name, for every file that a checked document names, in use or not; empty names are left
    out.
    """
    out: dict[str, str] = {}
    for field in _plan(type(model)):
        _collect(getattr(model, field), f"{path}.{field}" if path else field, out)
    return out


def _collect(value: Any, path: str, out: dict[str, str]) -> None:
    if isinstance(value, str):
        if value:
            out[path] = value
    elif isinstance(value, BaseModel):
        out |= named_files(value, path)
    elif isinstance(value, (list, tuple)):
        for k, inner in enumerate(value):
            _collect(inner, f"{path}[{k}]", out)
    elif isinstance(value, dict):
        for key, inner in value.items():
            _collect(inner, f"{path}.{key}", out)


def named_in(document: Any, fields: Iterable[str], *, field: str = "") -> set[str]:
    """The same of a plain document, or a piece of one that stands in ``field``; nothing is checked, so any version
    can be asked.

    Parameters
    ----------
    fields : as ``file_fields`` gives them.
    """
    wanted = frozenset(fields)
    out: set[str] = set()
    stack = [(field, document)]
    while stack:
        name, value = stack.pop()
        if isinstance(value, str):
            if value and name in wanted:
                out.add(value)
        elif isinstance(value, dict):
            stack.extend(value.items())
        elif isinstance(value, (list, tuple)):
            stack.extend((name, inner) for inner in value)
    return out
