"""Effect: frost."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import FROST
from limus.materials.tone import toned
from limus.patterns.left_out import clipped, inside
from limus.readings.open_weather import openness


class Frost(Effect):
    """Hoar frost: crystals on what loses its warmth to the open sky first: edges and what stands out, what faces up,
    never what is sheltered.
    """

    kind: Literal["frost"] = "frost"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 23
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    title: ClassVar[str] = "Frost"
    group: ClassVar[Group] = "Weather"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    figures: ClassVar[str] = "Albedo: Oke, Boundary Layer Climates, table 1.1 (from memory)"
    summary: ClassVar[str] = "A thin crust of crystals, edges and what faces up first"
    when: ClassVar[str] = "On a clear cold morning, instead of snow or before it"

    amount: float = number(
        0.5, "Amount", "%", 0.0, 1.0, about="From a breath of it on edges to white all over", place="amount"
    )
    edges: float = number(0.6, "On edges", "%", 0.0, 1.0, about="How far edges and rims are ahead")
    edge_mm: float = number(
        6.0, "Edge size", "mm", 0.05, 1000.0, (1.0, 60.0), "Rounding of the edges that count", log=True, grows=0.5
    )
    crystal_mm: float = number(1.2, "Crystal size", "mm", 0.1, 20.0, (0.4, 5.0), log=True, grows=0.0)
    thickness_um: float = number(220.0, "Thickness", "µm", 0.0, 5000.0, (0.0, 1500.0), "Where there is most of it")
    patch_mm: float = number(
        45.0, "Patches", "mm", 1.0, 10000.0, (5.0, 300.0), "Where it began to grow", log=True, grows=0.7
    )
    glints: float = number(0.6, "Glints", "%", 0.0, 1.0, about="Crystals that flash")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions far more."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(380.0, 1.0), octaves=4, seed=192), low=0.15, high=0.8, out_low=0.12)]
        )

    def apply(self, event: Event) -> Outcome:
        """Let it grow."""
        share = event.step(self._share)
        fine = event.noise(self.crystal_mm, octaves=3, gain=0.7, salt=221)
        thickness = film_um(share * 0.9, FROST.hide_um) * (max(self.thickness_um, 1.0) / 276.0)
        thickness = thickness * np.clip(1.0 + 0.55 * fine, 0.05, 3.0)
        shown = (share * min(1.0, self.thickness_um / 40.0)).astype(np.float32)
        sheet = {
            "base_color": toned((0.80, 0.83, 0.86), 1.0 + 0.06 * fine, 0.8, 1.1),
            "roughness": np.clip(0.72 + 0.12 * fine, 0.35, 1.0),
            "specular_ior": one(1.31),
            "subsurface_weight": one(0.25),
            "subsurface_color": one((0.86, 0.89, 0.92)),
            "fuzz_weight": one(0.25),
            "fuzz_color": one((0.95, 0.97, 1.0)),
        }
        if self.glints > 0:
            sheet["glint_density"] = (self.glints * 0.7 * share).astype(np.float32)
        return Outcome(event.pile.with_coat(event.coat(event.name, FROST, thickness, sheet)), shown)

    def _share(self, event: Event) -> np.ndarray:
        place, texels, amount = event.scope.place, event.texels, self.amount * event.strength
        up = texels.normal[:, 1]
        curve = place.measured.curvature(self.edge_mm)
        cold = openness(place) * (0.30 + 0.45 * np.maximum(up, -0.4))
        cold = cold + 1.15 * self.edges * np.maximum(curve, 0) - 0.8 * np.maximum(-curve, 0)
        patch = event.noise(self.patch_mm, octaves=5, gain=0.6, salt=222)
        crystal = event.noise(self.crystal_mm * 3.0, octaves=4, gain=0.7, salt=223)
        cold = cold + 0.09 * patch + 0.08 * crystal
        level = 0.95 - 1.15 * amount
        here = (0.4 + 0.6 * event.mask) * (1.0 / 0.55)
        fine = event.left_out(self.crystal_mm * 3.0, gain=0.7)
        unseen = here * np.float32(np.hypot(0.09 * event.left_out(self.patch_mm, octaves=5, gain=0.6), 0.08 * fine))
        cold = cold * here - level / 0.55
        out = clipped(cold, unseen) * np.clip(0.75 + 0.35 * crystal, 0.0, 1.3)
        if fine > 0:
            # Crystals too fine to be told apart are thickest where there are most of them.
            out = out + 0.35 * fine * 0.08 * fine * here * inside(cold, unseen)
        return np.asarray(
            np.clip(out, 0.0, 1.0) * np.minimum(event.mask * 10.0, 1.0) * min(1.0, 3.0 * amount),
            np.float32,
        )
