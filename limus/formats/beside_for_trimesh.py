"""Files beside an object, as the general-purpose reader asks for them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from trimesh.resolvers import Resolver

from limus.common.errors import InputError
from limus.formats.beside import beside


class Beside(Resolver):  # type: ignore[misc]
    """Gives a general-purpose reader the files beside an object, and nothing else of the disk."""

    def __init__(self, folder: Path, where: str) -> None:
        self.folder, self.where = folder, where
        self.missing: list[str] = []

    def get(self, name: str) -> bytes:
        """Content of a file beside the object; what cannot be had is noted in ``missing``."""
        try:
            return beside(self.folder, name, self.where).read_bytes()
        except (InputError, OSError) as error:
            self.missing.append(str(name))
            raise FileNotFoundError(str(name)) from error

    def keys(self) -> list[str]:
        """Names of the files there are."""
        return [path.name for path in self.folder.iterdir() if path.is_file()]

    def namespaced(self, namespace: str) -> Beside:
        """The same folder: names are looked up by what is behind the last slash."""
        return self

    def write(self, name: str, data: Any) -> None:
        """Never: reading only."""
        raise PermissionError(name)
