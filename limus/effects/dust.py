"""Effect: dust."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome
from limus.fields import colour, number
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.sky import Sky
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import DUST, covered
from limus.materials.tone import toned
from limus.object_size import ONE_METRE, ObjectSize


class Dust(Effect):
    """Fine dust that settles from the air.

    The flux on a slope goes with the cosine of the slope (Hinds, Aerosol Technology), which the effect applies itself; the recipe
    says where it is sheltered, blown off or rubbed away.
    """

    kind: Literal["dust"] = "dust"
    order: ClassVar[int] = 4
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Dust"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    summary: ClassVar[str] = "Settles on what faces up, thin on edges that are touched"

    color: tuple[float, float, float] = colour((0.36, 0.315, 0.25), "Color")
    thickness_um: float = number(16.0, "Thickness", "µm", 0.0, 2000.0, (0.0, 80.0), "On a level place under the open sky")
    cling: float = number(0.12, "Clings to walls", "%", 0.0, 1.0, (0.0, 0.6), "Share that settles on upright surfaces")
    rubbed: float = number(0.5, "Rubbed off edges", "%", 0.0, 1.0, about="How much is missing on convex edges")
    corners: float = number(0.4, "Gathers in corners", "%", 0.0, 1.0)
    edge_mm: float = number(
        8.0,
        "Edge size",
        "mm",
        0.05,
        1000.0,
        (1.0, 60.0),
        "Rounding of the edges and corners that count for both",
        log=True,
        grows=0.5,
    )
    mottle_mm: float = number(
        30.0, "Mottle size", "mm", 0.5, 100000.0, (5.0, 200.0), "Slow change of its tone", log=True, grows=0.75
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """What faces up and sees the sky, broken up."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.3, high=0.75),
                term(Sky(), low=0.05, high=0.6, amount=0.7),
                term(Noise(size_mm=size.mm(40.0, 0.75), octaves=5, seed=9), low=0.05, high=0.75, amount=0.6),
                term(Noise(size_mm=size.mm(420.0, 1.0), octaves=4, seed=10), low=0.1, high=0.7, amount=0.6),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        film = ["dust", event.mask_key, event.strength, self.thickness_um, self.cling, self.rubbed, self.corners, self.edge_mm]
        thickness = event.kept(film, lambda: self._thickness(event))
        color = event.kept(["dust color", self.color, self.mottle_mm], lambda: self._color(event))
        shown = event.kept([*film, "shown"], lambda: covered(thickness, DUST))
        sheet = {"base_color": color, "roughness": one(0.97)}
        return Outcome(event.pile.with_coat(event.coat(event.name, DUST, thickness, sheet)), shown)

    def _thickness(self, event: Event) -> np.ndarray:
        up = np.maximum(event.pile.texels.normal[:, 1], np.float32(0.0))
        settle = np.float32(self.cling) + np.float32(1.0 - self.cling) * up
        curve = event.scope.place.measured.curvature(self.edge_mm)
        keep = np.clip(np.float32(1.0) - np.float32(self.rubbed * 3.0) * np.maximum(curve, 0), 0.0, 1.0) + np.float32(
            self.corners * 2.0
        ) * np.maximum(-curve, 0)
        return event.mask * np.float32(event.strength * self.thickness_um) * settle * keep

    def _color(self, event: Event) -> np.ndarray:
        tone = event.noise(self.mottle_mm, octaves=3, salt=51)
        return toned(self.color, np.float32(1.0) + np.float32(0.10) * tone, 0.5, 1.6)
