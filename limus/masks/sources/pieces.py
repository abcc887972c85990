"""Source: a value for each piece."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, number
from limus.masks.pattern import Pattern, seed_field, size_field
from limus.masks.source import Scope
from limus.patterns.pieces import Pieces, by_box, by_cell, by_number


class PiecesSource(Pattern):
    """Every part, island, tile or cell differs a little: its own grey, its own level, or its own tilt."""

    kind: Literal["pieces"] = "pieces"
    order: ClassVar[int] = 37
    title: ClassVar[str] = "Pieces"
    sentence: ClassVar[str] = "a {give} for each {of}"

    of: Literal["part", "island", "tile", "cell"] = choice(
        "island", "Of", "What counts as a piece", part="part", island="UV island", tile="tile", cell="cell"
    )
    give: Literal["value", "offset", "tilt"] = choice(
        "value", "Gives", "Any grey; mostly the middle with a few that stand out; or a slant across each piece",
        value="value", offset="level", tilt="tilt",
    )  # fmt: skip
    size_mm: float = size_field(200.0, "Size", "Width of a tile or cell", soft=(10.0, 1000.0), grows=0.75)
    stagger: float = number(0.5, "Stagger", "", 0.0, 1.0, about="How far every other row is moved", when={"of": "tile"})
    seed: int = seed_field()

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1."""
        texels, seed = scope.place.texels, self.salt(scope)
        found: Pieces
        if self.of == "part":
            # By name, so that a part keeps its value when the model is replaced.
            names = [part.name for part in texels.mesh.parts]
            found = by_number(texels.part, [hash_of(name) for name in names], texels.position, seed)
        elif self.of == "island":
            count = int(texels.adjacency.island.max(initial=0)) + 1
            found = by_number(texels.island, list(range(count)), texels.position, seed)
        elif self.of == "tile":
            found = by_box(texels.position, self.size_mm, self.stagger, seed)
        else:
            found = by_cell(texels.position, self.size_mm, seed)
        return getattr(found, self.give)()  # type: ignore[no-any-return]

    def finding(self, scope: Scope) -> str:
        """Only tiles and cells have a size."""
        return super().finding(scope) if self.of in ("tile", "cell") else ""


def hash_of(name: str) -> int:
    """The same number for the same name everywhere (FNV-1a, 32 bit)."""
    out = 2166136261
    for byte in name.encode():
        out = ((out ^ byte) * 16777619) & 0xFFFFFFFF
    return out
