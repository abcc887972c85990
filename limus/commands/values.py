"""The command that sets values: what every slider, switch and field of the page does."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from limus.commands.address import resolved, steps_of, value_at, written
from limus.commands.command import Command
from limus.commands.draft import Draft, Json
from limus.common.errors import InputError
from limus.common.fields import Name

Address = str


class Set(Command):
    """Values at addresses. A line that is linked says the same wherever it stands."""

    kind: Literal["set"] = "set"
    title: ClassVar[str] = "Set"
    words: ClassVar[tuple[str, ...]] = ("values",)
    values: dict[Address, Any] = Field(
        default_factory=dict, max_length=2000, description="Address of the field -> value"
    )
    drop: list[Address] = Field(
        default_factory=list, max_length=2000, description="Addresses of entries of tables to take out"
    )
    label: Name = Field("", max_length=120, description="What the history calls it")

    def change(self, draft: Draft) -> str:
        """Set them."""
        if not self.values and not self.drop:
            raise InputError("says nothing to set", where="values", remedy="Give at least one address and its value")
        touched: list[Json] = []
        for address, value in self.values.items():
            steps = resolved(draft.document, address, new=True)
            owner = value_at(draft.document, steps[:-1])
            if isinstance(owner, (dict, list)):
                owner[steps[-1]] = value  # type: ignore[index]
            term = _term_of(draft.document, steps)
            if term is not None and term not in touched:
                touched.append(term)
        for address in self.drop:
            steps = resolved(draft.document, address)
            owner = value_at(draft.document, steps[:-1])
            if not isinstance(owner, dict):
                raise InputError("is no entry of a table", where=address, remedy="Use the command that removes it")
            del owner[steps[-1]]
            term = _term_of(draft.document, steps)
            if term is not None and term not in touched:
                touched.append(term)
        for term in touched:
            draft.linked(term)
        return self.label or f"Set {next(iter([*self.values, *self.drop]))}"[:120]

    def lists(self) -> list[str]:
        """Every list in which an address calls an entry by its number."""
        out: dict[str, None] = {}
        for address in [*self.values, *self.drop]:
            steps = steps_of(address)
            for k, step in enumerate(steps):
                if isinstance(step, int):
                    out[written(steps[:k])] = None
        return list(out)


def _term_of(document: Json, steps: list[Any]) -> Json | None:
    """The line of a recipe that a field belongs to, or None."""
    for k in range(2, len(steps)):
        if steps[k - 1] == "terms" and isinstance(steps[k], int):
            found = value_at(document, steps[: k + 1])
            return found if isinstance(found, dict) and "source" in found and "link" in found else None
    return None
