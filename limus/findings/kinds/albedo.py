"""A colour that no surface has."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar

import numpy as np

from limus.findings.finding import Finding, Found
from limus.looks.seen import Seen
from limus.materials.albedo import plausible
from limus.materials.channels import CHANNELS, one, spread

#: Share of the surface that a coat must show on before its colour is judged.
SHOWS = 0.005


class Albedo(Finding):
    """Mean colour of a coat outside of what published albedos reach."""

    kind: ClassVar[str] = "albedo"
    order: ClassVar[int] = 60
    title: ClassVar[str] = "Colours that no surface has"

    def look(self, seen: Seen) -> Iterator[Found]:
        """See the class."""
        texels, names = seen.chronicle.texels, {c.layer.id: c.layer.name for c in seen.chapters}
        done: set[str] = set()
        for coat in seen.pile.coats:
            here = coat.layer not in done and coat.layer in names and "base_color" in coat.sheet
            if not here or coat.substance.family == "veil" or coat.substance.clear:
                continue
            weight = texels.area * seen.pile.exposure_of(f"{coat.layer}/{coat.piece}" if coat.piece else coat.layer)
            if float(weight.sum()) < SHOWS * float(texels.area.sum()):
                continue
            color = spread(coat.sheet["base_color"], CHANNELS["base_color"], len(weight))
            metal = spread(coat.sheet.get("metalness", one(0.0)), CHANNELS["metalness"], len(weight))
            mean = np.average(color, axis=0, weights=weight)
            odd = plausible(mean, float(np.average(metal, weights=weight)))
            if odd:
                done.add(coat.layer)
                yield self.found(
                    "warning", f"The colour of '{names[coat.layer]}' is unlikely", odd, coat.layer, layer=coat.layer,
                    how="In another light it will stand out: bring it into range",
                )  # fmt: skip
