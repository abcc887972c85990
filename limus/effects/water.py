"""Effect: standing water."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere, decided
from limus.common.fields import choice, colour, number
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.parallel import for_ranges
from limus.effects.damp import FULL, Wetting, water_coat, wetted, wetting
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um, raised, ramp
from limus.masks.recipe import Recipe
from limus.materials.channels import Sheet
from limus.materials.optics import WATER_IOR
from limus.materials.substance import WATER
from limus.patterns.noise import fractal
from limus.readings.catalogue import READINGS
from limus.readings.sun_path import compass
from limus.strata.alteration import shown
from limus.strata.pile import Coat, Pile
from limus.surface.blur import blur
from limus.surface.filling import Hollows, filled
from limus.surface.grow import grow

#: Cosine of the slope beyond which water does not lie on a surface but stands in front of it.
LEVEL = 0.55
#: Water that stands in front of a wall is no relief of the wall: no more than this counts, mm.
IN_FRONT = 2.0
#: mm, depth where no water can be.
DRY = -1e6
#: A hollow less deep than this holds a film that dries, no puddle, mm (common practice, no source).
FILM = 0.15
#: Side of the smallest puddle, of the size of dips (common practice, no source).
NARROW = 0.03
#: F0 of stone, paint and glass (n = 1.5) under water against that in air: ((1.5 - 1.33) / (1.5 + 1.33))^2 / 0.04.
UNDER_WATER = ((1.5 - WATER_IOR) / (1.5 + WATER_IOR)) ** 2 / 0.04


@kernel
def _sunk(start, end, color, depth, under, water, murk, length, murky, out):  # type: ignore[no-untyped-def]
    """Light goes down and comes up again: twice the depth (Beer and Lambert); what floats in the water takes its
    place.
    """
    for i in range(start, end):
        d = max(depth[i], np.float32(0.0))
        cloud = np.float32(1.0) - np.exp(-d / murky) if murky > 0 else np.float32(0.0)
        for c in range(3):
            clear = color[i, c] * water[c] ** (np.float32(2.0) * d / length)
            out[i, c] = color[i, c] + (clear + (murk[c] - clear) * cloud - color[i, c]) * under[i]


@dataclass(frozen=True)
class Sunk:
    """The ground as it looks through water, wet itself and mirroring less.

    ``wet`` what the water does to it; ``depth`` (n,) mm of water over it; ``under`` (n,) 0..1 how much of the texel is
    under water; ``color`` of the water, half of it at ``color_mm``; ``murk_color``, and the depth in mm ``murky`` that
    hides most (0 never).
    """

    wet: Wetting
    depth: np.ndarray
    under: np.ndarray
    color: tuple[float, float, float]
    murk_color: tuple[float, float, float]
    color_mm: float
    murky: float

    reads: ClassVar[tuple[str, ...]] = (*Wetting.reads, "specular_weight")
    speaks: ClassVar[tuple[str, ...]] = (*Wetting.speaks, "specular_weight")

    def values(self, below: Sheet, here: slice) -> dict[str, np.ndarray]:
        """See ``Alteration``."""
        wet, under, count = self.wet.values(below, here), self.under[here], here.stop - here.start
        color = np.empty((count, 3), np.float32)
        _sunk(
            0, count, wet["base_color"], self.depth[here], under, np.clip(np.array(self.color, np.float32), 0.001, 1.0),
            np.array(self.murk_color, np.float32), np.float32(self.color_mm), np.float32(self.murky), color,
        )  # fmt: skip
        mirrors = shown(below, "specular_weight", count) * (1.0 - under * (1.0 - UNDER_WATER))
        return {**wet, "base_color": color, "specular_weight": mirrors}

    def at(self, rows: np.ndarray) -> Sunk:
        """See ``Alteration``."""
        return replace(self, wet=self.wet.at(rows), depth=self.depth[rows], under=self.under[rows])


@kernel
def _deep(start, end, links, ground, level, stands, holds, out):  # type: ignore[no-untyped-def]
    """Depth of the water; beside it, how far the ground lies above what stands next to it, as a depth below 0."""
    for i in range(start, end):
        out[i] = DRY
        if level[i] > ground[i]:
            if holds[i]:
                out[i] = stands[i] - ground[i]
            continue
        nearest = np.float32(DRY)
        for k in range(4):
            j = links[i, k]
            # What lies lower than the water next to it is where it spills.
            if j >= 0 and level[j] > ground[j] and stands[j] < ground[i] and holds[j]:
                nearest = max(nearest, stands[j] - ground[i])
        out[i] = nearest


@kernel
def _falls(start, end, links, ground, out):  # type: ignore[no-untyped-def]
    """mm by which the ground falls over a texel, no less than what a shore is soft by."""
    for i in range(start, end):
        most = np.float32(0.02)
        for k in range(4):
            j = links[i, k]
            if j >= 0:
                most = max(most, abs(ground[j] - ground[i]))
        out[i] = most


class Water(Effect):
    """Water that stands: in hollows up to where they spill, in the relief up to a level, or over everything below a
    level of the world.

    Hollows are those of the shape with its relief and of an unevenness that no model shows; the surface of the water is
    level. Colour fades with depth, the shore is damp.
    """

    kind: Literal["water"] = "water"
    edition: ClassVar[int] = 2
    order: ClassVar[int] = 22
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    title: ClassVar[str] = "Standing water"
    group: ClassVar[Group] = "Weather"
    pieces: ClassVar[dict[str, str]] = {"film": "Water", "damp": "Damp shore"}
    reads: ClassVar[tuple[str, ...]] = ("setting.ground_mm", "setting.wind_from_deg", "setting.north_deg")
    louder: ClassVar[str] = "raise the unevenness or the level; water needs hollows"
    figures: ClassVar[str] = (
        "Filling of hollows: Barnes 2014; what depth takes of light: Beer and Lambert; absorption over about "
        "3 m: common practice"
    )
    summary: ClassVar[str] = "Puddles in hollows up to where they spill, water in joints, or a level of the world"
    when: ClassVar[str] = (
        "After rain on what lies level; last but for snow. Raise the level until it just shows in the joints"
    )

    by: Literal["hollows", "relief", "world"] = choice(
        "hollows", "Level is that of",
        "How high above the deepest place of each hollow, above the middle of the relief, or above the ground",
        hints={"place": "amount"}, hollows="hollows, as they fill", relief="the relief",
        world="the world, above the ground",
    )  # fmt: skip
    level_mm: float = number(
        3.0, "Level", "mm", -500.0, 20000.0, (0.0, 20.0),
        "Depth at the deepest place of each hollow, no higher than where it spills",
        place="amount", step=0.1, says="of the surface is under water", grows=0.6, when={"by": "hollows"},
    )  # fmt: skip
    over_mm: float = number(
        -0.5, "Level", "mm", -500.0, 500.0, (-12.0, 6.0),
        "Above the middle of the relief; below 0 only joints and pits are wet",
        place="amount", step=0.1, says="of the surface is under water", grows=0.0, when={"by": "relief"},
    )  # fmt: skip
    above_mm: float = number(
        60.0, "Level", "mm", -100000.0, 100000.0, (-50.0, 500.0), "Above the ground of the setting",
        place="amount", step=0.1, says="of the surface is under water", grows=1.0, when={"by": "world"},
    )  # fmt: skip
    uneven_mm: float = number(
        3.2, "Unevenness", "mm", 0.0, 500.0, (0.0, 20.0),
        "Dips of the ground that the model does not show; puddles take their outline from it", grows=0.7
    )  # fmt: skip
    uneven_size_mm: float = number(
        210.0, "Size of dips", "mm", 1.0, 100000.0, (20.0, 2000.0), "From one dip to the next", log=True, grows=0.9
    )
    color: tuple[float, float, float] = colour(
        (0.60, 0.72, 0.70), "Colour", "What is left of white light after the depth below"
    )
    color_mm: float = number(
        300.0, "Depth of the colour", "mm", 1.0, 100000.0, (20.0, 5000.0),
        "Way through the water after which its colour is reached", log=True, grows=0.0
    )  # fmt: skip
    murk: float = number(0.25, "Murk", "%", 0.0, 1.0, about="Silt that floats in it and hides the ground")
    murk_color: tuple[float, float, float] = colour((0.085, 0.075, 0.052), "Colour of the murk")
    ripple_mm: float = number(
        18.0, "Ripples", "mm", 1.0, 2000.0, (4.0, 200.0), "From crest to crest", log=True, grows=0.4
    )
    ripple: float = number(0.25, "Strength of ripples", "%", 0.0, 1.0, about="Of the wind; 0 is a mirror")
    shore_mm: float = number(
        12.0, "Damp shore", "mm", 0.0, 5000.0, (0.0, 120.0), "How far the ground beside it is damp", grows=0.6
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere: where it can stand is for the water to say."""
        return Recipe()

    def apply(self, event: Event) -> Outcome:
        """Let it stand."""
        pile, texels = event.pile, event.texels
        count = len(event.mask)
        if event.strength <= 0:
            return event.nothing()
        up = texels.normal[:, 1]
        dips, ground = self._dips(event), event.step(self._ground)
        note = ""
        if self.by == "hollows":
            hollows: Hollows = event.step(self._hollows)
            if decided("deepest", lambda: float((hollows.level - ground).max(initial=0.0))) < 1e-3:
                return event.nothing(
                    "Nothing here is a hollow that could hold water: raise the unevenness, or take the level of the "
                    "relief",
                )
            stands = np.minimum(hollows.level, hollows.bottom + max(self.level_mm, 0.0) * event.strength)
            # What is narrower than the finest dips is a pit, whose water dries; found or not, it hung on the
            # resolution.
            wide = hollows.area > ((NARROW * 0.001 * self.uneven_size_mm) ** 2)
            holds = wide & (stands - hollows.bottom > FILM)
            depth: np.ndarray = np.empty(count, np.float32)
            for_ranges(
                _deep,
                count,
                texels.links,
                ground,
                hollows.level,
                np.ascontiguousarray(stands, np.float32),
                holds,
                depth,
            )
            if self.level_mm <= 0:
                note = "The level lies below every hollow: raise it"
            elif not anywhere(wide & (hollows.level - hollows.bottom > FILM)):
                # However high the level is.
                note = (
                    "The hollows here are too small to hold water: raise the unevenness, or take the level of the "
                    "relief or of the world"
                )
        elif self.by == "relief":
            # Its bed is the relief, whatever way the surface leans.
            ground = (pile.relief() + dips).astype(np.float32)
            depth = self.over_mm - ground
            depth = np.where(up > LEVEL, depth * event.strength, np.float32(DRY))
            note = "" if bool((depth > 0).any()) else "The level lies below all of the relief: raise it"
        else:
            ground = np.asarray(READINGS["height"].value(event.scope.place, 0.0) + pile.relief() * up, np.float32)
            depth = self.above_mm - ground
            note = "" if bool((depth > 0).any()) else "The level lies below everything: raise it"
        depth = np.where(event.mask > 0.004, depth, np.float32(DRY)).astype(np.float32)
        # A texel on the shore is under water by its share: from half a texel before it to half a texel beyond.
        falls = np.empty(count, np.float32)
        for_ranges(_falls, count, texels.links, ground, falls)
        under = event.antialiased(np.clip(depth / falls + 0.5, 0.0, 1.0).astype(np.float32))
        if self.by != "world":
            under = under * ramp(up, LEVEL - 0.1, LEVEL + 0.05)
        under = np.minimum(under, 1.0) * (event.strength if self.by == "world" else 1.0)
        if not anywhere(under > 0.004):
            return event.nothing(note or "No water stands here at this level: raise it")
        if self.by == "world" and float(under.min()) > 0.99:
            note = "All of the object is under water: lower the level"
        near = blur(texels, under, self.shore_mm) if self.shore_mm > 0 else under
        # The ground sinks into its dips where there is water, and rises again on the shore: whole as far as the lip
        # that holds the water.
        lip = grow(
            texels,
            np.minimum(under * 8.0, 1.0),
            max(2.5 * texels.texel_mm, 0.5 * self.shore_mm),
        )
        lip = np.maximum(lip, np.minimum(near * 2.5, 1.0))
        out = raised(pile, dips * lip)
        out = out.with_coat(self._below(event, pile, depth, under, near))
        lies = ramp(up, LEVEL - 0.1, LEVEL + 0.05)
        # Up to the surface straight up; a wall has water in front of it, which is no relief of the wall.
        deep = np.minimum(
            np.maximum(depth, 0.0) / np.maximum(up, 0.4),
            IN_FRONT + lies * 60.0,
        )
        if self.ripple > 0:
            deep = deep + self._ripples(event) * lies * ramp(depth, 0.0, 0.15 * self.ripple_mm)
        # The film that makes it water is part of its depth; where it is deeper than the water is, the ground is that
        # much lower.
        film = film_um(np.minimum(under, FULL), WATER.hide_um) * 0.001
        deep = np.maximum(deep, 0.0) * under
        out = raised(out, np.minimum(deep - film, 0.0))
        return Outcome(
            out.with_coat(water_coat(event, under, np.maximum(deep - film, 0.0))), under.astype(np.float32), note
        )

    def _dips(self, event: Event) -> np.ndarray:
        """(n,) float32 mm: dips and humps that the model does not show, and humps where the recipe is grey, so that
        shores follow its outline.
        """
        if self.by == "world" or self.uneven_mm <= 0:
            return np.zeros(len(event.mask), np.float32)
        wide = event.noise(self.uneven_size_mm, octaves=5, gain=0.48, salt=201)
        return np.asarray(
            (0.5 * wide + 1.5 * (1.0 - event.mask)) * self.uneven_mm,
            np.float32,
        )

    def ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        """Levels from where the first place is wet to where the last one is."""
        return event.step(self._ranges)  # type: ignore[no-any-return]

    def _ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        if self.by == "hollows":
            hollows: Hollows = event.step(self._hollows)
            deepest = decided("deepest", lambda: float((hollows.level - hollows.bottom).max(initial=0.0)))
            return {"level_mm": (0.0, deepest)} if deepest > 0.01 else {}
        field = "over_mm" if self.by == "relief" else "above_mm"
        relief = event.pile.relief()
        if self.by == "relief":
            heights = relief + self._dips(event)
        else:
            up = event.texels.normal[:, 1]
            heights = np.asarray(READINGS["height"].value(event.scope.place, 0.0) + relief * up)
        low, high = decided(
            "range",
            lambda: [float(v) for v in np.quantile(heights[:: max(1, len(heights) // 200000)], (0.002, 0.998))],
        )
        return {field: (low, high)} if high - low > 1e-3 else {}

    def _ground(self, event: Event) -> np.ndarray:
        """(n,) float32 mm: how high the ground of the water lies."""
        pile, texels = event.pile, event.texels
        up = np.maximum(texels.normal[:, 1], 0.0)
        lowest = decided("lowest", lambda: texels.position[:, 1].min())
        at = (texels.position[:, 1] - lowest) * 1000.0
        return np.asarray(at + (pile.relief() + self._dips(event)) * up, np.float32)

    def _hollows(self, event: Event) -> Hollows:
        return filled(event.texels, event.step(self._ground))

    def _below(self, event: Event, pile: Pile, depth: np.ndarray, under: np.ndarray, near: np.ndarray) -> Coat:
        """A veil: the ground as it looks through the water, and damp around it."""
        damp = under
        if self.shore_mm > 0:
            ragged = event.noise(max(self.shore_mm, 2.0) * 1.6, octaves=4, gain=0.6, salt=204)
            damp = np.maximum(under, ramp(np.sqrt(near) + 0.12 * ragged * (near > 0.02), 0.12, 0.62))
        film = np.maximum(under, ramp(damp, 0.8, 1.0) * 0.35)
        # Full murk hides the ground at a hundredth of the depth at which a trace of it does.
        murky = 4000.0 * 0.003**self.murk if self.murk > 0 else 0.0
        sunk = Sunk(
            wetting(pile, damp, film), np.ascontiguousarray(depth, np.float32), np.ascontiguousarray(under, np.float32),
            self.color, self.murk_color, self.color_mm, murky,
        )  # fmt: skip
        return wetted(event, sunk, damp, film)

    def _ripples(self, event: Event) -> np.ndarray:
        """(n,) float32 mm: crests across the wind."""
        crests: np.ndarray = event.step(self._crests)
        return crests * (self.ripple * 0.012 * self.ripple_mm)

    def _crests(self, event: Event) -> np.ndarray:
        texels = event.texels
        setting = event.scope.place.setting
        way = compass(setting, setting.wind_from_deg).astype(np.float32)
        # Longer across the wind than along it.
        along = texels.position @ way
        points = np.ascontiguousarray(texels.position - 0.55 * (texels.position - along[:, None] * way), np.float32)
        return fractal(points, self.ripple_mm, octaves=3, gain=0.45, seed=event.seed(205), texel_mm=texels.texel_mm)
