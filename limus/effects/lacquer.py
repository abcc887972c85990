"""Effect: lacquer."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import LACQUER
from limus.patterns.scratches import scratches


class Lacquer(Effect):
    """A clear coat: it hides nothing and shines over everything before it; what comes later lies on it and takes its
    gloss away.
    """

    kind: Literal["lacquer"] = "lacquer"
    order: ClassVar[int] = 1
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("brass", ())
    title: ClassVar[str] = "Lacquer"
    group: ClassVar[Group] = "Finish"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    summary: ClassVar[str] = "A clear, glossy coat with fine scratches of its own, worn at the edges, yellowed with age"
    when: ClassVar[str] = (
        "On brass, timber and good paint. Before chips, so that it is gone where they are; never needed over dirt"
    )

    thickness_um: float = number(40.0, "Thickness", "µm", 0.0, 1000.0, (5.0, 120.0))
    roughness: float = number(0.08, "Roughness", "", 0.0, 1.0, (0.0, 0.5), "Low is glossy")
    ior: float = number(1.5, "Index of refraction", "", 1.0, 3.0, (1.3, 1.8))
    yellowing: float = number(
        0.15, "Yellowing", "%", 0.0, 1.0, about="How far it has turned amber, more where it is thick"
    )
    scratches: float = number(0.35, "Fine scratches", "%", 0.0, 1.0, about="Hairlines in the lacquer itself")
    scratch_mm: float = number(40.0, "Their length", "mm", 1.0, 1000.0, (5.0, 200.0), log=True, grows=0.4)
    worn: float = number(0.4, "Worn at edges", "%", 0.0, 1.0, about="Rubbed away on convex edges")
    edge_mm: float = number(
        5.0, "Edge size", "mm", 0.05, 1000.0, (0.5, 40.0), "Of edges that wear", log=True, grows=0.5
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere but in a few dull patches."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(220.0, 1.0), octaves=4, seed=101), low=0.0, high=0.25, out_low=0.55)]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the clear coat."""
        film = event.step(self._film)
        wide = event.noise(self.scratch_mm * 3.0, octaves=3, salt=142)
        rough = self.roughness + 0.03 * np.abs(wide)
        if self.scratches > 0:
            rough = rough + 0.45 * event.step(self._lines)
        amber = np.array([1.0, 0.78, 0.42], np.float32)
        deep = np.clip(film * (self.yellowing * (0.6 + self.thickness_um / 100.0)), 0.0, 1.0)[:, None]
        tint = 1.0 + (amber - 1.0) * deep
        sheet = {
            "coat_weight": one(1.0),
            "coat_roughness": np.clip(rough, 0.0, 1.0),
            "coat_ior": one(self.ior),
            "coat_color": tint,
        }
        coat = event.coat(event.name, LACQUER, film * self.thickness_um, sheet)
        shown = 1.0 - np.exp(-film * (self.thickness_um / LACQUER.hide_um))
        return Outcome(event.pile.with_coat(coat), shown)

    def _film(self, event: Event) -> np.ndarray:
        curve = np.asarray(event.scope.place.measured.curvature(self.edge_mm), np.float32)
        film = np.clip(1.0 - 0.5 * curve, 0.5, 1.4)
        if self.worn > 0:
            patch = event.noise(self.edge_mm * 6.0, octaves=4, salt=143)
            wear = np.clip(
                (np.maximum(curve, 0) * 2.0 + 0.20 * patch - (0.75 - 0.5 * self.worn)) * 5.0,
                0.0,
                1.0,
            )
            film = film * (1.0 - wear)
        return (film * event.mask * event.strength).astype(np.float32)

    def _lines(self, event: Event) -> np.ndarray:
        texels = event.texels
        return scratches(
            texels.position,
            texels.normal,
            self.scratch_mm,
            0.06,
            per_cube=1.0 + 6.0 * self.scratches,
            seed=event.seed(141) & 0xFFFFFF,
            texel_mm=texels.texel_mm,
        )
