"""Effect: leaks."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.hollows import Hollows
from limus.masks.sources.noise import Noise
from limus.masks.sources.slope import SlopeSource
from limus.materials.channels import one
from limus.materials.substance import STAIN
from limus.materials.tone import toned
from limus.patterns.left_out import clipped
from limus.surface.blur import blur


class Leaks(Effect):
    """Dirty water from ledges, joints, bolts or chosen points runs down the surface and dries.

    The place of the layer is where it begins; how it goes on follows the surface. Heads are broken, tails fade, lanes
    fork and meet.
    """

    kind: Literal["leaks"] = "leaks"
    order: ClassVar[int] = 12
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Leaks and runs"
    group: ClassVar[Group] = "Marks and stains"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount", "size": "width_mm"}
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "root"
    edition: ClassVar[int] = 2
    louder: ClassVar[str] = "raise the amount and the width, or give their place as parts or strokes"
    summary: ClassVar[str] = "Streaks below ledges, joints and fixings, down the way water takes"
    when: ClassVar[str] = (
        "Under sills, lids, pipes and bolts; give its place as parts, strokes or another layer's mask to choose "
        "where it begins"
    )

    color: tuple[float, float, float] = colour((0.058, 0.045, 0.033), "Colour")
    amount: float = number(0.6, "Amount", "%", 0.0, 1.0, about="How dark the streaks are at their heads")
    length_mm: float = number(
        160.0, "Length", "mm", 1.0, 20000.0, (10.0, 1500.0), "Until a third of it is left", log=True, grows=0.8
    )
    width_mm: float = number(7.0, "Width", "mm", 0.2, 500.0, (1.0, 60.0), "Of one streak", log=True, grows=0.7)
    broken: float = number(
        0.6, "Broken", "%", 0.0, 1.0, about="How many heads are missing, and how much streaks are interrupted"
    )
    rim: float = number(0.35, "Dried rim", "%", 0.0, 1.0, about="Darker borders where the water dried")
    roughness: float = number(0.8, "Roughness", "", 0.05, 1.0, (0.2, 1.0))

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Ledges and the hollows under what stands out, where the surface is steep."""
        return Recipe(
            terms=[
                term(Hollows(radius_mm=size.mm(10.0, 0.6)), low=0.05, high=0.3),
                term(Edges(radius_mm=size.mm(10.0, 0.6)), low=0.15, high=0.45, combine="screen", amount=0.55),
                term(SlopeSource(towards="up", span="180"), low=0.75, high=0.55, out_low=0.25),
                term(
                    Noise(size_mm=size.mm(45.0, 0.8), octaves=2, seed=63),
                    low=0.82,
                    high=0.95,
                    combine="add",
                    amount=0.6,
                ),
                term(Noise(size_mm=size.mm(70.0, 0.8), octaves=3, seed=61), low=0.3, high=0.65),
                term(Noise(size_mm=size.mm(400.0, 1.0), octaves=3, seed=62), low=0.28, high=0.75, out_low=0.1),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Run down from the place, and dry."""
        share = event.step(self._share)
        tone = 1.0 + 0.16 * event.noise(self.width_mm * 2, octaves=4, tall=6.0, salt=104)
        sheet = {"base_color": toned(self.color, tone, 0.4, 1.6), "roughness": one(self.roughness)}
        return event.deposit(STAIN, share, sheet)

    def _share(self, event: Event) -> np.ndarray:
        head = event.noise(self.width_mm * 5.0, octaves=3, salt=101)
        source = event.mask * np.clip(1.1 + self.broken * (head - 0.7), 0.0, 1.4)
        # From a fixing to what it sits on, though they are not one surface.
        beside = event.across_contacts(source, self.width_mm * 0.6)
        source = np.maximum(source, beside * 0.8)
        # A streak takes what there is over its width, however finely that is drawn.
        source = blur(event.texels, np.ascontiguousarray(source, np.float32), 0.25 * self.width_mm)
        near = event.run_down(source, self.length_mm * 0.35)
        far = event.run_down((source * (head > 0.4)).astype(np.float32), self.length_mm * 1.3)
        carried = np.maximum(near, far * 0.8)
        lane = event.noise(self.width_mm, octaves=3, gain=0.55, tall=26.0, salt=102)
        gaps = event.noise(self.width_mm * 1.5, octaves=4, gain=0.6, tall=3.5, salt=103)
        film = carried + 0.36 * lane - 0.30 + self.broken * 0.10 * gaps
        unseen = float(
            np.hypot(
                0.36 * event.left_out(self.width_mm, octaves=3, gain=0.55),
                0.10 * self.broken * event.left_out(self.width_mm * 1.5, octaves=4, gain=0.6),
            )
        )
        body = clipped(film * 1.9, 1.9 * unseen)
        # Where a film ends it leaves more behind than in its middle: up to 1 there and down again.
        off = (film - 0.10) * 9.0
        edge = clipped(1.0 + off, 9.0 * unseen) + clipped(1.0 - off, 9.0 * unseen) - 1.0
        edge = np.maximum(edge, 0.0) * self.rim
        out = (body * 0.8 + edge * 0.5) * np.minimum(carried * 1.8, 1.0)
        return (np.clip(out, 0.0, 0.95) * (self.amount * event.strength)).astype(np.float32)
