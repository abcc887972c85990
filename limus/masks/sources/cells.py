"""Source: cells."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, number
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.cells import cells
from limus.patterns.noise import warped


class CellsSource(Pattern):
    """Cells in space: distance from their middles, their borders, or a value for each."""

    kind: Literal["cells"] = "cells"
    order: ClassVar[int] = 31
    title: ClassVar[str] = "Cells"
    sentence: ClassVar[str] = "{what} of cells of {size_mm}"

    what: Literal["edges", "distance", "value"] = choice(
        "edges", "What", "White on the borders, white away from the middles, or a grey for each cell",
        edges="borders", distance="distances", value="values",
    )  # fmt: skip
    size_mm: float = size_field(40.0, "Size", "Width of a cell", grows=0.75)
    width_mm: float = size_field(1.5, "Border", "From this distance on a border is black", soft=(0.2, 30.0), grows=0.5)
    jitter: float = number(1.0, "Scatter", "", 0.0, 1.0, about="0: cubes in rows, 1: as chance has it")
    warp: float = number(0.0, "Waver", "", 0.0, 2.0, (0.0, 0.5), "How far the borders waver, in widths of a cell")
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels = scope.place.texels
        points, seed = texels.position, self.salt(scope)
        if self.size_mm < texels.texel_mm:
            return np.full(len(texels), 0.5, np.float32)
        if self.warp > 0:
            points = warped(
                points, self.size_mm * 0.6, self.warp * self.size_mm * 0.5, seed=seed + 3, texel_mm=texels.texel_mm
            )
        found = cells(points, self.size_mm, jitter=self.jitter, seed=seed, edges=self.what == "edges")
        if self.what == "value":
            return found.value
        if self.what == "distance":
            return np.clip(found.distance / (0.9 * self.size_mm), 0.0, 1.0)
        # A border thinner than a texel is fainter instead of broken.
        wide = max(self.width_mm, texels.texel_mm)
        return np.clip(1.0 - found.edge / wide, 0.0, 1.0) * (self.width_mm / wide)

    def finding(self, scope: Scope) -> str:
        """Cells, or their borders, too fine to be seen."""
        texel = scope.place.texels.texel_mm
        if self.what == "edges" and self.size_mm >= 2 * texel > 2 * self.width_mm:
            return (
                f"Its borders ({self.width_mm:.3g} mm) are finer than a texel ({texel:.3g} mm): they are shown "
                "fainter instead"
            )
        return super().finding(scope)
