"""Commands on the files that a scene names."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, Json
from limus.common.errors import InputError
from limus.common.named_files import file_fields
from limus.document.scene import Scene

FileNamed = Annotated[str, Field(min_length=1, max_length=500)]


class ReplaceFile(Command):
    """A picture or a stroke gives way to another one, wherever it is named: in bases, layers and lines. The object is
    replaced by bringing a newer one.
    """

    kind: Literal["replace-file"] = "replace-file"
    title: ClassVar[str] = "Replace file"
    words: ClassVar[tuple[str, ...]] = ("was", "now")
    was: FileNamed = Field(description="The file that is named now")
    now: FileNamed = Field(description="The one that is named from then on")

    def change(self, draft: Draft) -> str:
        """Name the other one."""
        count = 0
        for owner, key in _places(draft.document, self.was):
            owner[key] = self.now
            count += 1
        if not count:
            raise InputError(
                f"the scene names no '{self.was}'", where="was", remedy="Give the name as it stands in the scene"
            )
        return f"Newer {self.now.rsplit('/', 1)[-1]}"


def _places(document: Json, name: str) -> Iterator[tuple[Any, Any]]:
    """(table or list, key) of every field that names the file; those of the object are left out."""
    fields = file_fields(Scene)
    stack: list[tuple[Any, Any, str]] = [(document, key, key) for key in document if key != "object"]
    while stack:
        owner, key, field = stack.pop()
        value = owner[key]
        if isinstance(value, str):
            if value == name and field in fields:
                yield owner, key
        elif isinstance(value, dict):
            stack.extend((value, inner, str(inner)) for inner in value)
        elif isinstance(value, list):
            stack.extend((value, k, field) for k in range(len(value)))
