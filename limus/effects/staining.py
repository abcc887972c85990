"""Effect: staining."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import choice, colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, ramp
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import LIME, STAIN
from limus.materials.tone import toned
from limus.patterns.left_out import clipped
from limus.surface.blur import blur

#: Colour of each stain, linear.
COLORS = {"rust": (0.20, 0.068, 0.020), "lime": (0.56, 0.54, 0.50), "soot": (0.012, 0.011, 0.010)}


class Staining(Effect):
    """What is carried from one thing to another: rust from iron over the stone below it, lime out of cracks and
    joints, soot above openings.
    """

    kind: Literal["staining"] = "staining"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 13
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Stains"
    group: ClassVar[Group] = "Weather"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount"}
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint", "chipping"))
    law: ClassVar[Law] = "root"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    summary: ClassVar[str] = "Rust below iron, lime below cracks and joints, soot above openings"
    when: ClassVar[str] = "After iron has rusted, after cracks have opened, after fires; before dust and water"

    what: Literal["rust", "lime", "soot"] = choice(
        "rust", "Stain", "What is carried, and which way", rust="rust, down from iron",
        lime="lime, down from cracks and joints", soot="soot, up from openings",
    )  # fmt: skip
    source: Literal["found", "place"] = choice(
        "found", "Begins", "At what is there, or wherever the place of the layer is white",
        found="at iron, cracks or openings", place="where the recipe says",
    )  # fmt: skip
    amount: float = number(0.55, "Amount", "%", 0.0, 1.0, about="How dense it is where it begins", place="amount")
    length_mm: float = number(
        170.0, "Length", "mm", 1.0, 20000.0, (10.0, 1500.0), "Until a third of it is left", log=True, grows=0.8
    )
    width_mm: float = number(9.0, "Width of streaks", "mm", 0.2, 500.0, (1.0, 80.0), log=True, grows=0.55)
    spread_mm: float = number(
        7.0, "Halo", "mm", 0.0, 1000.0, (0.0, 80.0), "How far it soaks in around where it begins", grows=0.5
    )
    broken: float = number(0.5, "Broken", "%", 0.0, 1.0, about="How uneven streaks are")
    color: tuple[float, float, float] = colour((0.20, 0.068, 0.020), "Colour of rust", when={"what": "rust"})

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions more."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(300.0, 1.0), octaves=3, seed=291), low=0.15, high=0.7, out_low=0.15)]
        )

    @classmethod
    def on_ground(cls, families: Collection[str]) -> dict[str, Any]:
        """Stone and concrete without iron in it are stained by lime."""
        return {"what": "lime"} if "mineral" in families and "ferrous" not in families else {}

    def apply(self, event: Event) -> Outcome:
        """Carry it."""
        pile = event.pile
        start, missing = self._start(event)
        if not anywhere(start * event.mask > 0.004):
            return event.nothing(missing)
        share = self._share(event, start)
        if not anywhere(share > 0.004):
            return event.nothing(missing)
        tone = 1.0 + 0.20 * event.noise(self.width_mm * 2.0, octaves=4, tall=4.0, salt=292)
        if self.what == "lime":
            # Runs of lime stand up from the wall, in steps as it grew.
            steps = event.noise(self.width_mm * 0.7, octaves=3, gain=0.6, tall=0.5, salt=296)
            crust = np.square(share) * np.clip(0.7 + 0.4 * steps, 0.0, 2.0) * (45.0 * self.width_mm)
            thickness = film_um(np.minimum(share, 0.95), LIME.hide_um) + np.minimum(crust, 3000.0)
            sheet = {"base_color": toned(COLORS["lime"], tone, 0.6, 1.4), "roughness": one(0.82)}
            return Outcome(pile.with_coat(event.coat(event.name, LIME, thickness, sheet)), share)
        color = self.color if self.what == "rust" else COLORS["soot"]
        sheet = {"base_color": toned(color, tone, 0.4, 1.7), "roughness": one(0.88 if self.what == "rust" else 0.97)}
        return event.deposit(STAIN, share, sheet)

    def _start(self, event: Event) -> tuple[np.ndarray, str]:
        """(n,) float32 0..1 where it begins, and what to do where it begins nowhere."""
        pile = event.pile
        if self.source == "place":
            return event.mask, "The place is black everywhere"
        if self.what == "rust":
            iron = np.zeros(len(event.mask), np.float32)
            for family in ("ferrous", "oxide"):
                if pile.has(family):
                    iron = np.maximum(iron, pile.exposed(family))
            return iron, "No bare iron and no rust shows here: let iron rust first, or take the recipe as its beginning"
        if self.what == "lime":
            start = pile.clefts(1.5 * event.texel_mm + 1.0)
            if pile.marks.joint is not None:
                start = np.maximum(start, pile.marks.joint * 0.6)
            return (
                start,
                "There are no cracks and no joints here: open cracks first, or take the recipe as its beginning",
            )
        # Openings are deep: nearly nothing of the sky is seen out of them, and they begin at an edge.
        deep = ramp(np.asarray(event.scope.place.measured.sky, np.float32), 0.22, 0.06)
        steep = ramp(np.abs(event.texels.normal[:, 1]), 0.95, 0.6)
        return deep * np.maximum(steep, 0.3), "There are no openings here: take the recipe as its beginning"

    def _share(self, event: Event, start: np.ndarray) -> np.ndarray:
        texels = event.texels
        up = self.what == "soot"
        spots = event.noise(self.width_mm * 4.0, octaves=3, salt=293)
        source = start * event.mask * np.clip(1.0 + 0.8 * self.broken * (spots - 0.2), 0.0, 1.5)
        # From a part to what it sits on or in.
        near = event.across_contacts(np.minimum(source, 1.0), max(self.width_mm * 0.8, 3.0))
        source = np.maximum(source, near * 0.9).astype(np.float32)
        # A lane takes what there is over its width: how finely that is drawn makes no difference.
        source = np.minimum(blur(texels, source, 0.4 * self.width_mm) * 1.6, 1.0)
        carried = event.run_down(source, self.length_mm, upwards=up)
        lane = event.noise(self.width_mm, octaves=3, gain=0.6, tall=4.0 if up else 20.0, salt=294)
        gaps = event.noise(self.width_mm * 1.6, octaves=4, gain=0.6, tall=1.0 if up else 3.0, salt=295)
        of_lane, of_gaps = (0.2 if up else 0.55) + 0.2 * self.broken, 0.14 * self.broken
        no_gaps = event.left_out(self.width_mm * 1.6, octaves=4, gain=0.6)
        unseen = float(np.hypot(of_lane * event.left_out(self.width_mm, octaves=3, gain=0.6), of_gaps * no_gaps))
        streak = carried * clipped((0.52 if up else 0.42) + of_lane * lane + of_gaps * gaps, unseen)
        if self.spread_mm > 0:
            halo = np.sqrt(np.maximum(blur(texels, np.minimum(source, 1.0), self.spread_mm), 0.0))
            streak = np.maximum(streak, halo * clipped(0.55 + 0.35 * gaps, 0.35 * no_gaps) * 0.8)
        # What it comes from keeps its own colour.
        if self.what != "soot" and self.source == "found":
            streak = streak * (1.0 - np.minimum(start, 1.0) * (0.9 if self.what == "rust" else 0.0))
        return (np.clip(streak, 0.0, 0.94) * (self.amount**0.7 * event.strength)).astype(np.float32)
