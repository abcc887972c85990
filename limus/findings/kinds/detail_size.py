"""Detail that no texel can hold, or that is larger than the object."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen

#: Texels along a side of the finest maps that are usual in a delivery, and how many texels a detail needs to be seen.
FINEST, NEEDS = 4096, 1.5


class DetailSize(Finding):
    """Sizes in mm that are set on a layer and are finer than the texels of a fine delivery, or larger than the object:
    they change nothing that anybody sees.
    """

    kind: ClassVar[str] = "detail-size"
    order: ClassVar[int] = 64
    title: ClassVar[str] = "Detail that does not fit"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels = seen.chronicle.texels
        finest = texels.texel_mm * texels.size / FINEST * NEEDS
        largest = 1000.0 * texels.mesh.diagonal
        for chapter in seen.chapters:
            effect = chapter.layer.effect
            fine, large = [], []
            for field, about in type(effect).model_fields.items():
                extra: Any = about.json_schema_extra or {}
                value = getattr(effect, field)
                if not self._is_size(extra, value) or not self._applies(effect, extra):
                    continue
                if value < finest:
                    fine.append(f"{about.title or field} ({value:g} mm)")
                elif value > largest:
                    large.append(f"{about.title or field} ({value:g} mm)")
            name, layer = chapter.layer.name, chapter.layer.id
            if fine:
                yield self.found(
                    "note",
                    f"'{name}' has detail finer than texels: {', '.join(fine[:3])}",
                    f"At {FINEST} texels a side one is {finest / NEEDS:.2g} mm here, so it will not be seen as itself",
                    layer,
                    "fine",
                    layer=layer,
                    how="Raise it, or leave it where the surface is only seen from afar",
                )
            if large:
                yield self.found(
                    "warning",
                    f"'{name}' has a pattern larger than the object: {', '.join(large[:3])}",
                    "A pattern that does not fit on the object shows as one even tone",
                    layer,
                    "large",
                    layer=layer,
                    how="Lower it to a size that repeats over the object",
                )

    @staticmethod
    def _is_size(extra: Any, value: object) -> bool:
        """A size of something, not an amount or a place: those run by factors."""
        return (
            isinstance(extra, dict)
            and extra.get("unit") == "mm"
            and extra.get("scale") == "log"
            and isinstance(value, float)
            and value > 0
        )

    @staticmethod
    def _applies(effect: object, extra: dict[str, Any]) -> bool:
        when, unless = extra.get("when") or {}, extra.get("unless") or {}
        return all(getattr(effect, key, None) == value for key, value in when.items() if key != "any") and all(
            getattr(effect, key, None) != value for key, value in unless.items()
        )
