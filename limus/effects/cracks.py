"""Effect: cracks."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, colour, number
from limus.common.hashing import key_of
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.parallel import for_ranges
from limus.effects.effect import Effect, Event, Group, Kind, Law, Outcome, hidden
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channels import one
from limus.materials.substance import DIRT, thinned
from limus.materials.tone import toned
from limus.patterns.crack_network import FAR, FINER, Cracks, crack_network
from limus.patterns.fissures import Fissures, WeakPoints, fissure_field, grown_from, weak_points
from limus.patterns.left_out import clipped
from limus.strata.pile import Pile
from limus.surface.nearby import texel_at
from limus.surface.shells import shells
from limus.surface.texels import Texels

#: Substances that crack: metal bends, water flows.
CRACKS = ("mineral", "timber", "glass", "coating", "polymer", "loose", "growth")
#: Of a coat only this much is cut through besides, mm: crazing stays in the skin.
SKIN_MM = 0.4
#: How much narrower cracks of the next generation are (common practice, no source).
NARROWER = 0.55
#: When cracks of each generation begin to open, in shares of the whole growth.
OPENS = (0.0, 0.3, 0.55)
#: Half width, mm, that cracks are looked for with: next to nothing, so the nearest is that by its middle, whatever
#: width is asked for later.
UNIT = 1e-3
#: Single cracks at most.
MOST_SINGLE = 160


@kernel
def _open(start, end, gap, half, texel, out):  # type: ignore[no-untyped-def]
    """Share of a texel's width that lies in the crack."""
    for i in range(start, end):
        h = half[i]
        if h <= np.float32(0.0) or gap[i] > np.float32(0.5) * texel:
            out[i] = np.float32(0.0)
            continue
        middle = gap[i] + h
        low, high = max(middle - np.float32(0.5) * texel, -h), min(middle + np.float32(0.5) * texel, h)
        out[i] = min(max((high - low) / texel, np.float32(0.0)), np.float32(1.0))


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
    law: ClassVar[Law] = "root"
    acts_on: ClassVar[tuple[str, ...]] = CRACKS
    louder: ClassVar[str] = "raise the width; cracks narrower than a texel are seen only at a higher resolution"
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
        150.0,
        "Size",
        "mm",
        0.5,
        100000.0,
        (20.0, 1500.0),
        "Between old cracks of a network; length of single ones",
        log=True,
        grows=0.75,
    )
    width_mm: float = number(0.32, "Width", "mm", 0.005, 100.0, (0.05, 5.0), "Of the widest", log=True, grows=0.4)
    depth_mm: float = number(4.0, "Depth", "mm", 0.0, 1000.0, (0.1, 40.0), "Of the widest", log=False, grows=0.4)
    generations: float = number(
        2.0,
        "Generations",
        "",
        1.0,
        3.0,
        about="Young cracks within what the old ones left",
        step=1.0,
        when={"way": "shrinkage"},
    )
    vary: float = number(0.5, "Widths differ", "%", 0.0, 1.0, about="From crack to crack")
    opened: float = number(0.72, "Opened", "%", 0.0, 1.0, about="Share of the network that has opened")
    wander: float = number(0.4, "Wandering", "%", 0.0, 1.0, about="How far they leave the straight way")
    worn: float = number(0.4, "Worn lips", "%", 0.0, 1.0, about="From a sharp cut to rounded, washed-out lips")
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
        pile, texels = event.pile, event.pile.texels
        nothing = np.zeros(len(event.mask), np.float32)
        brittle = event.before("brittle", [], lambda: self._brittle(pile))
        if not bool((brittle > 0.01).any()):
            return Outcome(pile, nothing, "Nothing here cracks: metal and water do not. Paint it, or take another base")
        if event.strength <= 0 or not bool((event.mask > 0.004).any()):
            return Outcome(pile, nothing)
        if self.way in ("shrinkage", "crazing") and self.size_mm < 2.0 * event.texel_mm:
            return Outcome(
                pile,
                nothing,
                f"The net is finer than two texels here ({2 * event.texel_mm:.2g} mm): raise its size or the "
                "resolution",
            )
        drawn: list[object] = [
            self.way,
            self.size_mm,
            self.generations,
            self.vary,
            self.opened,
            self.wander,
            self.within,
            self.grain_along,
            self.starts,
        ]
        if self._marked:
            drawn.append(event.mask_key)
        if self.within == "brick":
            drawn.append(pile.marks.key)
        key = event.key("cracks", [*drawn])
        found: Cracks = event.scope.keep.get(key, lambda: self._found(event))
        if not bool((found.distance < FAR * np.float32(0.5)).any()):
            return Outcome(pile, nothing, "The cracks are larger than any piece: make their size smaller")
        grown = np.ones(len(nothing), np.float32) if self._marked else event.mask
        # Growth widens what is there and opens generation after generation; a soft border of the place narrows them.
        begins = np.array(OPENS, np.float32)[found.generation]
        share = grown * np.float32(event.strength)
        wide = np.clip(
            (share - begins * np.float32(0.6))
            / np.maximum(np.float32(1.0) - begins * np.float32(0.6), np.float32(0.2)),
            0.0,
            1.0,
        )
        along = event.noise(max(self.size_mm * 0.16, 2.0 * event.texel_mm), octaves=3, gain=0.6, salt=232)
        wide = (
            np.sqrt(wide)
            * np.clip(np.float32(1.0) + np.float32(0.38 * self.vary) * along, 0.0, 2.0)
            * (wide > np.float32(0.02))
        )
        full = np.float32(0.5 * self.width_mm)
        half = np.minimum(found.half * np.float32(1.0 / UNIT) * wide, np.float32(1.8)) * full
        gap = found.distance + found.half - half
        half = np.where(brittle > np.float32(0.3), half, np.float32(0.0)).astype(np.float32)
        opened = np.empty_like(half)
        for_ranges(_open, len(half), np.ascontiguousarray(gap, np.float32), half, np.float32(event.texel_mm), opened)
        if not bool((opened > 1e-4).any()):
            return Outcome(pile, nothing, "No crack is open in this place: widen the place or raise the strength")
        out, lost = self._cut(event, found, gap, half, opened)
        cleft = np.where(half > 0, gap, np.float32(1e6)).astype(np.float32)
        if pile.cleft is not None:
            cleft = np.minimum(cleft, pile.cleft)
        out = replace(out, cleft=cleft)
        if self.dirt > 0:
            out = self._dirty(event, out, gap, half, opened)
        note = ""
        if self.way in ("shrinkage", "crazing") and self.size_mm > 1000.0 * texels.mesh.diagonal:
            note = "The net is larger than the object: make its size smaller"
        return Outcome(out, np.maximum(opened, lost).astype(np.float32), note)

    @property
    def _marked(self) -> bool:
        """Whether the place says where cracks begin and not how far they go."""
        return self.way == "stress" and self.starts == "place"

    @staticmethod
    def _brittle(pile: Pile) -> np.ndarray:
        """(n,) float32 0..1: how much of what shows, or of what lies right below it, cracks."""
        out = np.zeros(len(pile.skin), np.float32)
        for family in CRACKS:
            if pile.has(family):
                out += pile.exposed(family)
        return np.minimum(out, np.float32(1.0))

    def _pieces(self, event: Event) -> tuple[np.ndarray, np.ndarray]:
        """(n,) int64 the piece each texel belongs to, and (T,) the one each triangle does."""
        texels = event.pile.texels
        if self.within == "whole":
            return np.zeros(len(texels), np.int64), np.zeros(len(texels.mesh.triangles), np.int64)
        _, shell = event.scope.keep.get(key_of("shells", texels.mesh.key), lambda: shells(texels.near))
        return shell[texels.triangle].astype(np.int64), shell.astype(np.int64)

    def _found(self, event: Event) -> Cracks:
        """Where cracks are and how wide against the widest, half widths as shares of the widest half."""
        texels = event.pile.texels
        if self.way in ("stress", "splits"):
            return self._single(event)
        piece, of_triangle = self._pieces(event)
        seed = event.seed(233) & 0xFFFFFF
        levels = int(self.generations) if self.way == "shrinkage" else 2
        finer = FINER if self.way == "shrinkage" else 0.5
        sites, apart, halves, missing = [], [], [], []
        tile = event.pile.marks.piece if self.within == "brick" else None
        if tile is not None:
            names, number = np.unique(np.round(tile, 5), return_inverse=True)
            piece = piece * np.int64(len(names)) + np.asarray(number).reshape(-1)
        for k in range(levels):
            mm = self.size_mm * 0.78 * finer**k
            if mm < 1.6 * texels.texel_mm and k:
                break
            got = event.sites(mm, salt=240 + k, group=of_triangle if tile is None and self.within != "whole" else None)
            apart.append(mm if not got.short else max(mm, 1000.0 * (texels.total_area / max(len(got), 1)) ** 0.5 * 0.8))
            halves.append(UNIT * NARROWER**k)
            # The oldest have had time to open; of the young ones some never do.
            missing.append(float(np.clip((1.0 - self.opened) * (0.45, 1.0, 1.2)[k], 0.0, 1.0)))
            own = of_triangle[got.triangle]
            if tile is not None:
                own = piece[np.maximum(texel_at(texels, got.position, got.normal), 0)]
            sites.append((got, own))
        bend = 0.55 * self.wander if self.way == "shrinkage" else 0.3 * self.wander
        return crack_network(
            texels.position, texels.normal, piece, sites, apart, halves, vary=0.85 * self.vary, missing=missing,
            bend=bend, rough=0.5, seed=seed
        )  # fmt: skip

    def _single(self, event: Event) -> Cracks:
        texels = event.pile.texels
        piece, of_triangle = self._pieces(event)
        seed = event.seed(234) & 0xFFFFFF
        random = np.random.Generator(np.random.PCG64([seed, 7]))
        apart = 0.6 * self.size_mm
        if self.way == "splits":
            sites = event.sites(apart * 0.75, salt=236)
            sites = sites.only(
                np.sort(random.permutation(len(sites))[: int(min(MOST_SINGLE, max(1, self.opened * len(sites))))])
            )
            splits = grown_from(
                sites.position, sites.normal, self._grain(texels, of_triangle)[of_triangle[sites.triangle]],
                of_triangle[sites.triangle],
                0.5 * self.size_mm / 1000.0, UNIT, vary=self.vary, turn_deg=2.0, branches=0.0, both=True, seed=seed,
            )  # fmt: skip
            return fissure_field(
                texels.position, texels.normal, piece, splits, wander=0.012 + 0.03 * self.wander, rough=0.6
            )
        at, out, way, own = self._starts(event, of_triangle, apart, random)
        fissures: Fissures = grown_from(
            at, out, way, own, self.size_mm / 1000.0, UNIT, vary=self.vary, turn_deg=12.0 + 40.0 * self.wander,
            branches=0.55, seed=seed
        )  # fmt: skip
        return fissure_field(
            texels.position, texels.normal, piece, fissures, wander=0.03 + 0.16 * self.wander, rough=0.47
        )

    def _starts(
        self, event: Event, of_triangle: np.ndarray, apart: float, random: np.random.Generator
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Places (m, 3), normals (m, 3), ways (m, 3) and pieces (m,) that single cracks begin at."""
        texels = event.pile.texels
        if self.starts == "place":
            rows = _peaks(texels, event.mask, 0.35 * self.size_mm)
            way = random.normal(0.0, 1.0, (len(rows), 3))
            return (
                texels.position[rows].astype(np.float64),
                texels.normal[rows].astype(np.float64),
                way,
                of_triangle[texels.triangle[rows]],
            )
        weak: WeakPoints = event.scope.keep.get(
            key_of("weak points", texels.mesh.key), lambda: weak_points(texels.mesh)
        )
        if not len(weak.at):
            sites = event.sites(apart * 1.6, salt=235)
            return (
                sites.position,
                sites.normal.astype(np.float64),
                random.normal(0.0, 1.0, (len(sites), 3)),
                of_triangle[sites.triangle],
            )
        order = random.permutation(len(weak.at))
        kept: list[int] = []
        near = apart / 1000.0
        for k in order:
            if all(float(np.sum((weak.at[k] - weak.at[j]) ** 2)) > near * near for j in kept):
                kept.append(int(k))
            if len(kept) >= max(1, round(MOST_SINGLE * 0.6 * self.opened)):
                break
        rows = np.array(kept, np.int64)
        return weak.at[rows], weak.out[rows], weak.way[rows], of_triangle[weak.triangle[rows]]

    def _grain(self, texels: Texels, of_triangle: np.ndarray) -> np.ndarray:
        """(pieces, 3) unit: the direction of the fibres of each piece."""
        count = int(of_triangle.max(initial=0)) + 1
        if self.grain_along != "long":
            return np.tile(np.eye(3)["xyz".index(self.grain_along)], (count, 1))
        mesh = texels.mesh
        middle = mesh.positions.astype(np.float64)[mesh.triangles].mean(axis=1)
        weight = mesh.areas.astype(np.float64)
        total = np.maximum(np.bincount(of_triangle, weight, count), 1e-30)
        centre = np.stack([np.bincount(of_triangle, weight * middle[:, k], count) / total for k in range(3)], axis=1)
        away = middle - centre[of_triangle]
        spread = np.stack(
            [np.bincount(of_triangle, weight * away[:, a] * away[:, b], count) for a in range(3) for b in range(3)],
            axis=1,
        )
        _, vectors = np.linalg.eigh(spread.reshape(count, 3, 3))
        return np.asarray(vectors[:, :, 2])

    def _cut(
        self, event: Event, found: Cracks, gap: np.ndarray, half: np.ndarray, opened: np.ndarray
    ) -> tuple[Pile, np.ndarray]:
        """The pile with the cracks in it, and (n,) what its lips have lost."""
        pile = event.pile
        texel = event.texel_mm
        chips = np.zeros_like(opened)
        if self.crumble_mm > 0:
            wave = max(2.6 * self.crumble_mm, 2.0 * texel)
            broken = event.noise(wave, octaves=4, gain=0.65, salt=236)
            unseen = event.left_out(wave, octaves=4, gain=0.65)
            reach = np.float32(2.0 * self.crumble_mm) * clipped(
                broken * np.float32(0.45) - np.float32(0.125), 0.45 * unseen
            )
            reach = reach * np.minimum(half / np.float32(0.3 * self.width_mm), np.float32(1.0))
            # Share of the width of a texel (or of a soft border) from what broke off one lip to what broke off the
            # other.
            wide = np.float32(max(texel, 0.3 * self.crumble_mm))
            ends = np.minimum(gap + wide / 2, reach) - np.maximum(gap - wide / 2, -reach - np.float32(2.0) * half)
            # Where a lip is within reach of single pieces only, some of them reach it.
            single = np.float32(0.33 * self.crumble_mm * unseen) / wide * ((gap > wide / 2) & (reach > 0))
            chips = clipped(ends / wide, single) * (reach > 0)
        gone = np.maximum(opened, chips * np.float32(0.9))
        coats = []
        crazing = self.way == "crazing"
        cut = False
        for coat in reversed(pile.coats):
            mine = coat.substance.family in CRACKS or coat.substance.family in ("veil", "oxide", "water", "snow")
            if mine and not (crazing and cut):
                coats.append(replace(coat, thickness=thinned(coat.thickness, gone, coat.substance)))
                cut = cut or coat.substance.family == "coating"
            else:
                coats.append(coat)
        out = replace(pile, coats=tuple(reversed(coats)))
        # Metal below keeps its shape.
        digs = np.zeros(len(opened), np.float32)
        for family in ("mineral", "timber", "glass", "polymer"):
            if pile.has(family):
                digs += pile.substance_of(family)
        deep = np.float32(min(self.depth_mm, SKIN_MM) if crazing else self.depth_mm)
        inside = np.clip(
            np.float32(1.0) - np.maximum(gap + half, 0.0) / np.maximum(half, np.float32(0.5 * texel)), 0.0, 1.0
        )
        # From a V to a trough, by how worn it is; what is narrower than a texel is as deep as it is wide in it.
        profile = inside ** np.float32(1.0 - 0.55 * self.worn) * np.minimum(
            half * np.float32(2.0 / texel), np.float32(1.0)
        )
        size = np.minimum(half / np.float32(0.5 * self.width_mm), np.float32(1.5)) ** np.float32(0.8)
        lips = (
            np.exp(-np.maximum(gap, 0.0) / np.float32(0.6 * self.width_mm + 0.6 * texel))
            * (half > 0)
            * np.float32(0.10 * self.worn)
        )
        relief = -(profile + lips * size) * size * deep * np.minimum(digs, np.float32(1.0))
        relief = relief - chips * np.float32(0.30 * self.crumble_mm) * np.minimum(digs, np.float32(1.0)) * np.float32(
            0.6
        )
        if self.offset_mm > 0 and self.way != "crazing":
            relief = relief + self._offset(found, gap, half) * np.minimum(digs, np.float32(1.0))
        return replace(out, skin=(out.skin + relief).astype(np.float32)), (chips * np.float32(0.5)).astype(np.float32)

    def _offset(self, found: Cracks, gap: np.ndarray, half: np.ndarray) -> np.ndarray:
        """(n,) float32 mm: one side of a crack stands up, falling off away from it."""
        # Which side: the sign of the way across against a direction of the crack's own.
        turn = (found.number >> np.uint32(9)).astype(np.float32) * np.float32(2 * np.pi / (1 << 23))
        lean = (
            found.across[:, 0] * np.cos(turn)
            + found.across[:, 1] * np.sin(turn)
            + found.across[:, 2] * np.sin(turn * np.float32(1.7))
        )
        much = ((found.number & np.uint32(255)).astype(np.float32) / np.float32(255.0)) ** 2
        fades = np.exp(-np.maximum(gap, 0.0) / np.float32(0.12 * self.size_mm))
        there = np.minimum(half / np.float32(0.2 * self.width_mm), np.float32(1.0))
        return np.asarray(np.float32(0.5 * self.offset_mm) * np.sign(lean) * much * fades * there, np.float32)

    def _dirty(self, event: Event, pile: Pile, gap: np.ndarray, half: np.ndarray, opened: np.ndarray) -> Pile:
        """The pile with dirt in the cracks and stained lips."""
        texel = event.texel_mm
        patch = event.noise(max(0.3 * self.size_mm, 3.0 * texel), octaves=4, gain=0.6, salt=237)
        reach = max(self.stain_mm, 1e-3)
        # What is narrower than a texel still counts by its share of it.
        fine = min(1.0, 1.3 * reach / texel)
        away = np.maximum(gap - np.float32(0.35 * texel), 0.0) / np.float32(reach)
        stain = (
            np.float32(0.55) * np.exp(-np.float32(2.2) * away)
            + np.float32(0.45) * np.exp(-np.float32(0.7) * away * away)
        ) * np.float32(fine)
        stain = stain * np.minimum(half / np.float32(0.30 * self.width_mm), np.float32(1.0)) * (away < np.float32(6.0))
        stain = stain * np.clip(np.float32(0.62) + np.float32(0.34) * patch, 0.08, 0.95)
        share = np.clip(np.maximum(opened * np.float32(0.95), stain) * np.float32(self.dirt**0.7), 0.0, 0.97).astype(
            np.float32
        )
        tone = np.float32(1.0) + np.float32(0.2) * patch
        sheet = {"base_color": toned(self.dirt_color, tone, 0.5, 1.6), "roughness": one(0.95)}
        return pile.with_coat(
            event.coat(f"{event.name}: dirt", DIRT, hidden(share, DIRT.hide_um) * np.float32(0.6), sheet, "dirt")
        )


def _peaks(texels: Texels, mask: np.ndarray, apart_mm: float) -> np.ndarray:
    """(m,) int64: texels where a mask is white, the whitest first, none nearer than ``apart_mm`` to another."""
    white = np.flatnonzero(mask > np.float32(0.5))
    if len(white) > 200_000:
        white = white[:: len(white) // 200_000 + 1]
    white = white[np.argsort(-mask[white], kind="stable")]
    kept: list[int] = []
    free = np.ones(len(white), np.bool_)
    points = texels.position[white]
    while len(kept) < MOST_SINGLE // 2 and bool(free.any()):
        first = int(np.argmax(free))
        kept.append(int(white[first]))
        free &= np.sum((points - points[first]) ** 2, axis=1) > (apart_mm / 1000.0) ** 2
    return np.array(kept, np.int64)
