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
from limus.materials.channels import BLUE, RED, full, sheet
from limus.materials.substance import DUST, covered


class Dust(Effect):
    """Fine dust that settles from the air.

    The flux on a slope goes with the cosine of the slope (Hinds, Aerosol Technology), which the effect applies itself; the recipe
    says where it is sheltered, blown off or rubbed away.
    """

    kind: Literal["dust"] = "dust"
    order: ClassVar[int] = 4
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Dust"
    summary: ClassVar[str] = "Settles on what faces up, thin on edges that are touched"

    color: tuple[float, float, float] = colour((0.36, 0.315, 0.25), "Color")
    thickness_um: float = number(16.0, "Thickness", "µm", 0.0, 2000.0, (0.0, 80.0), "On a level place under the open sky")
    cling: float = number(0.12, "Clings to walls", "%", 0.0, 1.0, (0.0, 0.6), "Share that settles on upright surfaces")
    rubbed: float = number(0.5, "Rubbed off edges", "%", 0.0, 1.0, about="How much is missing on convex edges")
    corners: float = number(0.4, "Gathers in corners", "%", 0.0, 1.0)

    @classmethod
    def default_where(cls) -> Recipe:
        """What faces up and sees the sky, broken up."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.3, high=0.75),
                term(Sky(), low=0.05, high=0.6, amount=0.7),
                term(Noise(size_mm=40.0, octaves=5, seed=9), low=0.05, high=0.75, amount=0.6),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        film = ["dust", event.mask_key, event.strength, self.thickness_um, self.cling, self.rubbed, self.corners]
        thickness = event.kept(film, lambda: self._thickness(event))
        out = event.kept(["dust sheet", self.color], lambda: self._sheet(event))
        shown = event.kept([*film, "shown"], lambda: covered(thickness, DUST))
        return Outcome(event.pile.with_coat(event.coat(event.name, DUST, thickness, out)), shown)

    def _thickness(self, event: Event) -> np.ndarray:
        up = np.maximum(event.pile.texels.normal[:, 1], np.float32(0.0))
        settle = np.float32(self.cling) + np.float32(1.0 - self.cling) * up
        curve = event.scope.place.measured.curvature(8.0)
        keep = np.clip(np.float32(1.0) - np.float32(self.rubbed * 3.0) * np.maximum(curve, 0), 0.0, 1.0) + np.float32(
            self.corners * 2.0
        ) * np.maximum(-curve, 0)
        return event.mask * np.float32(event.strength * self.thickness_um) * settle * keep

    def _sheet(self, event: Event) -> np.ndarray:
        tone = event.noise(30.0, octaves=3, salt=51)
        out = full(sheet(self.color, 0.0, 0.97), len(tone))
        out[:, RED : BLUE + 1] *= np.clip(np.float32(1.0) + np.float32(0.10) * tone, 0.5, 1.6)[:, None]
        return out
