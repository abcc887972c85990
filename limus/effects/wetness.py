"""Effect: wetness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere
from limus.common.fields import number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.damp import evened_mm, water_coat, wetted, wetting
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um, ramp
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import SALT
from limus.patterns.discs import bits, covering
from limus.readings.catalogue import READINGS
from limus.readings.open_weather import RAIN_READS, SUN_READS, rain_by_sky, sun_by_sky

#: Porosity below which water stands in beads instead of soaking in.
BEADS_BELOW = 0.06


class Wetness(Effect):
    """Water in the pores and on the surface.

    Rain beats on it, runs down it, splashes up from the ground and seeps from cracks; sun and wind dry it, what stands
    out first. Porous surfaces darken (Lekner and Dorf 1988), then a film stands on them; on paint, metal and glass
    water gathers in beads that run.
    """

    kind: Literal["wetness"] = "wetness"
    order: ClassVar[int] = 21
    family: ClassVar[Kind] = "change"
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    title: ClassVar[str] = "Wetness"
    group: ClassVar[Group] = "Weather"
    reads: ClassVar[tuple[str, ...]] = tuple(sorted({*RAIN_READS, *SUN_READS, "setting.ground_mm"}))
    louder: ClassVar[str] = "raise the amount and the film"
    figures: ClassVar[str] = (
        "Darkening of what is damp: Lekner and Dorf 1988; refraction of water 1.33: Hecht (from memory)"
    )
    summary: ClassVar[str] = (
        "Damp where rain, run-off, ground and cracks bring water; beads on paint; drying edges first"
    )
    when: ClassVar[str] = (
        "Late in the chronicle: after rain, by the water, at the foot of walls; before puddles and snow"
    )

    amount: float = number(0.62, "Amount", "%", 0.0, 1.0, about="From drying patches to soaked through", place="amount")
    rain: float = number(0.55, "From rain", "%", 0.0, 1.0, about="By direction, wind and open sky")
    runs: float = number(0.5, "From run-off", "%", 0.0, 1.0, about="Lanes below ledges and where water gathers")
    ground: float = number(0.7, "From the ground", "%", 0.0, 1.0, about="Splash and damp that rises at the foot")
    ground_mm: float = number(
        110.0, "Height at the foot", "mm", 1.0, 20000.0, (20.0, 1000.0), "How high damp rises from the ground",
        log=True, grows=0.8,
    )  # fmt: skip
    cracks: float = number(0.6, "From cracks", "%", 0.0, 1.0, about="Seeps from cracks that layers before have opened")
    dried: float = number(0.5, "Dried", "%", 0.0, 1.0, about="By sun and wind, edges and what stands out first")
    film: float = number(0.35, "Film", "%", 0.0, 1.0, about="How much water stands on the surface where it is wettest")
    beads: float = number(0.5, "Beads", "%", 0.0, 1.0, about="Drops and runners on what soaks up nothing")
    bead_mm: float = number(3.0, "Bead size", "mm", 0.2, 50.0, (0.8, 10.0), "Of the largest drops", log=True, grows=0.0)
    edge_mm: float = number(
        5.0, "Edge size", "mm", 0.05, 1000.0, (1.0, 60.0), "Rounding of the edges that dry first", log=True, grows=0.5
    )
    ragged_mm: float = number(
        28.0, "Patches", "mm", 0.5, 100000.0, (5.0, 300.0), "Width of the patches it dries in", log=True, grows=0.75
    )
    lane_mm: float = number(9.0, "Width of runs", "mm", 0.2, 500.0, (1.0, 60.0), "Of one streak", log=True, grows=0.5)
    tide: float = number(0.3, "Tide lines", "%", 0.0, 1.0, about="A faint rim of what the water left where it dried")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere, in some regions more; the effect itself knows where water comes from."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(360.0, 1.0), octaves=4, seed=171), low=0.12, high=0.75, out_low=0.15),
                term(Noise(size_mm=size.mm(55.0, 0.8), octaves=4, seed=172), low=0.05, high=0.6, out_low=0.35),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Wet what shows."""
        pile = event.pile
        water = event.step(self._water)
        if self.cracks > 0 and pile.cleft is not None:
            seep = np.maximum(
                pile.clefts(2.5 * self.lane_mm),
                event.run_down(pile.clefts(self.lane_mm) * 0.8, 6.0 * self.lane_mm),
            )
            water = water + self.cracks * 0.7 * seep * np.minimum(event.mask * 3.0, 1.0)
        # The amount is a level that everything is measured against: little of it leaves only where much water comes.
        level = 1.05 - 1.05 * self.amount
        wet = ramp(water, level, level + 0.16) * np.minimum(event.mask * 8.0, 1.0)
        damp = wet * (min(1.0, 1.3 * self.amount + 0.25) * event.strength)
        much = ramp(water, level + 0.22, level + 0.55) * (self.film * event.strength)
        pores = event.porosity()
        tight = np.clip(1.0 - pores * (1.0 / BEADS_BELOW), 0.0, 1.0)
        # What is all pores, like moss or earth, drinks what would stand on it.
        stands, drops = much * np.clip(1.25 - pores * 1.5, 0.0, 1.0), None
        # Beads that are finer than texels are a thin film.
        fine = self.bead_mm < 1.6 * event.texel_mm
        if self.beads > 0 and fine:
            stands = np.maximum(stands, 0.3 * self.beads * event.strength * wet * tight)
        elif self.beads > 0 and anywhere(tight > 0.01):
            dome = event.step(self._beads)
            sparse = event.noise(self.bead_mm * 9.0, octaves=3, salt=174)
            here = ramp(wet * 0.9 + 0.16 * sparse, 0.35, 0.6) * tight * (self.beads * event.strength)
            drops = dome * here
            stands = stands * (1.0 - 0.75 * self.beads * tight)
        film = np.clip(stands, 0.0, 1.0)
        out = pile.with_coat(wetted(event, wetting(pile, damp, film), damp, film))
        deep = evened_mm(event, pile, film)
        cover = film
        if drops is not None:
            deep = deep + drops
            cover = np.maximum(film, np.minimum(drops * 25.0, 1.0))
        if anywhere(cover > 0.004):
            out = out.with_coat(water_coat(event, cover, deep))
        if self.tide > 0:
            rim = np.clip(1.0 - np.abs(water - (level - 0.035)) * 26.0, 0.0, 1.0)
            rim = rim * np.minimum(pores * 12.0, 1.0) * np.minimum(event.mask * 8.0, 1.0)
            share = (rim * (0.30 * self.tide * event.strength)).astype(np.float32)
            out = out.with_coat(
                event.coat(f"{event.name}: tide line", SALT, film_um(share, SALT.hide_um), {"base_color": one((0.42,
                    0.40, 0.36)), "roughness": one(0.9)}, "tide")
            )  # fmt: skip
        return Outcome(out, np.maximum(damp * ramp(wet, 0.1, 0.5), cover).astype(np.float32))

    def _water(self, event: Event) -> np.ndarray:
        """(n,) float32: how much water comes here, less what dries; 0 dry .. about 1.3 soaked."""
        place = event.scope.place
        rain = rain_by_sky(place)
        caught = np.minimum(rain, 1.0)
        lane = event.noise(self.lane_mm, octaves=3, gain=0.6, tall=20.0, salt=175)
        ran = event.run_down(caught * 0.75, 40.0 * self.lane_mm)
        ran = ran * np.clip(0.55 + 0.5 * lane, 0.0, 1.3)
        high = READINGS["height"].value(place, 0.0) * (1.0 / self.ground_mm)
        tongue = event.noise(self.ground_mm * 0.8, octaves=4, gain=0.6, salt=176)
        foot = np.clip(1.15 - high + 0.24 * tongue, 0.0, 1.0)
        water = 1.0 * self.rain * caught + 0.95 * self.runs * ran + 1.05 * self.ground * foot + 0.15
        # Wind and sun: what stands out and what faces the sun dries first, corners last.
        curve = place.measured.curvature(self.edge_mm)
        sun = np.minimum(sun_by_sky(place), 1.5)
        dry = 0.45 * sun + 1.1 * np.maximum(curve, 0) - 0.7 * np.maximum(-curve, 0)
        patch = event.noise(self.ragged_mm, octaves=5, gain=0.6, salt=177)
        wide = event.noise(self.ragged_mm * 8.0, octaves=3, salt=178)
        water = water - self.dried * dry * 0.6 + 0.10 * patch + 0.09 * wide
        return np.asarray(water * (0.45 + 0.55 * event.mask), np.float32)

    def _beads(self, event: Event) -> np.ndarray:
        """(n,) float32 mm: drops of all sizes, the small ones by far the most, drawn down where they have begun to
        run.
        """
        texels = event.texels
        out = np.zeros(len(texels), np.float32)
        for k, size in enumerate((1.0, 0.55, 0.3)):
            mm = self.bead_mm * size
            if mm < 1.6 * texels.texel_mm:
                break
            sites = event.sites(mm * 1.15, salt=180 + k)
            if not len(sites):
                continue
            keep = sites.only(bits(sites.number, 0) > (0.6, 0.45, 0.3)[k])
            radius = mm * 0.0005 * (0.45 + 0.55 * bits(keep.number, 1))
            over = covering(texels.position, texels.normal, keep.position, keep.normal, radius)
            if not len(keep):
                continue
            # Caps of balls, a little flatter than halves.
            cap = np.sqrt(np.maximum(1.0 - np.square(over.share), 0.0)) * radius[np.maximum(over.which, 0)]
            out = np.maximum(out, np.where(over.which >= 0, cap * 550.0, np.float32(0.0)))
        return out
