"""Files that lie beside a file and are named in it."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import unquote

from limus.common.errors import InputError


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
            return path
        # Exporters often write the folders of the machine they ran on: the bare name in the same folder will do.
        bare = inside / wanted.rsplit("/", 1)[-1]
        if bare.is_file() and not bare.is_symlink():
            return bare
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
