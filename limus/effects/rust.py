"""Effect: rust."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome, raised
from limus.fields import choice, number
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.substance import OXIDE
from limus.object_size import ONE_METRE, ObjectSize
from limus.parallel import for_ranges, kernel
from limus.surface.blur import blur

#: First-year loss of carbon steel in micrometres, middle of the class (ISO 9223, table 2; from memory: C1 <= 1.3, C2 1.3-25,
#: C3 25-50, C4 50-80, C5 80-200, CX 200-700).
FIRST_YEAR_UM: dict[str, float] = {"C1": 0.65, "C2": 13.0, "C3": 37.5, "C4": 65.0, "C5": 140.0, "CX": 450.0}
#: Exponent for carbon steel, ISO 9224 (from memory).
EXPONENT = 0.523
#: Volume of oxide per volume of iron, Fe -> Fe2O3 (Pilling and Bedworth 1923; from memory).
OXIDE_VOLUME = 2.14

FRESH, BROWN, DARK, FLECK = (0.30, 0.105, 0.033), (0.17, 0.058, 0.022), (0.085, 0.034, 0.018), (0.235, 0.095, 0.036)


def corrosion_depth_um(first_year_um: float, years: float) -> float:
    """Iron lost after ``years``: D = r t^b (ISO 9224, b = 0.523 for carbon steel)."""
    return float(first_year_um * years**EXPONENT) if years > 0 else 0.0


_TONES = np.array([FRESH, BROWN, DARK, FLECK], np.float32)


@kernel
def _ramp(x, low, high):  # type: ignore[no-untyped-def]
    x = min(max((x - low) / (high - low), np.float32(0.0)), np.float32(1.0))
    return x * x * (np.float32(3.0) - np.float32(2.0) * x)


@kernel
def _oxidise(  # type: ignore[no-untyped-def]
    start,
    end,
    share,
    bare,
    near,
    mottle,
    grain,
    pitting,
    depth,
    stain,
    flecks,
    scale,
    hide,
    tones,
    thickness,
    shown,
    lift,
    color,
    roughness,
):
    """Per texel: oxide thickness (um), where it shows, change of relief (mm), and the look of the oxide."""
    one = np.float32(1.0)
    for i in range(start, end):
        if bare[i] < np.float32(1e-4) and near[i] < np.float32(1e-4):
            # Well under paint nothing happens, and that is most of the surface.
            thickness[i], shown[i], lift[i], roughness[i] = 0.0, 0.0, 0.0, np.float32(0.8)
            for c in range(3):
                color[i, c] = tones[1, c]
            continue
        # ``depth`` is that of a place laid bare; where only a part of the texel is bare the oxide covers that part and no more.
        deep = depth * share[i] * min(max(one + np.float32(0.35) * mottle[i], np.float32(0.3)), np.float32(2.0))
        solid = min(bare[i], np.float32(0.999999)) * (one - np.exp(-deep * np.float32(OXIDE_VOLUME) / hide))
        film = deep * np.float32(OXIDE_VOLUME) if bare[i] > np.float32(0.995) else -np.log(one - solid) * hide
        local = film / np.float32(OXIDE_VOLUME)
        # Around bare spots a stain: half its strength right at the rim, fading over the reach, and uneven.
        halo = (
            min(near[i] * np.float32(2.0), one)
            * stain
            * min(max(np.float32(0.6) + np.float32(0.45) * mottle[i], np.float32(0.0)), one)
            * (one - bare[i])
        )
        halo = min(halo, np.float32(0.92))
        thickness[i] = film - np.log(one - halo) * hide
        shown[i] = max(solid, halo)
        # The iron that became oxide is gone (its room is in the coat); scale is uneven, pits go in.
        lift[i] = local * np.float32(0.001) * (scale * (np.float32(0.55) * pitting[i] + np.float32(0.35) * grain[i]) - one)
        # Colour by age: bright while thin, brown, then dark scale with lighter flecks.
        age = _ramp(deep, np.float32(3.0), np.float32(45.0))
        old = _ramp(min(deep / np.float32(180.0), one) + np.float32(0.10) * mottle[i], np.float32(0.15), np.float32(0.75))
        fleck = flecks * _ramp(np.float32(0.6) * (grain[i] + mottle[i]), np.float32(0.35), np.float32(1.5))
        tint = min(max(halo * (one - solid), np.float32(0.0)), one)
        tone = one + np.float32(0.14) * grain[i]
        for c in range(3):
            x = tones[0, c] + (tones[1, c] - tones[0, c]) * age
            x += (tones[2, c] - x) * old
            x = (x + (tones[3, c] - x) * fleck) * tone
            x = min(max(x, np.float32(0.004)), np.float32(0.6))
            color[i, c] = x + (tones[1, c] - x) * tint
        rough = np.float32(0.80) + np.float32(0.09) * grain[i] - np.float32(0.10) * old * max(mottle[i], np.float32(0.0))
        roughness[i] = min(max(rough, np.float32(0.6)), one)


class Rust(Effect):
    """Exposed iron turns to oxide.

    Depth follows the corrosivity of the setting and the years; oxide takes 2.14 times the room of the iron it came from, so a
    rusted spot stands up. Oxide is not a metal: metalness 0, roughness high and broken up. It creeps under the rim of paint and
    stains it.
    """

    kind: Literal["rust"] = "rust"
    order: ClassVar[int] = 2
    family: ClassVar[Kind] = "change"
    title: ClassVar[str] = "Rust"
    reads: ClassVar[tuple[str, ...]] = ("setting.corrosivity",)
    acts_on: ClassVar[tuple[str, ...]] = ("ferrous",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous",)
    summary: ClassVar[str] = "Bare iron corrodes by class and years, swells, creeps under paint and stains it"

    years: float = number(10.0, "Years", "years", 0.0, 500.0, (0.0, 40.0), "Time since the iron was laid bare")
    climate: Literal["setting", "C1", "C2", "C3", "C4", "C5", "CX"] = choice(
        "setting", "Corrosivity", "Class after ISO 9223", setting="as in the setting",
        C1="C1 very low", C2="C2 low", C3="C3 medium", C4="C4 high", C5="C5 very high", CX="CX extreme",
    )  # fmt: skip
    creep_mm: float = number(
        2.5, "Creep at rims", "mm", 0.0, 100.0, (0.0, 15.0), "How far the stain reaches from bare iron over the paint", grows=0.5
    )
    stain: float = number(0.5, "Stain", "%", 0.0, 1.0, about="Strength of the stain around bare spots")
    flecks: float = number(0.5, "Flecks", "%", 0.0, 1.0, about="Lighter, younger oxide among the dark")
    fleck_mm: float = number(6.0, "Fleck size", "mm", 0.2, 200.0, (1.0, 40.0), log=True, grows=0.5)
    scale: float = number(0.5, "Scale and pits", "%", 0.0, 1.0, about="Roughness of the relief that the oxide makes")

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere that iron is bare, stronger where water stays."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(70.0, 0.75), octaves=4, seed=5), low=0.05, high=0.6, out_low=0.35),
                term(Sheltered(reach_mm=size.mm(32.0, 0.75)), low=0.0, high=0.7, combine="add", amount=0.35),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Grow the oxide on bare iron, and stain what is near."""
        pile = event.pile
        nothing = np.zeros(len(event.mask), np.float32)
        if not pile.has("ferrous"):
            return Outcome(pile, nothing, "Nothing here is iron or steel")
        bare = pile.exposed("ferrous")
        reach = bare * event.mask * np.float32(event.strength)
        if not (reach > 0.004).any():
            return Outcome(pile, nothing, "No iron is exposed in this place: chip the paint first, or widen the place")
        setting = event.scope.place.setting.corrosivity
        depth = corrosion_depth_um(FIRST_YEAR_UM[setting if self.climate == "setting" else self.climate], self.years)
        if depth <= 0:
            return Outcome(pile, nothing, "No time has passed: raise the years")
        mottle = event.noise(self.fleck_mm * 2.5, octaves=4, salt=31)
        grain = event.noise(self.fleck_mm * 0.45, octaves=3, gain=0.6, salt=32)
        pitting = event.noise(self.fleck_mm * 1.1, octaves=4, gain=0.6, salt=33)
        if self.creep_mm > 0 and self.stain > 0:
            near = blur(pile.texels, reach, self.creep_mm)
        else:
            near = nothing
        count = len(reach)
        thickness, shown, lift, roughness = (np.empty(count, np.float32) for _ in range(4))
        color = np.empty((count, 3), np.float32)
        for_ranges(
            _oxidise, count, event.mask * np.float32(event.strength), bare, near, mottle, grain, pitting, np.float32(depth), np.float32(self.stain * event.strength),
            np.float32(self.flecks), np.float32(self.scale), np.float32(OXIDE.hide_um), _TONES, thickness, shown, lift, color, roughness,
        )  # fmt: skip
        out = pile.with_coat(event.coat(event.name, OXIDE, thickness, {"base_color": color, "roughness": roughness}))
        return Outcome(raised(out, lift), shown)
