"""Commands on the lines of recipes. ``place`` says whose recipe: ``layers[rust]``, ``episodes[winter]``,
``bases[1]``.
"""

from __future__ import annotations

import copy
from typing import Any, ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, Json, numbered_id
from limus.common.errors import InputError
from limus.common.wording import one_of
from limus.masks.recipe import SOURCES, Term


def source_showing(reading: str) -> str:
    """The kind of source that shows this reading best.

    Raises
    ------
    InputError : none does.
    """
    kind = next((kind for kind, source in SOURCES.items() if source.reading == reading), "")
    if not kind:
        raise InputError(
            f"'{reading}' is for looking only: no line of a recipe reads it",
            where="reading",
            remedy=one_of([s.reading for s in SOURCES.values() if s.reading], reading),
        )
    return kind


def fresh_line(draft: Draft, kind: str, fields: dict[str, Any]) -> Json:
    """A new line with what its source does by default on this object, drawn by hand over the lines above it.

    Raises
    ------
    InputError : there is no such source.
    """
    if kind not in SOURCES:
        raise InputError(f"there is no source '{kind}'", where="source", remedy=one_of(SOURCES, kind))
    source = SOURCES[kind]
    size = draft.size
    made = source.model_validate(size.fields(source)).model_dump(mode="json")
    low, high = source.suggest
    shaping = {**size.fields(Term), "low": low, "high": high, "combine": "over" if source.over else "multiply"}
    line = Term.model_validate({"source": made, **shaping}).model_dump(mode="json")
    line["source"] |= fields
    return line


class _OfARecipe(Command):
    place: str = Field(max_length=200, description="Whose recipe: layers[rust], episodes[winter] or bases[1]")

    def lists(self) -> list[str]:
        """A base is called by its number."""
        return ["bases"] if self.place.startswith("bases") else []


class _OfALine(_OfARecipe):
    line: int = Field(ge=0, le=31, description="Its number, 0 for the first")

    def lists(self) -> list[str]:
        """Lines are called by their numbers."""
        return [*super().lists(), f"{self.place}.where.terms"]


class AddLine(_OfARecipe):
    """A line with what its source does by default on this object, or one that shows a reading as it is looked at."""

    kind: Literal["add-line"] = "add-line"
    title: ClassVar[str] = "Add line"
    words: ClassVar[tuple[str, ...]] = ("place", "source")
    source: str = Field("", max_length=40, description="Kind of source; empty where a reading is named")
    reading: str = Field("", max_length=40, description="A reading: the source that shows it best is taken")
    size_mm: float = Field(0.0, ge=0, le=1e6, allow_inf_nan=False, description="Radius or reach of that reading")
    component: str = Field("", max_length=8, description="Component of that reading")
    fields: dict[str, Any] = Field(default_factory=dict, description="Settings of the source that differ from its own")

    def change(self, draft: Draft) -> str:
        """Make it."""
        terms = draft.recipe(self.place)["terms"]
        kind = source_showing(self.reading) if self.reading else self.source
        line = fresh_line(draft, kind, {})
        if "seed" in line["source"]:
            # Two noises in one recipe are two.
            line["source"]["seed"] = len(terms) + 1
        shown = SOURCES[kind].shown_by(self.size_mm, self.component) if self.reading else {}
        line["source"] |= shown | self.fields
        terms.append(line)
        draft.made["line"] = len(terms) - 1
        return "Add line"


class RemoveLine(_OfALine):
    """Take a line away."""

    kind: Literal["remove-line"] = "remove-line"
    title: ClassVar[str] = "Remove line"
    words: ClassVar[tuple[str, ...]] = ("place", "line")

    def change(self, draft: Draft) -> str:
        """Take it away."""
        draft.line(self.place, self.line)
        del draft.recipe(self.place)["terms"][self.line]
        draft.made["line"] = -1
        return "Remove line"


class MoveLine(_OfALine):
    """Let a line be read earlier or later."""

    kind: Literal["move-line"] = "move-line"
    title: ClassVar[str] = "Move line"
    words: ClassVar[tuple[str, ...]] = ("place", "line", "to")
    to: int = Field(ge=0, le=31, description="Number of its new place")

    def change(self, draft: Draft) -> str:
        """Move it."""
        draft.line(self.place, self.line)
        terms = draft.recipe(self.place)["terms"]
        if self.to >= len(terms):
            raise InputError(
                f"there is no place number {self.to}", where="to", remedy=f"The last is number {len(terms) - 1}"
            )
        terms.insert(self.to, terms.pop(self.line))
        draft.made["line"] = self.to
        return "Move line"


class DuplicateLine(_OfALine):
    """A line once more, right after it, linked with nothing."""

    kind: Literal["duplicate-line"] = "duplicate-line"
    title: ClassVar[str] = "Duplicate line"
    words: ClassVar[tuple[str, ...]] = ("place", "line")

    def change(self, draft: Draft) -> str:
        """Make its twin."""
        term = draft.line(self.place, self.line)
        draft.recipe(self.place)["terms"].insert(self.line + 1, {**copy.deepcopy(term), "link": ""})
        draft.made["line"] = self.line + 1
        return "Duplicate line"


class CopyLine(_OfALine):
    """A copy of a line in another recipe; linked, one edit serves both."""

    kind: Literal["copy-line"] = "copy-line"
    title: ClassVar[str] = "Copy line"
    words: ClassVar[tuple[str, ...]] = ("place", "line", "to")
    to: str = Field(max_length=200, description="Whose recipe it goes into: layers[dust], episodes[winter] or bases[1]")
    link: bool = Field(False, description="What is changed in one is changed in the other")

    def lists(self) -> list[str]:
        """A base that it goes to is called by its number as well."""
        return [*super().lists(), *(["bases"] if self.to.startswith("bases") else [])]

    def change(self, draft: Draft) -> str:
        """Copy it."""
        term = draft.line(self.place, self.line)
        if self.link and not term["link"]:
            term["link"] = numbered_id("line", {other["link"] for other in draft.terms()})
        draft.recipe(self.to)["terms"].append({**copy.deepcopy(term), "link": term["link"] if self.link else ""})
        return "Link line" if self.link else "Copy line"


class Unlink(_OfALine):
    """A line is its own again."""

    kind: Literal["unlink"] = "unlink"
    title: ClassVar[str] = "Unlink line"
    words: ClassVar[tuple[str, ...]] = ("place", "line")

    def change(self, draft: Draft) -> str:
        """Unlink it."""
        draft.line(self.place, self.line)["link"] = ""
        return "Unlink line"
