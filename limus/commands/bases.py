"""Commands on bases. They are called by their numbers, the lowest first."""

from __future__ import annotations

import copy
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from limus.bases.choice import BaseChoice
from limus.bases.laid_material import USUAL
from limus.commands.command import Command
from limus.commands.draft import Draft, Json, plain
from limus.commands.lines import fresh_line
from limus.common.errors import InputError
from limus.common.fields import Document

PartName = Annotated[str, Field(max_length=300)]


def _made(base: str | Json) -> Json:
    """An entry of a scene, of a name of the store room or of what stands in a scene or a file of a base."""
    return plain(BaseChoice.model_validate({"material": base} if isinstance(base, str) else base))


def _claimed(draft: Draft, parts: list[str], base: Json | None) -> None:
    """A part is made of one base, besides those that lie over it: the others let it go."""
    for other in draft.bases:
        if other is not base and other["parts"] and other["where"] is None:
            other["parts"] = [part for part in other["parts"] if part not in set(parts)]


def _title(base: Json) -> str:
    return BaseChoice.model_validate(base).title


class _OfABase(Command):
    base: int = Field(0, ge=0, le=63, description="Its number, 0 for the lowest")

    def lists(self) -> list[str]:
        """Bases have no ids."""
        return ["bases"]


class AddBase(Command):
    """One more base: on some parts, on what is left, or over what is there by a mask."""

    kind: Literal["add-base"] = "add-base"
    title: ClassVar[str] = "Add base"
    words: ClassVar[tuple[str, ...]] = ("base",)
    base: str | dict[str, Any] = Field(description="A name of the store room, or an entry as it stands in a scene")
    parts: list[PartName] | None = Field(
        None, max_length=5000, description="Its parts; none: every part that no other base takes"
    )
    over: bool = Field(False, description="It lies over the others, placed by a mask that begins with a noise")
    painted: bool = Field(False, description="Its mask begins empty, to be painted")

    def change(self, draft: Draft) -> str:
        """Lay it."""
        entry = {**_made(self.base), "parts": self.parts}
        if self.over:
            first = fresh_line(draft, "strokes" if self.painted else "noise", {})
            entry["where"] = {"terms": [first], "cut": None}
        elif self.parts:
            _claimed(draft, self.parts, None)
        draft.bases.append(entry)
        draft.made["base"] = len(draft.bases) - 1
        return f"Add {_title(entry).lower()}"


class PutBase(_OfABase):
    """Another material in the place of a base: its parts and its place stay."""

    kind: Literal["put-base"] = "put-base"
    title: ClassVar[str] = "Put base"
    words: ClassVar[tuple[str, ...]] = ("material", "base")
    material: str | dict[str, Any] = Field(description="A name of the store room, or an entry as it stands in a scene")

    def change(self, draft: Draft) -> str:
        """Put it there."""
        entry = _made(self.material)
        if not draft.bases:
            draft.bases.append(entry)
            return f"Put {_title(entry).lower()}"
        old = draft.base(self.base)
        draft.bases[self.base] = {**entry, "parts": old["parts"], "where": old["where"]}
        return f"{_title(entry)} instead of {_title(old).lower()}"[:120]


class _Guess(Document):
    base: str | dict[str, Any]
    parts: list[PartName] = Field(max_length=5000)


class LayBases(Command):
    """Several bases at once, each on its parts; one whose parts are empty is the base of all."""

    kind: Literal["lay-bases"] = "lay-bases"
    title: ClassVar[str] = "Bases guessed from names"
    bases: list[_Guess] = Field(min_length=1, max_length=64)

    def change(self, draft: Draft) -> str:
        """Lay them."""
        for guess in self.bases:
            entry = {**_made(guess.base), "parts": guess.parts or None}
            if not guess.parts:
                draft.document["bases"] = [entry]
                continue
            _claimed(draft, guess.parts, None)
            draft.bases.append(entry)
        return "Bases guessed from names"


class BaseParts(_OfABase):
    """The parts that a base lies on; other bases let them go."""

    kind: Literal["base-parts"] = "base-parts"
    title: ClassVar[str] = "Parts of a base"
    parts: list[PartName] | None = Field(None, max_length=5000, description="None: every part that no other base takes")

    def change(self, draft: Draft) -> str:
        """Lay it on them."""
        base = draft.base(self.base)
        if self.parts and base["where"] is None:
            _claimed(draft, self.parts, base)
        base["parts"] = self.parts
        return "Parts of a base"


class BaseByMask(_OfABase):
    """Lay a base over the others by a mask, or everywhere."""

    kind: Literal["base-by-mask"] = "base-by-mask"
    title: ClassVar[str] = "Lay over by a mask"
    words: ClassVar[tuple[str, ...]] = ("base",)
    on: bool = Field(True, description="False: it lies everywhere on its parts")

    def change(self, draft: Draft) -> str:
        """Lay it so."""
        base = draft.base(self.base)
        base["where"] = {"terms": [fresh_line(draft, "noise", {})], "cut": None} if self.on else None
        return "Lay over by a mask" if self.on else "Lay everywhere"


class AsInFile(_OfABase):
    """The maps that came with the object in place of a base's own colour, roughness and metalness."""

    kind: Literal["as-in-file"] = "as-in-file"
    title: ClassVar[str] = "As in the file"
    words: ClassVar[tuple[str, ...]] = ("base",)

    def change(self, draft: Draft) -> str:
        """Show them."""
        if not draft.document["object"]["own_maps"]:
            draft.document["object"]["own_maps"] = True
            for base in draft.bases:
                base["file_maps"] = False
        draft.base(self.base)["file_maps"] = True
        return "As in the file"


class RemoveBase(_OfABase):
    """Take a base away."""

    kind: Literal["remove-base"] = "remove-base"
    title: ClassVar[str] = "Remove base"
    words: ClassVar[tuple[str, ...]] = ("base",)

    def change(self, draft: Draft) -> str:
        """Take it away."""
        title = _title(draft.base(self.base))
        del draft.bases[self.base]
        if not draft.bases:
            draft.notes.append(f"Without a base the object is made of {USUAL}")
        draft.made["base"] = max(0, min(self.base, len(draft.bases) - 1))
        return f"Remove {title.lower()}"


class DuplicateBase(_OfABase):
    """A base once more, right over it, on no part yet."""

    kind: Literal["duplicate-base"] = "duplicate-base"
    title: ClassVar[str] = "Duplicate base"
    words: ClassVar[tuple[str, ...]] = ("base",)

    def change(self, draft: Draft) -> str:
        """Make its twin."""
        twin = copy.deepcopy(draft.base(self.base))
        twin["name"] = f"{_title(twin)} copy"[:80]
        twin["parts"] = []
        draft.bases.insert(self.base + 1, twin)
        draft.made["base"] = self.base + 1
        return "Duplicate base"


class MoveBase(_OfABase):
    """Let a base lie lower or higher."""

    kind: Literal["move-base"] = "move-base"
    title: ClassVar[str] = "Move base"
    words: ClassVar[tuple[str, ...]] = ("base", "to")
    to: int = Field(ge=0, le=63, description="Number of its new place")

    def change(self, draft: Draft) -> str:
        """Move it."""
        base = draft.base(self.base)
        if self.to >= len(draft.bases):
            raise InputError(
                f"there is no place number {self.to}", where="to", remedy=f"The last is number {len(draft.bases) - 1}"
            )
        draft.bases.remove(base)
        draft.bases.insert(self.to, base)
        draft.made["base"] = self.to
        return "Move base"
