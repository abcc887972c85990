"""UVs and mesh that detail will show."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from limus.findings.finding import Finding, Found, Severity
from limus.looks.seen import Seen


class UvTrouble(Finding):
    """What the health of the object says, where it is grave enough to be seen under detail."""

    kind: ClassVar[str] = "object"
    order: ClassVar[int] = 10
    title: ClassVar[str] = "UVs and mesh"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        for one in seen.session.facts()["findings"]:
            if one["level"] in ("problem", "warning"):
                severity: Severity = "problem" if one["level"] == "problem" else "warning"
                yield self.found(severity, one["what"], one["why"], one["key"], how=one["mend"])
