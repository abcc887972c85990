"""Commands on what stands around the object."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, ids, numbered_id
from limus.common.errors import InputError
from limus.common.fields import FileName, Name
from limus.common.wording import one_of
from limus.intake.object_file import Far, Neighbour
from limus.surface.axes import Up


class AddNeighbour(Command):
    """Let another object stand nearby."""

    kind: Literal["add-neighbour"] = "add-neighbour"
    title: ClassVar[str] = "Add neighbour"
    words: ClassVar[tuple[str, ...]] = ("file", "name")
    file: FileName = Field(min_length=1, max_length=500, description="Its file, relative to the scene document")
    name: Name = Field(min_length=1, max_length=120, description="What it is called")
    position_mm: tuple[Far, Far, Far] = Field((0.0, 0.0, 0.0), description="x, y (up), z of its origin")
    scale: float = Field(1.0, ge=1e-6, le=1e6, description="Metres per unit of its file")
    up: Up = Field("+y", description="Which axis of its file points up")

    def change(self, draft: Draft) -> str:
        """Put it there."""
        around = draft.document["object"]["neighbours"]
        made = Neighbour(
            id=numbered_id("neighbour", ids(around)),
            name=self.name,
            file=self.file,
            position_mm=self.position_mm,
            scale=self.scale,
            up=self.up,
        )
        around.append(made.model_dump(mode="json"))
        draft.made["neighbour"] = made.id
        return f"Neighbour {self.name}"


class RemoveNeighbour(Command):
    """Take a neighbour away."""

    kind: Literal["remove-neighbour"] = "remove-neighbour"
    title: ClassVar[str] = "Remove neighbour"
    words: ClassVar[tuple[str, ...]] = ("neighbour",)
    neighbour: str = Field(max_length=40, description="Id of the neighbour")

    def change(self, draft: Draft) -> str:
        """Take it away."""
        around = draft.document["object"]["neighbours"]
        kept = [one for one in around if one["id"] != self.neighbour]
        if len(kept) == len(around):
            raise InputError(
                f"there is no neighbour '{self.neighbour}'",
                where="neighbour",
                remedy=one_of(sorted(ids(around)), self.neighbour),
            )
        draft.document["object"]["neighbours"] = kept
        return "Remove neighbour"
