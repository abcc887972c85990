"""What a crack does: it opens the body, its lips crumble and stand apart, and dirt gathers in it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.effects.effect import Event, film_um
from limus.effects.profile import profile_of
from limus.materials.channels import one
from limus.materials.substance import DIRT, thinned
from limus.materials.tone import toned
from limus.patterns.crack_network import Cracks
from limus.patterns.left_out import clipped
from limus.strata.pile import Pile

if TYPE_CHECKING:
    from limus.effects.cracks import CrackLayer

#: Substances that crack: metal bends, water flows.
CRACKS = ("mineral", "timber", "glass", "coating", "polymer", "loose", "growth")
#: Of a coat only this much is cut through besides, mm: crazing stays in the skin.
SKIN_MM = 0.4


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


def opened_share(gap: np.ndarray, half: np.ndarray, texel_mm: float) -> np.ndarray:
    """(n,) float32 0..1 of each texel's width that lies in the crack: ``gap`` (n,) mm to its lip, ``half`` (n,) mm of
    its half width.
    """
    out = np.empty_like(half)
    for_ranges(_open, len(half), np.ascontiguousarray(gap, np.float32), half, np.float32(texel_mm), out)
    return out


def cut_open(
    layer: CrackLayer, event: Event, found: Cracks, gap: np.ndarray, half: np.ndarray, opened: np.ndarray
) -> tuple[Pile, np.ndarray]:
    """The pile with the cracks in it, and (n,) what its lips have lost."""
    pile = event.pile
    texel = event.texel_mm
    chips = np.zeros_like(opened)
    if layer.crumble_mm > 0:
        wave = max(2.6 * layer.crumble_mm, 2.0 * texel)
        broken = event.noise(wave, octaves=4, gain=0.65, salt=236)
        unseen = event.left_out(wave, octaves=4, gain=0.65)
        reach = 2.0 * layer.crumble_mm * clipped(broken * 0.45 - 0.125, 0.45 * unseen)
        reach = reach * np.minimum(half / (0.3 * layer.width_mm), 1.0)
        # Share of the width of a texel (or of a soft border) from what broke off one lip to what broke off the
        # other.
        wide = np.float32(max(texel, 0.3 * layer.crumble_mm))
        ends = np.minimum(gap + wide / 2, reach) - np.maximum(gap - wide / 2, -reach - 2.0 * half)
        # Where a lip is within reach of single pieces only, some of them reach it.
        single = np.float32(0.33 * layer.crumble_mm * unseen) / wide * ((gap > wide / 2) & (reach > 0))
        chips = clipped(ends / wide, single) * (reach > 0)
    gone = np.maximum(opened, chips * 0.9)
    coats = []
    crazing = layer.way == "crazing"
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
    deep = np.float32(min(layer.depth_mm, SKIN_MM) if crazing else layer.depth_mm)
    inside = np.clip(1.0 - np.maximum(gap + half, 0.0) / np.maximum(half, 0.5 * texel), 0.0, 1.0)
    if layer.profile == "worn":
        # From a V to a trough, by how worn it is.
        profile = inside ** (1.0 - 0.55 * layer.worn)
    else:
        profile = profile_of(inside * (1.0 / layer.bevel), layer.profile, layer.curve)
    # What is narrower than a texel is as deep as it is wide in it.
    profile = profile * np.minimum(half * (2.0 / texel), 1.0)
    size = np.minimum(half / (0.5 * layer.width_mm), 1.5) ** 0.8
    lips = np.exp(-np.maximum(gap, 0.0) / (0.6 * layer.width_mm + 0.6 * texel)) * (half > 0) * (0.10 * layer.worn)
    relief = -(profile + lips * size) * size * deep * np.minimum(digs, 1.0)
    relief = relief - chips * (0.30 * layer.crumble_mm) * np.minimum(digs, 1.0) * 0.6
    if layer.offset_mm > 0 and layer.way != "crazing":
        relief = relief + _offset(layer, found, gap, half) * np.minimum(digs, 1.0)
    return replace(out, skin=(out.skin + relief).astype(np.float32)), (chips * 0.5).astype(np.float32)


def _offset(layer: CrackLayer, found: Cracks, gap: np.ndarray, half: np.ndarray) -> np.ndarray:
    """(n,) float32 mm: one side of a crack stands up, falling off away from it."""
    # Which side: the sign of the way across against a direction of the crack's own.
    turn = (found.number >> np.uint32(9)).astype(np.float32) * (2 * np.pi / (1 << 23))
    lean = (
        found.across[:, 0] * np.cos(turn) + found.across[:, 1] * np.sin(turn) + found.across[:, 2] * np.sin(turn * 1.7)
    )
    much = ((found.number & np.uint32(255)).astype(np.float32) / 255.0) ** 2
    fades = np.exp(-np.maximum(gap, 0.0) / (0.12 * layer.size_mm))
    there = np.minimum(half / (0.2 * layer.width_mm), 1.0)
    return np.asarray(0.5 * layer.offset_mm * np.sign(lean) * much * fades * there, np.float32)


def with_dirt(
    layer: CrackLayer, event: Event, pile: Pile, gap: np.ndarray, half: np.ndarray, opened: np.ndarray
) -> Pile:
    """The pile with dirt in the cracks and stained lips."""
    texel = event.texel_mm
    patch = event.noise(max(0.3 * layer.size_mm, 3.0 * texel), octaves=4, gain=0.6, salt=237)
    reach = max(layer.stain_mm, 1e-3)
    # What is narrower than a texel still counts by its share of it.
    fine = min(1.0, 1.3 * reach / texel)
    away = np.maximum(gap - 0.35 * texel, 0.0) / reach
    stain = (0.55 * np.exp(-np.float32(2.2) * away) + 0.45 * np.exp(-np.float32(0.7) * away * away)) * fine
    stain = stain * np.minimum(half / (0.30 * layer.width_mm), 1.0) * (away < 6.0)
    stain = stain * np.clip(0.62 + 0.34 * patch, 0.08, 0.95)
    share = np.clip(np.maximum(opened * 0.95, stain) * layer.dirt**0.7, 0.0, 0.97).astype(np.float32)
    tone = 1.0 + 0.2 * patch
    sheet = {"base_color": toned(layer.dirt_color, tone, 0.5, 1.6), "roughness": one(0.95)}
    return pile.with_coat(event.coat(f"{event.name}: dirt", DIRT, film_um(share, DIRT.hide_um) * 0.6, sheet, "dirt"))
