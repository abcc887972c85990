"""Effect: snow."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere, decided
from limus.common.fields import choice, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.damp import wetted, wetting
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, ramp
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import SNOW, covered
from limus.materials.tone import toned
from limus.patterns.noise import fractal
from limus.readings.open_weather import openness
from limus.readings.sun_path import compass
from limus.strata.pile import Pile
from limus.surface.blur import blur
from limus.surface.marching import distance_along
from limus.surface.texels import Texels

#: Albedo, grain (mm), roughness, height of clumps (mm), share of glints, and how much melts, by kind. Albedos within
#: Oke, Boundary Layer Climates, table 1.1: fresh 0.80 to 0.95, old 0.40 to 0.70 (from memory).
KINDS: dict[str, tuple[float, float, float, float, float, float]] = {
    "fresh": (0.82, 0.9, 1.0, 1.3, 0.55, 0.15),
    "packed": (0.81, 0.6, 0.92, 0.6, 0.40, 0.10),
    "old": (0.58, 2.2, 0.72, 1.1, 0.25, 0.8),
}
#: How far light goes inside snow, mm, and of red, green and blue against each other: 0.36, 0.46, 0.6 at a scale of 0.05
#: (common practice, no source).
SCATTER_MM, SCATTER = 30.0, (0.60, 0.77, 1.0)
#: A heap stands no steeper than this over its own rim.
STEEP = 2.2


def slope_share(up: np.ndarray) -> np.ndarray:
    """(n,) float32 0..1: snow that stays on a slope against that on the level, from the upward part (n,) of the normal.

    EN 1991-1-3, table 5.2 (from memory): the shape coefficient is 0.8 up to 30 degrees, falls straight to 0 at 60
    degrees, and is 0 beyond.
    """
    degrees = np.degrees(np.arccos(np.clip(up, -1.0, 1.0)))
    return np.clip((60.0 - degrees) * (1.0 / 30.0), 0.0, 1.0).astype(np.float32)


class Snow(Effect):
    """Snow on what faces up and sees the sky: by the slope law, blown off what faces the wind and into its lee,
    rounded over edges, crumbling where it ends.
    """

    kind: Literal["snow"] = "snow"
    order: ClassVar[int] = 24
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    title: ClassVar[str] = "Snow"
    group: ClassVar[Group] = "Weather"
    reads: ClassVar[tuple[str, ...]] = ("rays", "setting.wind_from_deg", "setting.north_deg")
    pieces: ClassVar[dict[str, str]] = {"snow": "Snow", "damp": "Meltwater"}
    figures: ClassVar[str] = (
        "Slope law: EN 1991-1-3, table 5.2; albedos: Oke, Boundary Layer Climates, table 1.1 (from memory)"
    )
    summary: ClassVar[str] = "Lies by slope, sky and wind, rounds edges, ends in crumbs, wets what is below"
    when: ClassVar[str] = "Last of all, in winter; fresh, packed by the wind, or old and wet"

    state: Literal["fresh", "packed", "old"] = choice(
        "fresh", "Snow", "How old it is", fresh="fresh", packed="packed by wind", old="old and wet"
    )
    lies: Literal["fell", "round"] = choice(
        "fell", "It lies", "Where slope, sky and wind leave it, or pressed on from all sides: a ball of it, a wall",
        fell="as it fell", round="packed all round",
    )  # fmt: skip
    depth_mm: float = number(
        26.0, "Depth", "mm", 0.0, 3000.0, (0.0, 150.0), "On a level place under the open sky", place="amount", grows=0.5
    )
    wind: float = number(
        0.5, "Wind", "%", 0.0, 1.0,
        about="Blown off what faces the wind of the setting, gathered in its lee and in corners", when={"lies": "fell"},
    )  # fmt: skip
    drift_mm: float = number(
        60.0, "Size of drifts", "mm", 1.0, 20000.0, (10.0, 1000.0), "Of edges and corners that the wind goes by",
        log=True, grows=0.75, when={"lies": "fell"},
    )  # fmt: skip
    uneven: float = number(0.45, "Uneven", "%", 0.0, 1.0, about="How far its depth differs from place to place")
    uneven_mm: float = number(
        140.0, "Size of heaps", "mm", 2.0, 20000.0, (20.0, 1500.0), "From one to the next", log=True, grows=0.75
    )
    crumble: float = number(0.6, "Crumbling edge", "%", 0.0, 1.0, about="How far it breaks into crumbs where it ends")
    crumb_mm: float = number(5.0, "Crumb size", "mm", 0.3, 100.0, (1.0, 20.0), log=True, grows=0.3)
    grain: float = number(0.5, "Grain", "%", 0.0, 1.0, about="Relief of its grains, clumps and lumps")
    clump_mm: float = number(11.0, "Clump size", "mm", 0.5, 1000.0, (3.0, 40.0), "The finer relief", log=True, grows=0)
    lump_mm: float = number(46.0, "Lump size", "mm", 1.0, 5000.0, (10.0, 200.0), "The wider relief", log=True, grows=0)
    glints: float = number(0.5, "Glints", "%", 0.0, 1.0, about="Crystals that flash")
    melt: float = number(0.4, "Meltwater", "%", 0.0, 1.0, about="Wets what comes lower")
    melt_mm: float = number(
        140.0, "Length of runs", "mm", 1.0, 10000.0, (10.0, 1000.0), "How far meltwater runs down", log=True, grows=0.8
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, thinner in some regions; slope, sky and wind are the effect's own."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(420.0, 1.0), octaves=4, seed=191), low=0.08, high=0.6, out_low=0.12)]
        )

    def apply(self, event: Event) -> Outcome:
        """Let it fall, drift and settle."""
        pile = event.pile
        deep = self.depth_mm * event.strength
        if deep <= 0:
            return event.nothing("The depth is 0")
        height = event.step(self._height, deep)
        if not anywhere(height > 0.01):
            return event.nothing(
                "Nothing here faces up and sees the sky: no snow stays. Pack it all round, or widen its place",
            )
        albedo, grain_mm, rough, clump_mm, glints, melts = KINDS[self.state]
        thickness = self._rounded(event, pile, height)
        there = ramp(height, 0.05, 2.0)
        fine = event.noise(grain_mm, octaves=2, gain=0.7, salt=211)
        clumps = event.noise(self.clump_mm, octaves=4, gain=0.6, salt=212)
        lumps = event.noise(self.lump_mm, octaves=4, gain=0.55, salt=220)
        bumps = self.grain * (0.10 * grain_mm * fine + clump_mm * 0.7 * clumps + clump_mm * 2.0 * lumps)
        if self.state == "packed":
            bumps = bumps + event.step(self._ridges) * (self.grain * 0.035)
        thickness = np.maximum(thickness + bumps * there, 0.0).astype(np.float32) * 1000.0
        shown = covered(thickness, SNOW)
        tone = albedo * (1.0 + 0.012 * clumps + 0.01 * fine)
        tint = (0.985, 0.995, 1.0) if self.state != "old" else (1.0, 0.985, 0.955)
        if self.state == "old":
            # It sinks together, takes up dust, and glazes over.
            tone = tone * (0.97 + 0.09 * event.noise(70.0, octaves=5, gain=0.6, salt=213))
        sheet: dict[str, np.ndarray] = {
            "base_color": toned(tint, tone, *((0.80, 0.95) if self.state != "old" else (0.40, 0.70))),
            "roughness": np.clip(rough + (0.06 if self.state != "old" else 0.16) * clumps, 0.25, 1.0),
            "specular_ior": one(1.31),
            "subsurface_weight": one(0.4),
            "subsurface_color": one(tuple(min(1.0, albedo * c) for c in tint)),
            "subsurface_radius": one(SCATTER_MM if self.state != "old" else SCATTER_MM * 1.6),
            "subsurface_scale": one(SCATTER),
        }
        if self.glints > 0:
            sheet["glint_density"] = np.clip(self.glints * glints * (1.0 + 0.5 * clumps), 0.0, 1.0) * there
        out = pile
        if self.melt > 0:
            out = self._melted(event, shown, np.float32(self.melt * (0.35 + 0.65 * melts)))
        return Outcome(out.with_coat(event.coat(event.name, SNOW, thickness, sheet, "snow")), shown)

    def _height(self, event: Event, deep: float) -> np.ndarray:
        """(n,) float32 mm above what lies below."""
        place, texels = event.scope.place, event.texels
        fell = self.lies == "fell"
        lies = self.settles(event, texels) * openness(place) if fell else np.ones(len(texels), np.float32)
        if self.uneven > 0:
            heaps = event.noise(self.uneven_mm, octaves=5, gain=0.5, salt=214)
            wide = event.noise(self.uneven_mm * 6.0, octaves=3, salt=215)
            lies = lies * np.clip(
                1.0 + 0.42 * self.uneven * heaps + 0.35 * self.uneven * wide,
                0.0,
                2.2,
            )
        target = lies * deep * event.mask
        # It begins where none can lie: where it is steep, and where the surface ends.
        # A border that lies against another part is no end: the snow goes on there.
        free = texels.far("ends", lambda: np.asarray((texels.links < 0).any(axis=1)), nearest=True)
        goes_on = np.zeros(len(free), np.bool_)
        if anywhere(free):
            goes_on = free & (event.across_contacts(np.minimum(target * (4.0 / deep), 1.0), 0.0) >= 0.05)
            free = free & ~goes_on
        ends = (target < (0.02 * deep)) | free
        if not anywhere(~ends):
            return np.zeros(len(texels), np.float32)
        wide_mm = max(0.7 * deep, texels.texel_mm)
        most = min(wide_mm, 400.0 * texels.texel_mm)
        away = distance_along(texels, ends, most)
        if anywhere(goes_on):
            # What lies against another body is as far from an end as that is there.
            beside = event.across_contacts(away / np.float32(most), 0.0) * np.float32(most)
            away = distance_along(texels, ends, most, np.where(goes_on, np.maximum(beside, 1e-3), np.float32(most)))
        inwards = np.minimum(away / np.maximum(0.7 * target, 1e-3), 1.0)
        rounded = target * np.sqrt(np.maximum(1.0 - np.square(1.0 - inwards), 0.0))
        height = np.minimum(rounded, STEEP * away)
        height = blur(texels, height, min(0.12 * deep, 0.4 * self.crumb_mm + texels.texel_mm))
        if fell:
            height = np.where(texels.normal[:, 1] > 0.05, height, np.float32(0.0))
        if anywhere(goes_on):
            # Where two bodies meet the snow of both is as high as that of the lower, and rises from there.
            top = max(decided("highest", lambda: float(height.max())), 1e-3)
            lower = event.across_contacts(height / top, 0.0) * (top / STEEP)
            most = top / STEEP
            rise = distance_along(
                texels,
                np.zeros(len(texels), np.bool_),
                most,
                np.where(goes_on, np.maximum(lower, 1e-3), np.float32(most)),
            )
            height = np.minimum(height, STEEP * rise)
        if self.crumble > 0:
            height = self._crumbled(event, height)
        return np.ascontiguousarray(np.maximum(height, 0.0), np.float32)

    def settles(self, event: Event, texels: Texels) -> np.ndarray:
        """(n,) float32: what stays, by the slope law and the wind; 1 on the level out of the wind."""
        lies = slope_share(texels.normal[:, 1])
        if self.wind <= 0:
            return lies
        setting = event.scope.place.setting
        way = compass(setting, setting.wind_from_deg).astype(np.float32)
        # What an edge looks like to the wind: the mean direction of what is around.
        facing = blur(texels, np.ascontiguousarray(texels.normal @ way, np.float32), self.drift_mm)
        curve = event.scope.place.measured.curvature(self.drift_mm)
        scoured = np.clip(facing * 1.7, -0.55, 1.0) + 0.5 * np.maximum(curve, 0)
        gathered = 1.1 * np.maximum(-curve, 0)
        return np.asarray(lies * np.clip(1.0 - self.wind * (scoured - gathered), 0.05, 1.8), np.float32)

    def _crumbled(self, event: Event, height: np.ndarray) -> np.ndarray:
        """(n,) float32 mm: where the cover is thin only crumbs of it are left."""
        size = self.crumb_mm
        thin = np.clip(height * (1.0 / (1.6 * size)), 0.0, 1.0)
        lumps = event.noise(size * 1.6, octaves=3, gain=0.6, salt=216)
        chunks = event.cells(max(size, 2.0 * event.texel_mm), salt=217)
        keep = thin + 0.17 * lumps + 0.5 * self.crumble * (chunks.value - 0.62)
        there = ramp(keep, 0.10, 0.24)
        # A crumb is round, whatever the thickness of the cover it broke from.
        dome = np.clip(1.0 - np.square(chunks.distance / (0.62 * max(size, 2.0 * event.texel_mm))), 0.0, 1.0)
        single = np.minimum(height, 0.6 * size) * (0.35 + 0.65 * dome)
        whole = ramp(thin, 0.3, 0.85)
        broken = (single + (height - single) * whole) * there
        return np.asarray(height + (broken - height) * min(1.0, 1.4 * self.crumble), np.float32)

    @staticmethod
    def _rounded(event: Event, pile: Pile, height: np.ndarray) -> np.ndarray:
        """(n,) float32 mm: thickness whose top is even although the relief below is not."""
        relief = pile.relief()
        high = decided("high", lambda: float(np.quantile(height[:: max(1, len(height) // 20000)], 0.9)))
        smooth = blur(pile.texels, relief, max(2.0, 0.4 * high))
        fills = np.clip(smooth - relief, -height * 0.85, np.maximum(height, 0.0) * 2.0)
        return np.asarray(height + fills * ramp(height, 0.0, 3.0), np.float32)

    @staticmethod
    def _ridges(event: Event) -> np.ndarray:
        """(n,) float32 mm: low ridges along the wind, as it cuts them."""
        texels, setting = event.texels, event.scope.place.setting
        way = compass(setting, setting.wind_from_deg).astype(np.float32)
        points = np.ascontiguousarray(texels.position - 0.75 * (texels.position @ way)[:, None] * way, np.float32)
        cut = fractal(points, 36.0, octaves=4, gain=0.5, seed=event.seed(218), texel_mm=texels.texel_mm)
        return cut * (36.0 * 0.8)

    def _melted(self, event: Event, shown: np.ndarray, much: np.float32) -> Pile:
        """The pile with meltwater below the snow and down from it."""
        pile = event.pile
        lane = event.noise(self.melt_mm * 0.08, octaves=3, gain=0.6, tall=14.0, salt=219)
        below = event.across_contacts(shown, 6.0)
        ran = event.run_down(np.maximum(shown, below * 0.8), self.melt_mm)
        ran = ran * np.clip(0.5 + 0.55 * lane, 0.0, 1.2)
        rim = blur(pile.texels, shown, max(4.0, 0.04 * self.melt_mm))
        damp = np.clip(np.maximum(ran, 1.6 * rim) * much * 1.4, 0.0, 1.0).astype(np.float32)
        film = damp * 0.2
        return pile.with_coat(wetted(event, wetting(pile, damp, film), damp, film))
