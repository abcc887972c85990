"""Commands of the hand: strokes, what is filled, lines drawn on the surface, vertex colours. Strokes are files
already when they come here.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, Json
from limus.commands.lines import fresh_line
from limus.common.errors import InputError
from limus.common.fields import FileName
from limus.masks.sources.picks import Pick

Files = Annotated[list[Annotated[FileName, Field(min_length=1, max_length=500)]], Field(min_length=1, max_length=64)]


def _line_for(draft: Draft, place: str, kind: str, line: int, adds: bool) -> tuple[Json, int]:
    """The line that takes what is drawn: the one that is open, else the last of its kind, else a new one."""
    terms = draft.recipe(place)["terms"]
    alike = [k for k, term in enumerate(terms) if term["source"]["kind"] == kind]
    if line in alike:
        return terms[line], line
    if alike:
        return terms[alike[-1]], alike[-1]
    if not terms and not adds:
        # Taking away from everywhere: something must stand there first.
        terms.append(fresh_line(draft, "even", {}))
    terms.append(fresh_line(draft, kind, {}))
    return terms[-1], len(terms) - 1


class _Drawn(Command):
    place: str = Field(max_length=200, description="Whose recipe: layers[rust], episodes[winter] or bases[1]")
    line: int = Field(-1, ge=-1, le=31, description="The line that is open; -1: none")

    def lists(self) -> list[str]:
        """The line that is open is called by its number."""
        return ["bases"] if self.place.startswith("bases") else []


class Paint(_Drawn):
    """Strokes of one gesture into a mask."""

    kind: Literal["paint"] = "paint"
    title: ClassVar[str] = "Paint"
    strokes: Files
    takes: bool = Field(False, description="They take away")

    def change(self, draft: Draft) -> str:
        """Lay them down."""
        term, draft.made["line"] = _line_for(draft, self.place, "strokes", self.line, not self.takes)
        term["source"]["strokes"] = [*term["source"]["strokes"], *self.strokes]
        draft.linked(term)
        return "Paint away" if self.takes else "Paint"


class Fill(_Drawn):
    """Fill or empty what belongs to a place of the surface: a part, an island, a polygon, what is connected."""

    kind: Literal["fill"] = "fill"
    title: ClassVar[str] = "Fill"
    pick: Pick

    def change(self, draft: Draft) -> str:
        """Fill it."""
        term, draft.made["line"] = _line_for(draft, self.place, "picks", self.line, not self.pick.take)
        term["source"]["picks"] = [*term["source"]["picks"], self.pick.model_dump(mode="json")]
        draft.linked(term)
        return "Empty" if self.pick.take else "Fill"


class DrawLine(Command):
    """Lines drawn on the surface, for a line of a recipe that measures the distance to them."""

    kind: Literal["draw-line"] = "draw-line"
    title: ClassVar[str] = "Draw a line"
    place: str = Field(max_length=200, description="Whose recipe")
    line: int = Field(ge=0, le=31, description="Number of the line that measures")
    strokes: Files

    def lists(self) -> list[str]:
        """Lines are called by their numbers."""
        return [f"{self.place}.where.terms"]

    def change(self, draft: Draft) -> str:
        """Draw them."""
        term = draft.line(self.place, self.line)
        if "line" not in term["source"]:
            raise InputError(
                "measures no distance to a line", where="line", remedy="Choose a line 'near something', to a drawn line"
            )
        term["source"]["line"] = [*term["source"]["line"], *self.strokes]
        draft.linked(term)
        return "Draw a line"


class PaintColours(Command):
    """Strokes of one gesture into a channel of the vertex colours."""

    kind: Literal["paint-colours"] = "paint-colours"
    title: ClassVar[str] = "Paint vertex colours"
    channel: Literal["R", "G", "B", "A"]
    strokes: Files

    def change(self, draft: Draft) -> str:
        """Lay them down."""
        draft.document["vertex_paint"] += [{"file": file, "channel": self.channel} for file in self.strokes]
        return f"Paint vertex colour {self.channel}"
