"""Source: chosen parts."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from limus.masks.source import Scope, Source


class Parts(Source):
    """White on the chosen parts of the object."""

    kind: Literal["parts"] = "parts"
    order: ClassVar[int] = 23
    title: ClassVar[str] = "Parts"
    reading: ClassVar[str] = "part"
    group: ClassVar[str] = "Chosen by hand"
    sentence: ClassVar[str] = "on {names}"

    names: list[str] = Field(
        default_factory=list,
        max_length=512,
        title="Parts",
        description="Names of parts",
        json_schema_extra={"control": "parts"},
    )

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0 or 1; names that the object does not have count as nothing."""
        texels = scope.place.texels
        chosen = np.array([p.name in self.names for p in texels.mesh.parts], np.float32)
        return chosen[texels.part]
