"""Files that lie beside a file and are named in it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from urllib.parse import unquote

from limus.common.errors import InputError

#: Where found files are noted, by whoever wants to know which a file needs.
_NOTED: ContextVar[set[Path] | None] = ContextVar("beside", default=None)


@contextmanager
def noting_beside() -> Iterator[set[Path]]:
    """The set in which files are noted that are found beside others meanwhile."""
    seen: set[Path] = set()
    token = _NOTED.set(seen)
    try:
        yield seen
    finally:
        _NOTED.reset(token)


def beside(folder: Path | None, name: str, where: str) -> Path:
    """The file called ``name`` in ``folder`` or below it.

    Raises
    ------
    InputError : the name leads out of the folder (by "..", an absolute path, a link), or there is no such file.
    """
    wanted = unquote(str(name)).replace("\\", "/")
    inside = folder.resolve() if folder is not None else None
    try:
        path = (inside / wanted).resolve() if inside is not None else None
        if path is None or inside is None or not path.is_relative_to(inside) or "\0" in wanted:
            raise ValueError
        if path.is_file():
            return _note(path)
        # Exporters often write the folders of the machine they ran on: the bare name in the same folder will do.
        bare = inside / wanted.rsplit("/", 1)[-1]
        if bare.is_file() and not bare.is_symlink():
            return _note(bare)
    except (ValueError, OSError, RuntimeError):
        raise InputError(
            f"'{str(name)[:80]}' points outside the folder of the file",
            where=where,
            remedy="Keep the files together in one folder or zip",
        ) from None
    raise InputError(
        f"'{str(name)[:80]}' is missing",
        where=where,
        remedy="Bring it in together with the object: drop both, or zip them",
    )


def _note(path: Path) -> Path:
    seen = _NOTED.get()
    if seen is not None:
        seen.add(path)
    return path
