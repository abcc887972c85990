"""Where readings are kept on disk, and which of them were touched: whoever looks after the disk wants to know whose
they are.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

_noted: ContextVar[set[str] | None] = ContextVar("kept files", default=None)


def cache_folder() -> Path:
    """Where readings are kept: LIMUS_CACHE, or a folder in the user's cache directory."""
    return Path(
        os.environ.get("LIMUS_CACHE") or Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "limus"
    )


#: Brings a kept file here from where it was made, or raises; see ``bringing``.
_bring: ContextVar[Callable[[str], None] | None] = ContextVar("brings kept files", default=None)


def kept_file(name: str, folder: Path | None = None) -> Path:
    """Where a kept file lies, if it was ever made; looked for elsewhere too while somebody brings such files."""
    path = (folder or cache_folder()) / name
    bring = _bring.get()
    if bring is not None and folder is None and not path.is_file():
        bring(name)
    return path


@contextmanager
def bringing(bring: Callable[[str], None]) -> Iterator[None]:
    """Files that are not here are asked for by their names within; ``bring`` puts them into the folder, leaves it, or
    raises.
    """
    token = _bring.set(bring)
    try:
        yield
    finally:
        _bring.reset(token)


def note(name: str) -> None:
    """A file of that folder was read or written."""
    names = _noted.get()
    if names is not None:
        names.add(name)


@contextmanager
def noting() -> Iterator[set[str]]:
    """Names of the files that are read or written within."""
    names: set[str] = set()
    token = _noted.set(names)
    try:
        yield names
    finally:
        _noted.reset(token)
