"""What every command is."""

from __future__ import annotations

from typing import ClassVar

from limus.commands.draft import Draft
from limus.common.fields import Document


class Command(Document):
    """An edit. Its fields are what it is given; ``words`` are those that the command line takes without their name,
    in order.

    ``title`` says what it does before it is done; what ``change`` returns is what the history calls it.
    """

    kind: str = ""
    title: ClassVar[str] = ""
    words: ClassVar[tuple[str, ...]] = ()

    def change(self, draft: Draft) -> str:
        """Change the draft; returns what was done, in words.

        Raises
        ------
        InputError : an argument names what is not there, or it cannot be done.
        """
        raise NotImplementedError

    def lists(self) -> list[str]:
        """Addresses of lists in which it calls an entry by its number, see ``again.still_meant``."""
        return []
