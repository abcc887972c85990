"""Commands on snapshots: states of the surface to come back to."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, ids, numbered_id
from limus.common.fields import Name
from limus.document.snapshot import state_of


class KeepSnapshot(Command):
    """Keep what is on, and the year, by a name; one of this name is brought up to what is shown now."""

    kind: Literal["keep-snapshot"] = "keep-snapshot"
    title: ClassVar[str] = "Keep snapshot"
    words: ClassVar[tuple[str, ...]] = ("name",)
    name: Name = Field(min_length=1, max_length=60, description="What it is called")

    def change(self, draft: Draft) -> str:
        """Keep it."""
        known = next((snapshot for snapshot in draft.snapshots if snapshot["name"] == self.name), None)
        if known is not None:
            known.update(state_of(draft.document))
        else:
            draft.snapshots.append(
                {"id": numbered_id("snapshot", ids(draft.snapshots)), "name": self.name, **state_of(draft.document)}
            )
        return "Keep snapshot"


class GoToSnapshot(Command):
    """Layers and episodes on and off, and the year, as it was kept."""

    kind: Literal["go-to-snapshot"] = "go-to-snapshot"
    title: ClassVar[str] = "Go to snapshot"
    words: ClassVar[tuple[str, ...]] = ("snapshot",)
    snapshot: str = Field(max_length=40, description="Id of the snapshot")

    def change(self, draft: Draft) -> str:
        """Go there."""
        found = draft.snapshot(self.snapshot)
        for entries, off in ((draft.layers, "layers_off"), (draft.episodes, "episodes_off")):
            for entry in entries:
                entry["on"] = entry["id"] not in found[off]
        draft.document["year"] = found["year"]
        return f"Snapshot {found['name']}"


class RemoveSnapshot(Command):
    """Forget a snapshot."""

    kind: Literal["remove-snapshot"] = "remove-snapshot"
    title: ClassVar[str] = "Remove snapshot"
    words: ClassVar[tuple[str, ...]] = ("snapshot",)
    snapshot: str = Field(max_length=40, description="Id of the snapshot")

    def change(self, draft: Draft) -> str:
        """Forget it."""
        draft.snapshots.remove(draft.snapshot(self.snapshot))
        return "Remove snapshot"
