"""A line of a recipe that cannot do what it is there for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen


class LineNote(Finding):
    """A pattern finer than a texel or larger than the object, a file or a layer that is missing, nothing chosen yet."""

    kind: ClassVar[str] = "line"
    order: ClassVar[int] = 34
    title: ClassVar[str] = "Lines of recipes"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        for chapter in seen.chapters:
            layer = chapter.layer
            if not layer.where.terms:
                continue
            scope = seen.scope_of(chapter)
            for k, term in enumerate(layer.where.terms):
                said = term.finding(scope)
                if said:
                    what = f"Line {k + 1} of '{layer.name}' ({term.source.title.lower()})"
                    yield self.found("warning", what, said, layer.id, k, layer=layer.id, line=k)
