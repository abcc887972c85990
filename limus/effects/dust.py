"""Effect: dust."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.sky import Sky
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import DUST, covered
from limus.materials.tone import toned
from limus.patterns.scratches import scratches
from limus.surface.blur import blur


class Dust(Effect):
    """Fine dust that settles from the air.

    The flux on a slope goes with the cosine of the slope (Hinds, Aerosol Technology), which the effect applies itself;
    the recipe says where it is sheltered, blown off or rubbed away. It lies in grains and clumps, not as a veil.
    """

    kind: Literal["dust"] = "dust"
    order: ClassVar[int] = 20
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Dust"
    group: ClassVar[Group] = "Deposits"
    photographed: ClassVar[dict[str, str]] = {"color": "color"}
    begins: ClassVar[bool] = True
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "even"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    figures: ClassVar[str] = (
        "It settles with the cosine of the slope, in step with time: Hinds, Aerosol Technology (from memory)"
    )
    summary: ClassVar[str] = (
        "Settles in grains on what faces up, thin on edges that are touched, with the trails of fingers"
    )
    when: ClassVar[str] = "Last of all on what stands indoors or under a roof; a little of it everywhere else"

    color: tuple[float, float, float] = colour((0.29, 0.262, 0.222), "Colour")
    thickness_um: float = number(
        16.0, "Thickness", "µm", 0.0, 2000.0, (0.0, 80.0), "On a level place under the open sky"
    )
    cling: float = number(0.05, "Clings to walls", "%", 0.0, 1.0, (0.0, 0.6), "Share that settles on upright surfaces")
    grain: float = number(0.6, "Grainy", "%", 0.0, 1.0, about="How uneven it lies from near")
    grain_mm: float = number(1.1, "Grain size", "mm", 0.05, 50.0, (0.2, 6.0), "Of lint and clumps", log=True, grows=0.3)
    rubbed: float = number(0.5, "Rubbed off edges", "%", 0.0, 1.0, about="How much is missing on convex edges")
    corners: float = number(0.4, "Gathers in corners", "%", 0.0, 1.0)
    trails: float = number(0.25, "Finger trails", "%", 0.0, 1.0, about="Places where a hand went through it")
    fuzz: float = number(0.12, "Fuzz", "%", 0.0, 1.0, about="Brightens at grazing angles, as loose dust does")
    edge_mm: float = number(
        8.0, "Edge size", "mm", 0.05, 1000.0, (1.0, 60.0), "Rounding of the edges and corners that count for both",
        log=True, grows=0.5,
    )  # fmt: skip
    mottle_mm: float = number(
        30.0, "Mottle size", "mm", 0.5, 100000.0, (5.0, 200.0), "Slow change of its tone", log=True, grows=0.75
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """What faces up and sees the sky, drifted into some places and blown off others."""
        return Recipe(
            terms=[
                term(SlopeSource(towards="up", span="180"), low=0.35, high=0.8, out_low=0.04),
                term(Sky(), low=0.05, high=0.6, amount=0.7),
                term(Noise(size_mm=size.mm(40.0, 0.75), octaves=5, seed=9), low=0.05, high=0.75, amount=0.6),
                term(Noise(size_mm=size.mm(420.0, 1.0), octaves=4, seed=10), low=0.15, high=0.8, amount=0.75),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the coat."""
        sheet = {"base_color": event.step(self._color), "roughness": one(0.97)}
        if self.fuzz > 0:
            sheet |= {
                "fuzz_weight": one(self.fuzz),
                "fuzz_color": one(tuple(min(1.0, c * 1.8) for c in self.color)),
                "fuzz_roughness": one(0.6),
            }
        coat = event.coat(event.name, DUST, event.step(self._thickness), sheet)
        return Outcome(event.pile.with_coat(coat), event.step(self._shown))

    def _shown(self, event: Event) -> np.ndarray:
        return covered(event.step(self._thickness), DUST)

    def _thickness(self, event: Event) -> np.ndarray:
        texels = event.texels
        up = np.maximum(texels.normal[:, 1], 0.0)
        settle = self.cling + (1.0 - self.cling) * up
        curve = event.scope.place.measured.curvature(self.edge_mm)
        keep = np.clip(1.0 - self.rubbed * 3.0 * np.maximum(curve, 0), 0.0, 1.0) + self.corners * 2.0 * np.maximum(
            -curve, 0
        )
        amount = event.mask * settle
        # It slides and drifts a little way: no jump of tone at a hard edge.
        amount = (amount * 0.6 + 0.4 * blur(texels, amount, self.edge_mm * 0.5)) * keep
        if self.grain > 0:
            fine = event.noise(self.grain_mm, octaves=3, gain=0.75, salt=52)
            clump = event.noise(self.grain_mm * 7.0, octaves=4, gain=0.6, salt=53)
            amount = amount * np.clip(
                np.exp(self.grain * (0.6 * fine + 0.45 * clump) - 0.28 * self.grain**2),
                0.0,
                4.0,
            )
        if self.trails > 0:
            size = 90.0 * min(max(texels.mesh.diagonal, 0.2), 2.0) ** 0.5
            where = np.clip(event.noise(size * 3.0, octaves=2, salt=54) * 1.6 - 1.0, 0.0, 1.0)
            wiped = scratches(
                texels.position,
                texels.normal,
                size,
                11.0,
                per_cube=0.9,
                seed=event.seed(55) & 0xFFFF,
                texel_mm=texels.texel_mm,
            )
            amount = amount * (1.0 - 0.9 * self.trails**0.5 * where * np.minimum(wiped * 1.6, 1.0))
        return (amount * (event.strength * self.thickness_um)).astype(np.float32)

    def _color(self, event: Event) -> np.ndarray:
        tone = event.noise(self.mottle_mm, octaves=3, salt=51)
        fine = event.noise(self.grain_mm, octaves=3, gain=0.75, salt=52)
        return toned(self.color, 1.0 + 0.09 * tone + 0.10 * fine, 0.5, 1.6)
