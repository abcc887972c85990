"""Effect: rust."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, ClassVar, Literal

import numpy as np

from limus.common.deciding import anywhere, decided
from limus.common.fields import choice, number
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.parallel import for_ranges
from limus.effects.corrosion import corroded
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, ShownOn, film_um, raised
from limus.masks.coverage import SoftLevels
from limus.masks.recipe import Recipe, term
from limus.masks.shape import smoothstep
from limus.masks.sources.low import LowDown
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.materials.substance import OXIDE, STAIN, thinned
from limus.materials.tone import toned
from limus.strata.pile import Coat, Pile
from limus.surface.blur import blur

#: First-year loss of carbon steel in micrometres, middle of the class (ISO 9223, table 2; from memory: C1 <= 1.3, C2
#: 1.3-25, C3 25-50, C4 50-80, C5 80-200, CX 200-700).
FIRST_YEAR_UM: dict[str, float] = {"C1": 0.65, "C2": 13.0, "C3": 37.5, "C4": 65.0, "C5": 140.0, "CX": 450.0}
#: Exponent for carbon steel, ISO 9224 (from memory).
EXPONENT = 0.523
#: Volume of oxide per volume of iron, Fe -> Fe2O3 (Pilling and Bedworth 1923; from memory).
OXIDE_VOLUME = 2.14
#: Rusted area in percent, ISO 4628-3 (from memory; Ri5 is 40 to 50).
RUST_GRADES: dict[str, float] = {"Ri0": 0.0, "Ri1": 0.05, "Ri2": 0.5, "Ri3": 1.0, "Ri4": 8.0, "Ri5": 45.0}
#: Rusted area in percent, ASTM D610 (from memory): the most a grade allows, and for grade 0 the middle of what is left.
ASTM_GRADES: dict[str, float] = {
    "10": 0.01, "9": 0.03, "8": 0.1, "7": 0.3, "6": 1.0, "5": 3.0, "4": 10.0, "3": 16.0, "2": 33.0, "1": 50.0,
    "0": 75.0,
}  # fmt: skip
#: Half the width of the edge of a spot that broke through the paint, in its potential.
WIDTH = 0.02

FRESH, BROWN, DARK, FLECK = (0.30, 0.105, 0.033), (0.145, 0.050, 0.021), (0.060, 0.028, 0.018), (0.225, 0.088, 0.034)
#: What the run-off leaves on paint.
RUN = (0.19, 0.066, 0.020)


def corrosion_depth_um(first_year_um: float, years: float) -> float:
    """Iron lost after ``years`` (ISO 9224, b = 0.523 for carbon steel)."""
    return corroded(first_year_um, EXPONENT, years)


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
    wide,
    mottle,
    grain,
    pitting,
    rubbed,
    depth,
    stain,
    flecks,
    scale,
    most,
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
        # ``depth`` is that of a place laid bare; where only a part of the texel is bare the oxide covers that part and
        # no more.
        uneven = one + np.float32(0.45) * wide[i] + np.float32(0.30) * mottle[i]
        deep = depth * share[i] * min(max(uneven, np.float32(0.12)), np.float32(2.2))
        solid = min(bare[i], np.float32(0.999999)) * (one - np.exp(-deep * np.float32(OXIDE_VOLUME) / hide))
        film = deep * np.float32(OXIDE_VOLUME) if bare[i] > np.float32(0.995) else -np.log(one - solid) * hide
        local = film / np.float32(OXIDE_VOLUME)
        # Creep: how far it gets differs from place to place, and in most places it does not get far.
        reach = (
            np.sqrt(near[i]) * np.float32(1.35)
            + np.float32(0.22) * mottle[i]
            + np.float32(0.28) * wide[i]
            - np.float32(0.36)
        )
        halo = (
            _ramp(reach, np.float32(0.0), np.float32(0.75))
            * stain
            * (one - bare[i])
            * min(near[i] * np.float32(6.0), one)
        )
        halo = min(halo, np.float32(0.92))
        thickness[i] = film - np.log(one - halo) * hide
        shown[i] = max(solid, halo)
        # The iron that became oxide is gone (its room is in the coat); scale is uneven, pits go in.
        old = _ramp(deep / np.float32(170.0) + np.float32(0.12) * mottle[i], np.float32(0.25), np.float32(1.0))
        pits = min(pitting[i] + np.float32(0.3), np.float32(0.6)) * (np.float32(0.3) + np.float32(0.7) * old)
        # On small flecks scale is not as high as the depth would allow, or its slopes would be cliffs.
        high = min(local * np.float32(0.001), most)
        lift[i] = high * scale * (np.float32(0.62) * pits + np.float32(0.30) * grain[i]) - local * np.float32(0.001)
        # Colour by age: bright while thin, brown, then dark scale with lighter flecks where it has just come off.
        age = _ramp(deep + np.float32(6.0) * grain[i], np.float32(2.0), np.float32(55.0))
        fleck = flecks * _ramp(
            np.float32(0.7) * grain[i] + np.float32(0.5) * mottle[i] - np.float32(0.3) * wide[i],
            np.float32(0.45),
            np.float32(1.7),
        )
        worn = rubbed[i] * old
        tint = min(max(halo * (one - solid), np.float32(0.0)), one)
        tone = (one + np.float32(0.13) * grain[i] + np.float32(0.10) * wide[i]) * (one - np.float32(0.42) * worn)
        for c in range(3):
            x = tones[0, c] + (tones[1, c] - tones[0, c]) * age
            x += (tones[2, c] - x) * old * np.float32(0.92)
            x = (x + (tones[3, c] - x) * fleck * (one - worn)) * tone
            x = min(max(x, np.float32(0.004)), np.float32(0.6))
            color[i, c] = x + (tones[1, c] * np.float32(0.9) - x) * tint
        rough = (
            np.float32(0.82)
            + np.float32(0.08) * grain[i]
            - np.float32(0.12) * old * max(mottle[i], np.float32(0.0))
            - np.float32(0.38) * worn
        )
        roughness[i] = min(max(rough, np.float32(0.6) - np.float32(0.26) * worn), one)


class Rust(Effect):
    """Exposed iron turns to oxide.

    Depth follows the corrosivity of the setting and the years; oxide takes 2.14 times the room of the iron it came
    from, so a rusted spot stands up. Oxide is not a metal: metalness 0, roughness high and broken up. It creeps under
    the rim of paint, blisters it, and what water carries away runs down over whatever is below. Asked for a share or a
    grade, it breaks through the paint in spots.
    """

    kind: Literal["rust"] = "rust"
    order: ClassVar[int] = 5
    family: ClassVar[Kind] = "change"
    title: ClassVar[str] = "Rust"
    group: ClassVar[Group] = "Metal"
    photographed: ClassVar[dict[str, str]] = {"share": "coverage"}
    photographed_with: ClassVar[dict[str, Any]] = {"by": "coverage"}
    begins: ClassVar[bool] = True
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint", "chipping"))
    law: ClassVar[Law] = "years"
    reads: ClassVar[tuple[str, ...]] = ("rays", "setting.corrosivity")
    acts_on: ClassVar[tuple[str, ...]] = ("ferrous",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous",)
    pieces: ClassVar[dict[str, str]] = {"oxide": "Oxide", "runs": "Runs"}
    figures: ClassVar[str] = (
        "Corrosivity: ISO 9223; depth r t^0.523 for 20 years, then the rate of the twentieth: ISO 9224; "
        "degrees and grades of rusting: ISO 4628-3, ASTM D610; room of the oxide: Pilling-Bedworth 2.14 (all "
        "from memory)"
    )
    summary: ClassVar[str] = (
        "Bare iron corrodes by class and years, swells, creeps under paint, blisters it and runs down"
    )
    when: ClassVar[str] = (
        "On iron and steel after whatever laid it bare; by grade where a painted surface is to be in a known condition"
    )

    by: Literal["years", "coverage", "iso", "astm"] = choice(
        "years", "Where by",
        "Bare iron rusts with the years; or a share of the iron's area is rusted, through the paint where need be",
        hints={"place": "amount"}, years="what lies bare", coverage="coverage", iso="ISO 4628-3", astm="ASTM D610",
    )  # fmt: skip
    coverage: float = number(
        0.08, "Coverage", "%", 0.0, 1.0, (0.0, 0.6), "Share of the surface of iron that is rusted", place="amount",
        when={"by": "coverage"},
    )  # fmt: skip
    iso: Literal["Ri0", "Ri1", "Ri2", "Ri3", "Ri4", "Ri5"] = choice(
        "Ri4", "Degree of rusting", "Area by ISO 4628-3", hints={"place": "amount", "when": {"by": "iso"}},
        **{k: f"{k} ({v:g} %)" for k, v in RUST_GRADES.items()}
    )  # fmt: skip
    astm: Literal["10", "9", "8", "7", "6", "5", "4", "3", "2", "1", "0"] = choice(
        "4", "Rust grade", "Area by ASTM D610", hints={"place": "amount", "when": {"by": "astm"}},
        **{k: f"{k} ({v:g} %)" for k, v in ASTM_GRADES.items()}
    )  # fmt: skip
    years: float = number(10.0, "Years", "years", 0.0, 500.0, (0.0, 40.0), "Time since the iron was laid bare")
    climate: Literal["setting", "C1", "C2", "C3", "C4", "C5", "CX"] = choice(
        "setting", "Corrosivity", "Class after ISO 9223", setting="as in the setting",
        C1="C1 very low", C2="C2 low", C3="C3 medium", C4="C4 high", C5="C5 very high", CX="CX extreme",
    )  # fmt: skip
    creep_mm: float = number(
        2.5, "Creep at rims", "mm", 0.0, 100.0, (0.0, 15.0),
        "How far the stain reaches from bare iron over the paint, at most", grows=0.5,
    )  # fmt: skip
    stain: float = number(0.5, "Stain", "%", 0.0, 1.0, about="Strength of the stain around bare spots")
    blisters: float = number(0.3, "Blisters", "%", 0.0, 1.0, about="Paint near bare spots lifted by the rust below it")
    runs_mm: float = number(
        90.0, "Runs", "mm", 0.0, 5000.0, (0.0, 600.0), "How far streaks run down", log=False, grows=0.75
    )
    runs: float = number(0.55, "Strength of runs", "%", 0.0, 1.0, about="How dark the streaks are")
    lane_mm: float = number(5.0, "Width of runs", "mm", 0.1, 500.0, (1.0, 40.0), "Of one streak", log=True, grows=0.5)
    flecks: float = number(0.5, "Flecks", "%", 0.0, 1.0, about="Lighter, younger oxide among the dark")
    fleck_mm: float = number(6.0, "Fleck size", "mm", 0.2, 200.0, (1.0, 40.0), log=True, grows=0.5)
    scale: float = number(0.5, "Scale and pits", "%", 0.0, 1.0, about="Roughness of the relief that the oxide makes")
    rubbed: float = number(
        0.4, "Rubbed spots", "%", 0.0, 1.0, about="Old rust on what stands out is darker and smoother"
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Everywhere that iron is bare; more where water stays, low down, and on one side of the whole."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(70.0, 0.75), octaves=4, seed=5), low=0.05, high=0.6, out_low=0.3),
                term(Noise(size_mm=size.mm(420.0, 1.0), octaves=3, seed=15), low=0.2, high=0.75, out_low=0.25),
                term(Sheltered(reach_mm=size.mm(32.0, 0.75)), low=0.0, high=0.7, combine="add", amount=0.35),
                term(LowDown(top_mm=size.mm(150.0, 1.0)), combine="add", amount=0.2),
            ]
        )

    def wanted(self) -> float | None:
        """Share of the iron's area that is to be rusted, 0..1, or None where the years decide."""
        return {
            "years": None,
            "coverage": self.coverage,
            "iso": RUST_GRADES[self.iso] / 100.0,
            "astm": ASTM_GRADES[self.astm] / 100.0,
        }[self.by]

    def apply(self, event: Event) -> Outcome:
        """Grow the oxide on bare iron, and stain what is near and below."""
        pile = event.pile
        nothing = np.zeros(len(event.mask), np.float32)
        if not pile.has("ferrous"):
            return event.nothing("Nothing here is iron or steel")
        setting = event.scope.place.setting.corrosivity
        depth = corrosion_depth_um(FIRST_YEAR_UM[setting if self.climate == "setting" else self.climate], self.years)
        if depth <= 0:
            return event.nothing("No time has passed: raise the years")
        wanted, note = self.wanted(), ""
        share = event.mask * event.strength
        if wanted is None:
            bare = pile.exposed("ferrous")
        else:
            if wanted * event.strength <= 0:
                return event.nothing("The coverage is 0")
            pile, bare, note = self._broken_through(event, wanted * event.strength)
            share = np.maximum(share, 0.35)
        reach = bare * share
        if not anywhere(reach > 0.004):
            return event.nothing(
                note or "No iron is exposed in this place: chip the paint first, or widen the place",
            )
        wide = event.noise(self.fleck_mm * 9.0, octaves=3, salt=30)
        mottle = event.noise(self.fleck_mm * 2.2, octaves=4, salt=31)
        grain = event.noise(self.fleck_mm * 0.45, octaves=3, gain=0.6, salt=32)
        pitting = event.noise(self.fleck_mm * 1.1, octaves=4, gain=0.6, salt=33)
        rubbed = event.step(self._rubbed)
        near = blur(pile.texels, reach, self.creep_mm) if self.creep_mm > 0 and self.stain > 0 else nothing
        count = len(reach)
        thickness, shown, lift, roughness = (np.empty(count, np.float32) for _ in range(4))
        color = np.empty((count, 3), np.float32)
        for_ranges(
            _oxidise, count, share, bare, near, wide, mottle, grain, pitting, rubbed, np.float32(depth),
            np.float32(self.stain * event.strength),
            np.float32(self.flecks), np.float32(self.scale), np.float32(0.03 * self.fleck_mm),
            np.float32(OXIDE.hide_um), _TONES, thickness, shown, lift, color, roughness,
        )  # fmt: skip
        if wanted is not None:
            # What was asked for is rust; the stain around it is not counted.
            shown = np.minimum(shown, bare)
        out = pile.with_coat(
            event.coat(event.name, OXIDE, thickness, {"base_color": color, "roughness": roughness}, "oxide")
        )
        if self.runs > 0 and self.runs_mm > 0:
            out = out.with_coat(self._runs(event, reach, bare))
        if self.blisters > 0 and self.creep_mm > 0 and wanted is None:
            lift = lift + self._blisters(event, near, bare)
        return Outcome(raised(out, lift), shown, note)

    def _broken_through(self, event: Event, wanted: float) -> tuple[Pile, np.ndarray, str]:
        """The pile with its paint gone in spots until the share ``wanted`` of the iron lies bare, how much is bare,
        and a note.
        """
        pile = event.pile
        here = pile.substance_of("ferrous")
        area = self._iron(event)
        field, levels = event.step(self._potential), event.step(self._levels)
        level = levels.level(min(wanted, 1.0))
        rusted = smoothstep(field, level - WIDTH, level + WIDTH) * here
        coats = tuple(replace(c, thickness=thinned(c.thickness, rusted, c.substance)) for c in pile.coats)
        got = decided(
            "got", lambda: float((rusted * area).sum(dtype=np.float64)) / max(float(area.sum(dtype=np.float64)), 1e-30)
        )
        note = "" if abs(got - wanted) <= 0.1 * wanted else f"It reaches {got:.1%} of the iron instead of {wanted:.1%}"
        return replace(pile, coats=coats), rusted, note

    @staticmethod
    def _iron(event: Event) -> np.ndarray:
        """(n,) float32: area of iron of each texel."""
        return (event.texels.area * event.pile.substance_of("ferrous")).astype(np.float32)

    def _levels(self, event: Event) -> SoftLevels:
        return SoftLevels(event.step(self._potential), self._iron(event), WIDTH)

    def _potential(self, event: Event) -> np.ndarray:
        """(n,) float32: what is bare already rusts first; the rest in spots."""
        spots = event.fractures(self.fleck_mm * 0.9, bend=0.3, salt=34)
        wide = event.noise(self.fleck_mm * 7.0, octaves=3, salt=35)
        fine = event.noise(self.fleck_mm * 0.6, octaves=3, gain=0.6, salt=36)
        out = 0.55 * event.mask + 0.13 * wide + 0.10 * fine
        out = out + 0.3 * spots.value[0] + 2.0 * event.pile.exposed("ferrous")
        return out.astype(np.float32)

    def _rubbed(self, event: Event) -> np.ndarray:
        """(n,) 0..1: what stands out and is touched."""
        curve = event.scope.place.measured.curvature(self.fleck_mm * 1.5)
        patch = event.noise(self.fleck_mm * 3.0, octaves=3, salt=37)
        return np.clip(np.maximum(curve, 0) * 2.2 + 0.30 * patch - 0.25, 0.0, 1.0).astype(np.float32) * self.rubbed

    def _runs(self, event: Event, reach: np.ndarray, bare: np.ndarray) -> Coat:
        """The coat of streaks: from some of the spots, in lanes that fork and break off."""
        lane = event.noise(self.lane_mm, octaves=3, gain=0.6, tall=22.0, salt=38)
        start = event.noise(self.lane_mm * 6.0, octaves=2, salt=39)
        source = np.minimum(reach * 1.4, 1.0) * np.clip(0.55 + 0.75 * start, 0.0, 1.2)
        # From a bolt to the plate below it, though they are not one surface.
        near = event.across_contacts(source, self.lane_mm * 0.8)
        carried = event.run_down(np.maximum(source, near * 0.85).astype(np.float32), self.runs_mm)
        broken = event.noise(self.lane_mm * 1.6, octaves=4, tall=3.0, salt=40)
        streak = carried * np.clip(0.42 + 0.6 * lane + 0.12 * broken, 0.0, 1.0)
        share = np.clip(streak * (1.0 - bare), 0.0, 0.85) * (self.runs * event.strength)
        tone = 1.0 + 0.18 * lane - 0.35 * (1.0 - np.minimum(carried, 1.0))
        sheet = {"base_color": toned(RUN, tone, 0.35, 1.5), "roughness": one(0.86)}
        return event.coat(f"{event.name}: runs", STAIN, film_um(share, STAIN.hide_um), sheet, "runs")

    def _blisters(self, event: Event, near: np.ndarray, bare: np.ndarray) -> np.ndarray:
        """(n,) mm: domes under the paint next to bare spots."""
        size = max(self.creep_mm * 0.8, 3.0 * event.texel_mm)
        cell = event.cells(size, salt=41)
        dome = np.clip(1.0 - np.square(cell.distance / (size * 0.42)), 0.0, 1.0) * (cell.value > 0.55)
        around = np.clip((near - 0.12) * 4.0, 0.0, 1.0) * (1.0 - np.minimum(bare * 4.0, 1.0))
        return (dome * around * (self.blisters * min(size * 0.14, 0.8))).astype(np.float32)
