"""Effect: cracks."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from limus.common.deciding import anywhere
from limus.common.fields import choice, colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.crack_cut import CRACKS, cut_open, opened_share, with_dirt
from limus.effects.crack_places import UNIT, from_place, from_weak_points, network, splits
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn
from limus.effects.profile import Corner, rising
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.patterns.crack_network import FAR, Cracks

#: When cracks of each generation begin to open, in shares of the whole growth.
OPENS = (0.0, 0.3, 0.55)


class CrackLayer(Effect):
    """Cracks: of shrinkage, of stress, of a glaze or a paint, and splits along the grain.

    They are cuts through the body and not a picture, so they go round edges and stay sharp from near; each piece cracks
    by itself and no crack crosses a joint. Old cracks are wide and young ones narrow and end at the old ones. Dirt
    gathers in them, and later layers know where they are.
    """

    kind: Literal["cracks"] = "cracks"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 8
    family: ClassVar[Kind] = "loss"
    title: ClassVar[str] = "Cracks"
    group: ClassVar[Group] = "Weather"
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    law: ClassVar[Law] = "root"
    acts_on: ClassVar[tuple[str, ...]] = CRACKS
    louder: ClassVar[str] = "raise the width; cracks narrower than a texel are seen only at a higher resolution"
    figures: ClassVar[str] = (
        "Young cracks meet old ones at right angles: Bohn et al. 2005; widths: EN 1992-1-1, ACI 224R (from memory)"
    )
    summary: ClassVar[str] = "Networks of shrinkage, cracks from corners and holes, crazing, splits along the grain"
    when: ClassVar[str] = (
        "On concrete, plaster, stone, timber, old paint and glaze; before damp, dirt and growth, which gather in them"
    )

    way: Literal["shrinkage", "stress", "crazing", "splits"] = choice(
        "shrinkage",
        "Cracks",
        "A network with old wide and young narrow cracks; single ones from where stress gathers; a fine net in the "
        "skin; along the fibres of timber",
        shrinkage="of shrinkage",
        stress="of stress",
        crazing="crazing of paint or glaze",
        splits="splits along the grain",
    )
    size_mm: float = number(
        150.0, "Size", "mm", 0.5, 100000.0, (20.0, 1500.0), "Between old cracks of a network; length of single ones",
        log=True, grows=0.75,
    )  # fmt: skip
    width_mm: float = number(0.32, "Width", "mm", 0.005, 100.0, (0.05, 5.0), "Of the widest", log=True, grows=0.4)
    depth_mm: float = number(4.0, "Depth", "mm", 0.0, 1000.0, (0.1, 40.0), "Of the widest", log=False, grows=0.4)
    generations: float = number(
        2.0, "Generations", "", 1.0, 3.0, about="Young cracks within what the old ones left", step=1.0,
        when={"way": "shrinkage"},
    )  # fmt: skip
    vary: float = number(0.5, "Widths differ", "%", 0.0, 1.0, about="From crack to crack")
    opened: float = number(0.72, "Opened", "%", 0.0, 1.0, about="Share of the network that has opened")
    wander: float = number(0.4, "Wandering", "%", 0.0, 1.0, about="How far they leave the straight way")
    worn: float = number(0.4, "Worn lips", "%", 0.0, 1.0, about="From a sharp cut to rounded, washed-out lips")
    profile: Literal["worn", "step", "v", "u", "rounded", "own"] = choice(
        "worn", "Cross-section", "From lip to bottom: a V that wears into a trough, or one that is given",
        worn="by how worn its lips are", step="step", v="V, straight", u="U, hollow", rounded="rounded",
        own="a curve of one's own",
    )  # fmt: skip
    curve: list[Corner] | None = Field(
        None, min_length=2, max_length=16, title="Its curve",
        description="From the lip at the left to the bottom at the right; up is the whole depth",
        json_schema_extra={"control": "curve", "when": {"profile": "own"}},
    )  # fmt: skip
    bevel: float = number(
        1.0, "Bevel", "%", 0.05, 1.0, about="Share of the way from lip to middle after which it is as deep as it gets",
        when={"any": [{"profile": "v"}, {"profile": "u"}, {"profile": "rounded"}, {"profile": "own"}]},
    )  # fmt: skip
    crumble_mm: float = number(
        1.8, "Crumbling", "mm", 0.0, 100.0, (0.0, 10.0), "How far lips have broken off here and there", grows=0.5
    )
    offset_mm: float = number(
        0.15, "Offset", "mm", 0.0, 50.0, (0.0, 3.0), "By which one side stands above the other", grows=0.5
    )
    starts: Literal["weak", "place"] = choice(
        "weak", "Begin at", "Inner corners, rims of holes and edges; or wherever the place of the layer is white",
        hints={"when": {"way": "stress"}}, weak="corners and holes", place="places marked by the recipe",
    )  # fmt: skip
    within: Literal["shell", "brick", "whole"] = choice(
        "shell", "Each piece by itself", "What no crack goes beyond", shell="each body",
        brick="each brick, slate or board", whole="nothing, all is one",
    )  # fmt: skip
    grain_along: Literal["long", "x", "y", "z"] = choice(
        "long", "Grain runs", "Direction of the fibres", hints={"when": {"way": "splits"}},
        long="the long way of each piece", x="along x", y="upwards", z="along z"
    )  # fmt: skip
    dirt: float = number(0.65, "Dirt in them", "%", 0.0, 1.0, about="What has gathered in them and stains their lips")
    stain_mm: float = number(
        2.6, "Stained lips", "mm", 0.0, 500.0, (0.0, 20.0), "How far dirt and damp have drawn into the lips", grows=0.5
    )
    dirt_color: tuple[float, float, float] = colour((0.052, 0.045, 0.036), "Colour of the dirt")

    @field_validator("curve")
    @classmethod
    def _rising(cls, points: list[Corner] | None) -> list[Corner] | None:
        return rising(points)

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """In some regions, with soft borders: there they get narrower and end."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(300.0, 1.0), octaves=3, seed=231), low=0.30, high=0.62, out_low=0.0),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Open them."""
        pile, texels = event.pile, event.texels
        nothing = np.zeros(len(event.mask), np.float32)
        brittle = event.step(self._brittle)
        if not anywhere(brittle > 0.01):
            return event.nothing("Nothing here cracks: metal and water do not. Paint it, or take another base")
        if event.strength <= 0 or not anywhere(event.mask > 0.004):
            return event.nothing()
        if self.way in ("shrinkage", "crazing") and self.size_mm < 2.0 * event.texel_mm:
            return event.nothing(
                f"The net is finer than two texels here ({2 * event.texel_mm:.2g} mm): raise its size or the "
                "resolution",
            )
        found: Cracks = event.step(
            self._network
            if self.way in ("shrinkage", "crazing")
            else self._from_place
            if self._marked
            else self._single
        )
        if not anywhere(found.distance < FAR * 0.5):
            return event.nothing("The cracks are larger than any piece: make their size smaller")
        grown = np.ones(len(nothing), np.float32) if self._marked else event.mask
        # Growth widens what is there and opens generation after generation; a soft border of the place narrows them.
        begins = np.array(OPENS, np.float32)[found.generation]
        share = grown * event.strength
        wide = np.clip(
            (share - begins * 0.6) / np.maximum(1.0 - begins * 0.6, 0.2),
            0.0,
            1.0,
        )
        along = event.noise(max(self.size_mm * 0.16, 2.0 * event.texel_mm), octaves=3, gain=0.6, salt=232)
        wide = np.sqrt(wide) * np.clip(1.0 + 0.38 * self.vary * along, 0.0, 2.0) * (wide > 0.02)
        full = np.float32(0.5 * self.width_mm)
        half = np.minimum(found.half * (1.0 / UNIT) * wide, 1.8) * full
        gap = found.distance + found.half - half
        half = np.where(brittle > 0.3, half, np.float32(0.0)).astype(np.float32)
        opened = opened_share(gap, half, event.texel_mm)
        if not anywhere(opened > 1e-4):
            return event.nothing("No crack is open in this place: widen the place or raise the strength")
        out, lost = cut_open(self, event, found, gap, half, opened)
        cleft = np.where(half > 0, gap, np.float32(1e6)).astype(np.float32)
        if pile.cleft is not None:
            cleft = np.minimum(cleft, pile.cleft)
        out = replace(out, cleft=cleft)
        if self.dirt > 0:
            out = with_dirt(self, event, out, gap, half, opened)
        note = ""
        if self.way in ("shrinkage", "crazing") and self.size_mm > 1000.0 * texels.mesh.diagonal:
            note = "The net is larger than the object: make its size smaller"
        return Outcome(out, np.maximum(opened, lost).astype(np.float32), note)

    @property
    def _marked(self) -> bool:
        """Whether the place says where cracks begin and not how far they go."""
        return self.way == "stress" and self.starts == "place"

    def _network(self, event: Event) -> Cracks:
        return network(self, event)

    def _single(self, event: Event) -> Cracks:
        return splits(self, event) if self.way == "splits" else from_weak_points(self, event)

    def _from_place(self, event: Event) -> Cracks:
        return from_place(self, event)

    @staticmethod
    def _brittle(event: Event) -> np.ndarray:
        """(n,) float32 0..1: how much of what shows, or of what lies right below it, cracks."""
        pile = event.pile
        out = np.zeros(len(pile.skin), np.float32)
        for family in CRACKS:
            if pile.has(family):
                out += pile.exposed(family)
        return np.minimum(out, 1.0)
