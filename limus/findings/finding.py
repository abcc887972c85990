"""What a finding is, and what every kind of it has in common."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from limus.looks.seen import Seen

#: "note": worth knowing; "warning": likely not meant; "problem": will be seen as a fault in any renderer.
Severity = Literal["note", "warning", "problem"]
#: The gravest first.
SEVERITIES: tuple[Severity, ...] = ("problem", "warning", "note")


class Mend(BaseModel):
    """A command of the core that mends it, with its arguments; ``label`` says what it does."""

    model_config = ConfigDict(extra="forbid")
    label: str
    command: str
    arguments: dict[str, Any]


class Found(BaseModel):
    """``key`` names it for good, so that it can be accepted once; the place it is at is a layer, a line of its recipe,
    a base or a part.
    """

    model_config = ConfigDict(extra="forbid")
    key: str
    severity: Severity
    what: str = Field(description="What was found, in a sentence without a full stop")
    why: str = Field(description="Why it matters")
    how: str = Field("", description="What to do about it")
    layer: str = ""
    line: int = -1
    base: int = -1
    part: str = ""
    mend: Mend | None = None


class Finding:
    """One kind of thing that may be wrong.

    ``kind`` names it; ``title`` is what it is called where kinds are listed.
    """

    kind: ClassVar[str] = ""
    order: ClassVar[int] = 100
    title: ClassVar[str] = ""

    def look(self, seen: Seen) -> Iterator[Found]:
        """Everything of this kind on the surface as it is ``seen``, which was played to its end."""
        raise NotImplementedError

    def found(self, severity: Severity, what: str, why: str, *place: object, **more: Any) -> Found:
        """One of this kind; ``place`` makes its key."""
        return Found(key=":".join([self.kind, *map(str, place)]), severity=severity, what=what, why=why, **more)
