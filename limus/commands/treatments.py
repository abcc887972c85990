"""The command that pastes a treatment."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft
from limus.document.scene import scene_from
from limus.document.treatment import treated


class Paste(Command):
    """A treatment's layers on top, in sizes that suit this object."""

    kind: Literal["paste"] = "paste"
    title: ClassVar[str] = "Paste treatment"
    words: ClassVar[tuple[str, ...]] = ("treatment",)
    treatment: str = Field(max_length=80, description="Its name on the shelf")

    def change(self, draft: Draft) -> str:
        """Put it on."""
        found = draft.ground.treatment(self.treatment)
        done = treated(scene_from(draft.document, "scene", trusted=True), found, draft.size)
        draft.document = done.scene.model_dump(mode="json")
        draft.notes += done.notes
        draft.made["layer"] = done.layers[-1]
        return f"Treatment: {found.name}"
