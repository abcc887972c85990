"""Effect: scratches."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.blending import MODES
from limus.common.deciding import decided
from limus.common.fields import choice, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, raised
from limus.masks.recipe import Recipe, term
from limus.masks.sources.edges import Edges
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import thinned
from limus.patterns.scratches import scratches
from limus.strata.composite import Use
from limus.strata.pile import Coat

_AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class Scratching(Effect):
    """Fine lines everywhere that only the light shows, and deeper ones through the coats; always inwards, thin at
    both ends.
    """

    kind: Literal["scratching"] = "scratching"
    order: ClassVar[int] = 4
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Scratches"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    law: ClassVar[Law] = "even"
    group: ClassVar[Group] = "Paint and its losses"
    louder: ClassVar[str] = "raise the amounts and the width of deep ones, or look at a higher resolution from near"
    summary: ClassVar[str] = (
        "Fine wear in gloss and relief, and deep scratches through the coats, every way or around an axis"
    )
    when: ClassVar[str] = (
        "On anything that was handled, dragged or wiped; around an axis for what turns against something"
    )

    amount: float = number(0.6, "Fine scratches", "%", 0.0, 1.0, about="How many hairlines")
    deep: float = number(0.6, "Deep scratches", "%", 0.0, 1.0, about="How many go through the paint")
    length_mm: float = number(70.0, "Length", "mm", 1.0, 5000.0, (5.0, 400.0), "Of the longest", log=True, grows=0.6)
    width_mm: float = number(1.0, "Width of deep ones", "mm", 0.02, 50.0, (0.1, 8.0), log=True, grows=0.45)
    depth_um: float = number(120.0, "Depth of deep ones", "µm", 1.0, 3000.0, (10.0, 400.0), log=True)
    way: Literal["every", "along", "around"] = choice(
        "every", "Direction", "Every way, along an axis of the object, or around it", every="every way",
        along="along an axis", around="around an axis",
    )  # fmt: skip
    axis: Literal["x", "y", "z"] = choice(
        "y", "Axis", "Of the object", hints={"unless": {"way": "every"}}, x="X", y="Y (up)", z="Z"
    )
    spread: float = number(
        0.2, "Spread", "%", 0.0, 1.0, about="How far single ones leave that direction", unless={"way": "every"}
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Where something can get at it: more on bulges and edges, in regions."""
        return Recipe(
            terms=[
                term(Sheltered(reach_mm=size.mm(40.0, 0.75)), low=0.1, high=0.6, invert=True),
                term(Noise(size_mm=size.mm(170.0, 0.9), octaves=4, seed=91), low=0.25, high=0.8, out_low=0.12),
                term(Noise(size_mm=size.mm(420.0, 1.0), octaves=3, seed=92), low=0.25, high=0.7, out_low=0.15),
                term(Edges(radius_mm=size.mm(14.0, 0.75)), low=0.05, high=0.4, combine="add", amount=0.4),
            ]
        )

    def ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        """Depths through what was laid on, and a little into what is below."""
        thick: float = event.step(_thickest)
        return {"depth_um": (max(1.0, 0.03 * thick), 1.6 * thick)} if thick > 5.0 else {}

    def apply(self, event: Event) -> Outcome:
        """Cut."""
        pile = event.pile
        fine = deep = np.zeros(len(event.mask), np.float32)
        if self.amount > 0:
            fine = event.step(self._lines, 0.3, 0.10, 2.0 + 8.0 * self.amount, 131)
        if self.deep > 0:
            deep = event.step(self._lines, 0.75, self.width_mm, 0.8 + 6.0 * self.deep, 132)
        place = event.mask * event.strength
        # A scratch is there or not: in dark places there are fewer, not fainter ones.
        keep = event.noise(self.length_mm * 0.8, octaves=2, salt=133)
        cut = np.clip((place * 2.6 + 0.3 * keep - 0.45) * 4.0, 0.0, 1.0)
        line = deep * cut
        depth = line * self.depth_um
        coats = list(pile.coats)
        left = depth.copy()
        for k in reversed(range(len(coats))):
            coat = coats[k]
            if coat.substance.family == "veil" or not (left > 0).any():
                continue
            # Through the coat where the cut is deeper than it; scored where it is not.
            through = np.clip(
                (left - coat.thickness * 0.7) / np.maximum(coat.thickness * 0.5, 1.0),
                0.0,
                1.0,
            )
            gone = np.where(coat.thickness > 0.5, through * np.minimum(line * 2.2, 1.0), np.float32(0.0))
            coats[k] = replace(coat, thickness=thinned(coat.thickness, gone.astype(np.float32), coat.substance))
            left = np.maximum(left - coat.thickness, 0.0)
        out = replace(pile, coats=tuple(coats))
        # The relief goes in by what was cut and is not a coat that is gone already.
        cut_in = np.maximum(depth - (pile.thickness_of(_solid) - out.thickness_of(_solid)), 0.0)
        out = raised(out, -(cut_in + fine * place * 4.0) * 0.001)
        mark = np.clip(np.maximum(fine * place * 0.75, line), 0.0, 0.97)
        # Scored paint is paler, scored metal brighter: overlay, so that the tone of what is below stays.
        sheet = {"roughness": one(0.62), "base_color": one((0.66, 0.66, 0.66))}
        tone = event.uses.get("base_color", Use())
        uses = {**event.uses, "base_color": Use(tone.weight, tone.mode or MODES["overlay"])}
        if "coat_weight" in pile.used:
            sheet["coat_roughness"] = one(0.45)
        out = out.with_coat(event.veil(mark * 0.6, sheet, "scuffed", uses))
        note = "" if (mark > 0.01).any() else "No scratch meets this place: raise the amounts or widen the place"
        return Outcome(out, mark.astype(np.float32), note)

    def _lines(self, event: Event, share: float, width: float, count: float, salt: int) -> np.ndarray:
        texels = event.texels
        seed = event.seed(salt) & 0xFFFFFF
        length = self.length_mm * share
        if self.way == "around":
            return self._around(event, width, count, seed)
        along = None if self.way == "every" else np.array(_AXES[self.axis], np.float32)
        return scratches(
            texels.position,
            texels.normal,
            length,
            width,
            per_cube=count,
            along=along,
            spread=self.spread,
            seed=seed,
            texel_mm=texels.texel_mm,
        )

    def _around(self, event: Event, width: float, count: float, seed: int) -> np.ndarray:
        """(n,) 0..1: rings about the axis through the middle of the object, broken into arcs: scratches along it in
        unrolled space.
        """
        texels = event.texels
        k = "xyz".index(self.axis)
        a, b = [j for j in range(3) if j != k]
        middle = texels.mesh.bounds.mean(axis=0)
        x, y = texels.position[:, a] - np.float32(middle[a]), texels.position[:, b] - np.float32(middle[b])
        radius = np.hypot(x, y)
        turn = np.arctan2(y, x)
        # Arcs keep their length at the typical radius; rings lie apart by radius and along the axis.
        typical = max(decided("typical radius", lambda: float(np.median(radius))), 1e-6)
        unrolled = np.stack([turn * typical, radius, texels.position[:, k]], axis=1).astype(np.float32)
        cos, sin = x / np.maximum(radius, 1e-9), y / np.maximum(radius, 1e-9)
        n = texels.normal
        normals = np.stack([-n[:, a] * sin + n[:, b] * cos, n[:, a] * cos + n[:, b] * sin, n[:, k]], axis=1).astype(
            np.float32
        )
        return scratches(
            unrolled,
            normals,
            self.length_mm,
            width,
            per_cube=count,
            along=np.array([1.0, 0.0, 0.0], np.float32),
            spread=self.spread * 0.5,
            seed=seed,
            texel_mm=texels.texel_mm,
        )


def _thickest(event: Event) -> float:
    """Micrometres of what was laid on, where there is most of it."""
    film = event.pile.thickness_of(_solid)
    return decided(  # type: ignore[no-any-return]
        "thick", lambda: float(np.quantile(film[:: max(1, len(film) // 200000)], 0.98)) if len(film) else 0.0
    )


def _solid(coat: Coat) -> bool:
    return coat.substance.family != "veil"
