"""Effect: carving."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from limus.common.deciding import anywhere, decided
from limus.common.fields import choice, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, raised
from limus.effects.profile import Corner, Profile, profile_of, rising
from limus.masks.edge import broken_up
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import thinned
from limus.strata.pile import Pile
from limus.surface.marching import distance_along

Each = Literal["none", "part", "island", "piece", "cell"]
#: Roughness of what was polished as far as it goes.
_POLISHED = 0.12


class Carving(Effect):
    """Relief by a place: pressed in or raised where its recipe is more than half white, with a profile across the edge,
    and each piece tilted and set off by itself.

    A line drawn on the surface with a width makes one groove, or one crack, where it is wanted.
    """

    kind: Literal["carving"] = "carving"
    order: ClassVar[int] = 3
    family: ClassVar[Kind] = "change"
    title: ClassVar[str] = "Carving"
    group: ClassVar[Group] = "Finish"
    summary: ClassVar[str] = "Pressed in or raised by a mask, with a profile across its edge; pieces tilted and set off"
    when: ClassVar[str] = (
        "For grooves, dents, inlays and lettering in relief, and for slates or bricks that no longer lie level"
    )
    louder: ClassVar[str] = "raise its height, or widen its place"

    height_mm: float = number(
        -3.0, "Height", "mm", -1000.0, 1000.0, (-12.0, 12.0), "Below 0 it is pressed in", place="amount", grows=0.85
    )
    profile: Profile = choice(
        "u", "Profile", "From the edge to the end of the bevel",
        step="step", v="V, straight", u="U, hollow", rounded="rounded", own="a curve of one's own",
    )  # fmt: skip
    curve: list[Corner] | None = Field(
        None, min_length=2, max_length=16, title="Its curve",
        description="From the edge at the left to the end of the bevel; up is the whole height",
        json_schema_extra={"control": "curve", "when": {"profile": "own"}},
    )  # fmt: skip
    bevel_mm: float = number(
        4.0, "Bevel", "mm", 0.0, 1000.0, (0.0, 30.0), "How far from its edge it has its whole height", grows=0.85,
        unless={"profile": "step"},
    )  # fmt: skip
    lips: float = number(0.3, "Lips broken", "%", 0.0, 1.0, about="How far its edge has crumbled")
    lip_mm: float = number(
        6.0, "Size of crumbs", "mm", 0.2, 500.0, (1.0, 40.0), "Of what broke from the edge", log=True, grows=0.75,
        unless={"lips": 0.0},
    )  # fmt: skip
    levels: float = number(0.0, "Levels what is below", "%", 0.0, 1.0, about="How far it evens out the relief there")
    levels_mm: float = number(
        8.0, "Levels over", "mm", 0.1, 1000.0, (1.0, 60.0), "Width of what it evens out", log=True, grows=0.5,
        unless={"levels": 0.0},
    )  # fmt: skip
    polish: float = number(0.0, "Polishes", "%", 0.0, 1.0, about="How smooth it leaves what shows")
    bares: float = number(0.0, "Takes coats away", "%", 0.0, 1.0, about="Share of the paint and dirt there that goes")
    each: Each = choice(
        "none", "Each piece", "What is tilted and set off by itself",
        none="no", part="part", island="UV island", piece="brick, slate or board", cell="cell",
    )  # fmt: skip
    cell_mm: float = number(
        160.0, "Cells", "mm", 1.0, 100000.0, (20.0, 1000.0), "Width of one", log=True, grows=0.75,
        when={"each": "cell"},
    )  # fmt: skip
    tilt_deg: float = number(
        1.5, "Tilted by up to", "°", 0.0, 45.0, (0.0, 8.0), "Each its own way", unless={"each": "none"}
    )
    offset_mm: float = number(
        0.0, "Set off by up to", "mm", 0.0, 1000.0, (0.0, 10.0), "In or out, each its own way", grows=0.5,
        unless={"each": "none"},
    )  # fmt: skip

    @field_validator("curve")
    @classmethod
    def _rising(cls, points: list[Corner] | None) -> list[Corner] | None:
        return rising(points)

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """A few dents."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(150.0, 0.9), octaves=3, seed=221), low=0.58, high=0.64),
                term(Noise(size_mm=size.mm(420.0, 1.0), octaves=3, seed=222), low=0.35, high=0.5),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Press or raise it."""
        pile = event.pile
        nothing = np.zeros(len(event.mask), np.float32)
        if event.strength <= 0 or not anywhere(event.mask > 0.5):
            return event.nothing("" if event.strength <= 0 else "Its place is nowhere more than half white")
        place, away = event.step(self._place), event.step(self._away)
        if self.profile == "step" or self.bevel_mm <= 0:
            share = event.antialiased((place > 0.5).astype(np.float32))
        else:
            share = profile_of(away * (1.0 / self.bevel_mm), self.profile, self.curve)
        lift = share * (self.height_mm * event.strength)
        inside = event.antialiased((place > 0.5).astype(np.float32)) * event.strength
        if self.levels > 0:
            lift = lift + inside * self.levels * event.to_level(self.levels_mm)
        note = ""
        if self.each != "none" and (self.tilt_deg > 0 or self.offset_mm > 0):
            own = event.step(self._pieces)
            if own is None:
                note = "Its base has no bricks, slates or boards: take parts, islands or cells"
            else:
                lift = lift + own * inside
        out = pile
        if self.bares > 0:
            out = self._bared(out, inside * self.bares)
        out = raised(out, lift)
        if self.polish > 0:
            out = out.with_coat(event.veil(inside * self.polish, {"roughness": one(_POLISHED)}, "polish"))
        acted = np.maximum(share * event.strength, inside if self.each != "none" else nothing)
        return Outcome(out, acted.astype(np.float32), note)

    def _place(self, event: Event) -> np.ndarray:
        """(n,) 0..1: its place, with broken lips."""
        if self.lips <= 0:
            return event.mask
        by = self.lips * self.lip_mm
        return broken_up(event.texels, event.mask, by, self.lip_mm, "outward", event.seed(241) & 0xFFFFFF, "crumbled")

    def _away(self, event: Event) -> np.ndarray:
        """(n,) float32 mm inwards from the edge of its place, no further than the bevel."""
        texels, place = event.texels, event.step(self._place)
        most = self.bevel_mm + 2.0 * texels.texel_mm
        away = distance_along(texels, place <= 0.5, most)
        # The edge lies between the last texel outside and the first one inside.
        return np.maximum(away - 0.5 * texels.texel_mm, 0.0) * (place > 0.5)

    def _pieces(self, event: Event) -> np.ndarray | None:
        """(n,) float32 mm: a plane for each piece, through its middle; None where there are no pieces."""
        texels, random = event.texels, np.random.Generator(np.random.PCG64(event.seed(242) & 0xFFFFFFFF))
        owner: np.ndarray
        if self.each == "piece":
            if event.marks.piece is None:
                return None
            owner = event.marks.piece
        elif self.each == "cell":
            owner = event.cells(self.cell_mm, salt=243).number
        else:
            owner = texels.part if self.each == "part" else texels.island

        def means() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
            names, own = np.unique(owner, return_inverse=True)
            own, area = np.asarray(own).reshape(-1), texels.area.astype(np.float64)
            total = np.maximum(np.bincount(own, area), 1e-30)

            def mean(field: np.ndarray) -> np.ndarray:
                return np.stack([np.bincount(own, area * field[:, k]) for k in range(3)], axis=1) / total[:, None]

            return names, mean(texels.position), mean(texels.normal)

        names, middle, normal = decided("pieces", means)
        # A piece so small that the whole has no texel of it goes with the next.
        group = np.minimum(np.searchsorted(names, owner), len(names) - 1)
        normal = normal.copy()
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9)
        helper = np.where(np.abs(normal[:, 1:2]) > 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
        right = np.cross(helper, normal)
        right /= np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-9)
        up = np.cross(normal, right)
        turn = random.uniform(0.0, 2.0 * np.pi, len(names))
        steep = np.tan(np.radians(random.uniform(-1.0, 1.0, len(names)) * self.tilt_deg))
        way = (right * np.cos(turn)[:, None] + up * np.sin(turn)[:, None]) * steep[:, None]
        off = random.uniform(-1.0, 1.0, len(names)) * self.offset_mm
        along = ((texels.position - middle[group]) * way[group]).sum(axis=1)
        return (along * 1000.0 + off[group]).astype(np.float32)

    @staticmethod
    def _bared(pile: Pile, gone: np.ndarray) -> Pile:
        gone = np.ascontiguousarray(gone, np.float32)
        coats = tuple(replace(c, thickness=thinned(c.thickness, gone, c.substance)) for c in pile.coats)
        return replace(pile, coats=coats)
