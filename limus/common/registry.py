"""Finding the classes of a folder: adding one is adding one file."""

from __future__ import annotations

import importlib
import pkgutil
from types import ModuleType
from typing import Any


def discover(package: ModuleType, base: type[Any]) -> dict[str, type[Any]]:
    """All subclasses of ``base`` defined in the modules of ``package``, by their ``kind``, in order of ``order`` then
    name.
    """
    found: list[type[Any]] = []
    for info in pkgutil.iter_modules(package.__path__):
        module = importlib.import_module(f"{package.__name__}.{info.name}")
        for value in vars(module).values():
            if (
                isinstance(value, type)
                and issubclass(value, base)
                and value is not base
                and value.__module__ == module.__name__
                and kind_of(value)
            ):
                found.append(value)
    found.sort(key=lambda c: (getattr(c, "order", 100), kind_of(c)))
    return {kind_of(c): c for c in found}


def kind_of(entry: type[Any]) -> str:
    """The ``kind`` of a plain class, or the default of the ``kind`` field of a pydantic model."""
    fields = getattr(entry, "model_fields", None)
    return str(fields["kind"].default if fields is not None else getattr(entry, "kind", ""))
