"""Effect: mud and flood line."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere, decided
from limus.common.fields import colour, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um, ramp
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.substance import MUD, covered
from limus.materials.tone import toned
from limus.patterns.crack_network import crack_network
from limus.readings.catalogue import READINGS


class Mud(Effect):
    """What a flood left: silt up to a line that is level, thick at the foot and on ledges, thin towards the line;
    splashes above, tide lines below.

    Thick mud shrinks as it dries and cracks into plates.
    """

    kind: Literal["mud"] = "mud"
    order: ClassVar[int] = 11
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("smooth concrete", ())
    title: ClassVar[str] = "Mud and flood line"
    group: ClassVar[Group] = "Weather"
    photographed: ClassVar[dict[str, str]] = {"color": "color", "share": "amount"}
    reads: ClassVar[tuple[str, ...]] = ("setting.ground_mm",)
    summary: ClassVar[str] = "Silt up to a level line, splashed above, cracked into plates where it is thick"
    when: ClassVar[str] = "After a flood, or on whatever stands by the river; before growth and dust"

    level_mm: float = number(
        190.0, "Level", "mm", -100000.0, 100000.0, (0.0, 1000.0), "Of the flood above the ground of the setting",
        place="amount", grows=1.0,
    )  # fmt: skip
    amount: float = number(0.6, "Amount", "%", 0.0, 1.0, about="How dense the silt is below the line", place="amount")
    thickness_mm: float = number(
        1.6, "Thickness", "mm", 0.0, 200.0, (0.0, 15.0), "At the foot and on ledges", grows=0.4
    )
    line: float = number(
        0.55, "Line", "%", 0.0, 1.0, about="Darker rim at the level, and lower ones where the water paused"
    )
    splash_mm: float = number(45.0, "Splash", "mm", 0.0, 5000.0, (0.0, 300.0), "Above the line", grows=0.8)
    ragged_mm: float = number(
        4.0, "Uneven line", "mm", 0.0, 500.0, (0.0, 40.0), "How far waves have washed over it", grows=0.7
    )
    dry: float = number(0.8, "Dry", "%", 0.0, 1.0, about="From wet and dark to dry, pale and cracked")
    plates_mm: float = number(
        32.0, "Plates", "mm", 1.0, 2000.0, (8.0, 200.0), "Width of the plates that thick mud cracks into", log=True,
        grows=0.35,
    )  # fmt: skip
    color: tuple[float, float, float] = colour((0.155, 0.115, 0.076), "Colour when dry")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere below the line, in some regions washed off again."""
        return Recipe(
            terms=[term(Noise(size_mm=size.mm(240.0, 1.0), octaves=4, seed=311), low=0.12, high=0.6, out_low=0.2)]
        )

    def ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        """Levels from the foot of the object to its top."""
        low, high = self.heights(event)
        return {"level_mm": (low, high)} if high - low > 1.0 else {}

    def apply(self, event: Event) -> Outcome:
        """Let it settle, and dry."""
        pile, nothing = event.pile, np.zeros(len(event.mask), np.float32)
        high = READINGS["height"].value(event.scope.place, 0.0)
        if not anywhere(high < self.level_mm + self.splash_mm):
            return event.nothing("All of the object stands above the flood: raise the level, or set the ground")
        share, thick = self._lies(event, high)
        if not anywhere(share > 0.004):
            return event.nothing()
        opened, gap = nothing, None
        if self.dry > 0.25 and self.thickness_mm > 0.4 and self.plates_mm > 2.0 * event.texel_mm:
            found = event.step(self._plates)
            # Plates part where there is enough to shrink, and the more the thicker it lies.
            width = np.clip(thick * (0.9 * (self.dry - 0.25)), 0.0, 0.10 * self.plates_mm)
            gap = found - width * 0.5
            opened = np.clip(0.5 - gap / max(event.texel_mm, 0.3), 0.0, 1.0) * ramp(thick, 0.3, 1.0)
        thickness = film_um(np.minimum(share, 0.96), MUD.hide_um) + thick * 1000.0 * share
        curl = nothing
        if gap is not None:
            # Rims of plates lift as they dry.
            curl = (
                np.exp(-np.maximum(gap, 0.0) / (0.12 * self.plates_mm))
                * ramp(thick, 0.3, 1.2)
                * (0.30 * self.dry)
                * thick
            )
        thickness = np.maximum((thickness + curl * 1000.0) * (1.0 - 0.94 * opened), 0.0).astype(np.float32)
        tone = (
            1.0
            + 0.12 * event.noise(22.0, octaves=5, gain=0.6, salt=312)
            + 0.08 * event.noise(150.0, octaves=3, salt=313)
        )
        tone = tone * (0.42 + 0.58 * self.dry) * (1.0 - 0.5 * opened)
        rough = np.clip(0.35 + 0.6 * self.dry + 0.05 * tone, 0.1, 1.0)
        sheet = {"base_color": toned(self.color, tone, 0.2, 1.5), "roughness": rough}
        out = pile.with_coat(event.coat(event.name, MUD, thickness, sheet))
        if gap is not None:
            cleft = np.where(thick > 0.3, gap, np.float32(1e6)).astype(np.float32)
            out = replace(out, cleft=cleft if pile.cleft is None else np.minimum(cleft, pile.cleft))
        return Outcome(out, np.minimum(covered(thickness, MUD), share).astype(np.float32))

    def _lies(self, event: Event, high: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(n,) float32 0..1 how dense, and (n,) float32 mm how thick."""
        texels = event.texels
        level, span = self.level_mm, max(self.level_mm - decided("lowest", lambda: float(high.min())), 1.0)
        wave = event.noise(max(14.0 * self.ragged_mm, 4.0), octaves=4, gain=0.5, salt=314) * (0.5 * self.ragged_mm)
        below = level - (high + wave)
        soft = max(0.4, 0.6 * texels.texel_mm)
        under = ramp(below, -soft, soft)
        deep = np.clip(below / span, 0.0, 1.0)
        up = np.maximum(texels.normal[:, 1], 0.0)
        clouds = event.noise(34.0, octaves=5, gain=0.62, salt=315)
        fine = event.noise(4.0, octaves=4, gain=0.7, salt=316)
        lanes = event.noise(9.0, octaves=3, gain=0.6, tall=10.0, salt=317)
        mask = np.minimum(event.mask * 1.25, 1.0)
        # Silt sinks: dense below, a veil towards the line; on ledges all of it stays.
        body = 0.30 + 0.48 * deep + 0.38 * up + 0.13 * clouds + 0.09 * fine + 0.07 * lanes
        share = np.clip(body, 0.0, 1.0) * under * (0.25 + 0.75 * mask)
        if self.line > 0:
            for k, (at, much) in enumerate(((0.0, 1.0), (0.13, 0.5), (0.31, 0.35))):
                away = np.abs(below - at * span - (0.02 * span if k else 0.0))
                rim = np.clip(1.0 - away / max(0.010 * span, 1.6 * texels.texel_mm, 1.5), 0.0, 1.0)
                rim = rim * np.clip(0.75 + 0.45 * clouds, 0.0, 1.0)
                share = np.maximum(share, rim * (0.75 * much * self.line) * mask)
        if self.splash_mm > 0:
            drops = event.noise(5.0, octaves=3, gain=0.75, salt=318) + 0.5 * event.noise(18.0, octaves=2, salt=319)
            over = np.clip(1.0 + below / self.splash_mm, 0.0, 1.0) * (below < 0)
            share = np.maximum(share, ramp(drops + 1.6 * over, 2.05, 2.35) * 0.75 * mask)
        share = np.clip(share * min(1.0, 1.5 * self.amount), 0.0, 0.97) * event.strength
        thick = self.thickness_mm * event.strength * under * (0.16 * np.square(deep) + 1.0 * up * np.sqrt(deep))
        thick = thick * np.clip(0.8 + 0.35 * clouds + 0.10 * fine, 0.0, 1.8) * mask
        return share.astype(np.float32), thick.astype(np.float32)

    def _plates(self, event: Event) -> np.ndarray:
        """(n,) float32 mm to the nearest crack between plates."""
        texels = event.texels
        generations, apart = [], []
        for k, mm in enumerate((self.plates_mm * 0.8, self.plates_mm * 0.34)):
            if k and mm < 2.0 * texels.texel_mm:
                break
            sites = event.sites(mm, salt=320 + k)
            generations.append((sites, np.zeros(len(sites), np.int64)))
            apart.append(mm)
        found = crack_network(
            texels.position, texels.normal, np.zeros(len(texels), np.int64), generations, apart, [0.0] * len(apart),
            missing=[0.05, 0.55], bend=0.22, seed=event.seed(322) & 0xFFFFFF,
        )  # fmt: skip
        return np.minimum(found.distance, np.float32(1e6))
