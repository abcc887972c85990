"""Commands on what was found."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft
from limus.common.errors import InputError
from limus.common.fields import Name


class AcceptFinding(Command):
    """Let a finding be for good, or have it shown again."""

    kind: Literal["accept-finding"] = "accept-finding"
    title: ClassVar[str] = "Accept finding"
    words: ClassVar[tuple[str, ...]] = ("key",)
    key: Name = Field(min_length=1, max_length=200, description="As 'limus check --json' names it")
    accept: bool = Field(True, description="False: show it again")

    def change(self, draft: Draft) -> str:
        """Note it."""
        # Documents from before there were findings have none.
        known: list[str] = draft.document.setdefault("accepted", [])
        if self.accept == (self.key in known):
            raise InputError(
                f"'{self.key}' is {'accepted already' if self.accept else 'not accepted'}",
                where="key",
                remedy="Look at the findings again",
            )
        draft.document["accepted"] = [*known, self.key] if self.accept else [k for k in known if k != self.key]
        return "Accept finding" if self.accept else "Show finding again"
