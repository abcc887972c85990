"""Source: exposed substance, coat or base."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from limus.masks.source import Scope, Source
from limus.materials.substance import FAMILIES

#: Words of older documents for two families.
_OLD = {"iron": "family:ferrous", "coating": "family:coating"}


class Exposed(Source):
    """How much of a substance, of a coat, or of the bare base is visible at this moment of the chronicle."""

    kind: Literal["exposed"] = "exposed"
    order: ClassVar[int] = 39
    title: ClassVar[str] = "Exposed"
    group: ClassVar[str] = "The chronicle"
    sentence: ClassVar[str] = "where {what} shows"
    looks_back: ClassVar[bool] = True
    names_layer: ClassVar[str] = "what"

    what: str = Field(
        "base",
        max_length=80,
        title="What",
        description="'base', 'family:' and a family of substances, the id of an earlier layer, or of one of its "
        "coats ('paint/primer')",
        json_schema_extra={
            "control": "exposed",
            "names": {"base": "the bare base", **{f"family:{k}": v for k, v in FAMILIES.items()}},
        },
    )

    @field_validator("what", mode="before")
    @classmethod
    def _from_before(cls, given: Any) -> Any:
        if not isinstance(given, str):
            return given
        if given.startswith("family:") and given.removeprefix("family:") not in FAMILIES:
            raise ValueError(f"'{given}' is no family of substances; there are {', '.join(FAMILIES)}")
        return _OLD.get(given, given)

    @property
    def layer_named(self) -> str:
        """Id of the layer it looks at, "" where it looks at the base or a family."""
        return "" if self.what == "base" or self.what.startswith("family:") else self.what.split("/")[0]

    def finding(self, scope: Scope) -> str:
        """A clear coat never shows as itself; a substance may not be there at all."""
        if scope.moment is None or not self.layer_named:
            return ""
        thickness = scope.moment.coat_thickness(self.what)
        if float(thickness.max(initial=0.0)) > 0.01 and not self.cached(scope).any():
            return (
                "What it names is clear or covered everywhere, so nothing of it shows as itself: read the thickness "
                "of the coat instead"
            )
        return ""

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; 0 everywhere where the layer has not happened yet."""
        if scope.moment is None:
            return np.ones(len(scope.place.texels), np.float32)
        return scope.moment.exposure_of(self.what)
