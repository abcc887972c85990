"""Effect: oil and grease."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, raised
from limus.masks.recipe import Recipe, term
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import GREASE, Substance
from limus.materials.tone import toned
from limus.patterns.left_out import clipped
from limus.surface.blur import blur

#: A film of oil: it darkens what is below and makes it shine, and hides little of it.
OIL = Substance("loose", hide_um=22.0, porosity=0.0, brittleness=0.0)


class Grease(Effect):
    """Oil creeps, runs and collects dust; grease sits where it was put, with marks of the finger that put it there."""

    kind: Literal["grease"] = "grease"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 14
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Oil and grease"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "root"
    group: ClassVar[Group] = "Marks and stains"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "patch_mm"}
    louder: ClassVar[str] = "raise the amount and the size of patches, or give its place as parts or strokes"
    summary: ClassVar[str] = "A dark, shining film with runs below it, or thick grease around bearings and screws"
    when: ClassVar[str] = (
        "Around shafts, bearings, hinges and chains: give its place as those parts, or the distance to them"
    )

    what: Literal["oil", "grease"] = choice(
        "oil", "What", "A thin film that runs, or a thick paste", oil="oil", grease="grease"
    )
    color: tuple[float, float, float] = colour((0.022, 0.016, 0.010), "Colour")
    amount: float = number(0.6, "Amount", "%", 0.0, 1.0, about="How much of its place it covers")
    patch_mm: float = number(16.0, "Patch size", "mm", 0.2, 1000.0, (2.0, 100.0), log=True, grows=0.5)
    runs_mm: float = number(
        50.0, "Runs", "mm", 0.0, 5000.0, (0.0, 400.0), "How far oil runs down", grows=0.6, when={"what": "oil"}
    )
    thickness_mm: float = number(
        0.8, "Thickness", "mm", 0.0, 30.0, (0.0, 5.0), "Of grease", grows=0.3, when={"what": "grease"}
    )
    roughness: float = number(0.16, "Roughness", "", 0.0, 1.0, (0.02, 0.6), "Low is fresh")
    sheen: float = number(
        0.0, "Rainbow film", "%", 0.0, 1.0, about="Colours of a film that lies on water or wet stone",
        when={"what": "oil"},
    )  # fmt: skip

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Joints and hollows, in a few places."""
        return Recipe(
            terms=[
                term(Hollows(radius_mm=size.mm(14.0, 0.6)), low=0.03, high=0.3),
                term(Sheltered(reach_mm=size.mm(40.0, 0.75)), low=0.25, high=0.8, combine="add", amount=0.5),
                term(
                    Noise(size_mm=size.mm(110.0, 0.9), octaves=3, seed=112),
                    low=0.74,
                    high=0.97,
                    combine="add",
                    amount=0.4,
                ),
                term(Noise(size_mm=size.mm(330.0, 1.0), octaves=3, seed=111), low=0.45, high=0.8, out_low=0.05),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Lay the film or the paste."""
        share = event.step(self._share)
        patch = event.noise(self.patch_mm * 0.6, octaves=4, salt=163)
        sheet = {
            "base_color": toned(self.color, 1.0 + 0.2 * patch, 0.3, 2.0),
            "roughness": np.clip(self.roughness + 0.05 * np.abs(patch) + 0.25 * (1 - share), 0.0, 1.0),
        }
        substance = OIL if self.what == "oil" else GREASE
        if self.what == "oil" and self.sheen > 0:
            sheet |= {
                "thin_film_weight": one(self.sheen),
                "thin_film_thickness": np.clip(420.0 + 120.0 * patch, 100, 900),
                "thin_film_ior": one(1.45),
            }
        out = event.pile.with_coat(
            event.coat(
                event.name,
                substance,
                film_um(share * (0.9 if self.what == "oil" else 1.0), substance.hide_um),
                sheet,
            )
        )
        if self.what == "grease" and self.thickness_mm > 0:
            smear = event.noise(self.patch_mm * 0.25, octaves=3, tall=0.35, salt=164)
            out = raised(
                out,
                (share * self.thickness_mm * np.clip(0.6 + 0.25 * smear, 0.1, 1.3)).astype(np.float32),
            )
        return Outcome(out, share)

    def _share(self, event: Event) -> np.ndarray:
        patch = event.noise(self.patch_mm, octaves=5, gain=0.55, salt=161)
        film = event.mask * (0.55 + 0.7 * self.amount) + (0.18 * patch - 0.26) * np.minimum(event.mask * 6.0, 1.0)
        unseen = event.left_out(self.patch_mm, octaves=5, gain=0.55)
        body = clipped(film * 3.0, 3.0 * 0.18 * unseen * np.minimum(event.mask * 6.0, 1.0))
        if self.what == "oil" and self.runs_mm > 0:
            lane = event.noise(self.patch_mm * 0.35, octaves=3, tall=20.0, salt=162)
            # A run takes what there is over its width, however finely that is drawn.
            down = event.run_down(blur(event.texels, body, 0.25 * self.patch_mm), self.runs_mm)
            body = np.maximum(
                body,
                0.9
                * clipped(
                    (down * 1.5 + 0.3 * lane - 0.55) / 0.9,
                    0.3 / 0.9 * event.left_out(self.patch_mm * 0.35, octaves=3),
                )
                * np.minimum(down * 3, 1.0),
            )
        return (body * (min(1.0, 0.35 + self.amount) * event.strength)).astype(np.float32)
