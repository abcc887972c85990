"""Where cracks run: networks, single ones from weak points or marked places, splits along the grain."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from limus.common.deciding import decided
from limus.common.hashing import key_of
from limus.effects.effect import Event
from limus.patterns.crack_network import FINER, Cracks, crack_network
from limus.patterns.fissures import WeakPoints, fissure_field, grown_from, weak_points
from limus.patterns.sites import Sites
from limus.surface.nearby import texel_at
from limus.surface.shells import shells
from limus.surface.texels import Texels

if TYPE_CHECKING:
    from limus.effects.cracks import CrackLayer

#: How much narrower cracks of the next generation are (common practice, no source).
NARROWER = 0.55
#: Half width, mm, that cracks are looked for with: next to nothing, so the nearest is that by its middle, whatever
#: width is asked for later.
UNIT = 1e-3
#: Single cracks at most.
MOST_SINGLE = 160
#: Places (m, 3), normals (m, 3), ways (m, 3) and pieces (m,) that single cracks begin at.
Starts = tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]


def network(layer: CrackLayer, event: Event) -> Cracks:
    """Nets of shrinkage and crazing: where cracks are and how wide against the widest, half widths as shares of the
    widest half.
    """
    texels = event.texels
    piece, of_triangle = _pieces(layer, event)
    seed = event.seed(233) & 0xFFFFFF
    levels = int(layer.generations) if layer.way == "shrinkage" else 2
    finer = FINER if layer.way == "shrinkage" else 0.5
    sites, apart, halves, missing = [], [], [], []
    tile = event.marks.piece if layer.within == "brick" else None
    if tile is not None:
        names = decided("tiles", lambda: np.unique(np.round(tile, 5)))
        # A tile that the whole has no texel of counts as one of its neighbours in number.
        own = np.minimum(np.searchsorted(names, np.round(tile, 5)), len(names) - 1)
        piece = piece * np.int64(len(names)) + own
    for k in range(levels):
        mm = layer.size_mm * 0.78 * finer**k
        if mm < 1.6 * texels.texel_mm and k:
            break
        got = event.sites(mm, salt=240 + k, group=of_triangle if tile is None and layer.within != "whole" else None)
        apart.append(mm if not got.short else max(mm, 1000.0 * (texels.total_area / max(len(got), 1)) ** 0.5 * 0.8))
        halves.append(UNIT * NARROWER**k)
        # The oldest have had time to open; of the young ones some never do.
        missing.append(float(np.clip((1.0 - layer.opened) * (0.45, 1.0, 1.2)[k], 0.0, 1.0)))
        own = of_triangle[got.triangle]
        if tile is not None:
            own = decided("pieces of sites", partial(_pieces_at, texels, piece, got))
        sites.append((got, own))
    bend = 0.55 * layer.wander if layer.way == "shrinkage" else 0.3 * layer.wander
    return crack_network(
        texels.position, texels.normal, piece, sites, apart, halves, vary=0.85 * layer.vary, missing=missing,
        bend=bend, rough=0.5, seed=seed
    )  # fmt: skip


def _pieces_at(texels: Texels, piece: np.ndarray, sites: Sites) -> np.ndarray:
    """(m,) the piece that each site lies in."""
    return np.asarray(piece[np.maximum(texel_at(texels, sites.position, sites.normal), 0)])


def _pieces(layer: CrackLayer, event: Event) -> tuple[np.ndarray, np.ndarray]:
    """(n,) int64 the piece each texel belongs to, and (T,) the one each triangle does."""
    texels = event.texels
    if layer.within == "whole":
        return np.zeros(len(texels), np.int64), np.zeros(len(texels.mesh.triangles), np.int64)
    _, shell = event.scope.keep.get(key_of("shells", texels.mesh.key), lambda: shells(texels.adjacency))
    return shell[texels.triangle].astype(np.int64), shell.astype(np.int64)


def splits(layer: CrackLayer, event: Event) -> Cracks:
    """Splits along the grain."""
    texels = event.texels
    piece, of_triangle = _pieces(layer, event)
    seed, random = _chance(event)
    sites = event.sites(0.6 * layer.size_mm * 0.75, salt=236)
    sites = sites.only(
        np.sort(random.permutation(len(sites))[: int(min(MOST_SINGLE, max(1, layer.opened * len(sites))))])
    )
    grown = grown_from(
        sites.position, sites.normal, _grain(layer, texels, of_triangle)[of_triangle[sites.triangle]],
        of_triangle[sites.triangle],
        0.5 * layer.size_mm / 1000.0, UNIT, vary=layer.vary, turn_deg=2.0, branches=0.0, both=True, seed=seed,
    )  # fmt: skip
    return fissure_field(texels.position, texels.normal, piece, grown, wander=0.012 + 0.03 * layer.wander, rough=0.6)


def from_place(layer: CrackLayer, event: Event) -> Cracks:
    """Single cracks that begin where the place is whitest."""
    texels = event.texels
    piece, of_triangle = _pieces(layer, event)
    seed, random = _chance(event)

    def peaks() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        rows = _peaks(texels, event.mask, 0.35 * layer.size_mm)
        at, out = (field[rows].astype(np.float64) for field in (texels.position, texels.normal))
        return at, out, of_triangle[texels.triangle[rows]]

    at, out, own = decided("peaks", peaks)
    return _grown(layer, texels, piece, (at, out, random.normal(0.0, 1.0, (len(at), 3)), own), seed)


def from_weak_points(layer: CrackLayer, event: Event) -> Cracks:
    """Single cracks from corners of openings and thin places."""
    texels = event.texels
    piece, of_triangle = _pieces(layer, event)
    seed, random = _chance(event)
    return _grown(layer, texels, piece, _weak_starts(layer, event, of_triangle, random), seed)


def _chance(event: Event) -> tuple[int, np.random.Generator]:
    seed = event.seed(234) & 0xFFFFFF
    return seed, np.random.Generator(np.random.PCG64([seed, 7]))


def _grown(layer: CrackLayer, texels: Texels, piece: np.ndarray, starts: Starts, seed: int) -> Cracks:
    fissures = grown_from(
        *starts, layer.size_mm / 1000.0, UNIT, vary=layer.vary, turn_deg=12.0 + 40.0 * layer.wander, branches=0.55,
        seed=seed,
    )  # fmt: skip
    return fissure_field(texels.position, texels.normal, piece, fissures, wander=0.03 + 0.16 * layer.wander, rough=0.47)


def _weak_starts(layer: CrackLayer, event: Event, of_triangle: np.ndarray, random: np.random.Generator) -> Starts:
    texels, apart = event.texels, 0.6 * layer.size_mm
    weak: WeakPoints = event.scope.keep.get(key_of("weak points", texels.mesh.key), lambda: weak_points(texels.mesh))
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
        if len(kept) >= max(1, round(MOST_SINGLE * 0.6 * layer.opened)):
            break
    rows = np.array(kept, np.int64)
    return weak.at[rows], weak.out[rows], weak.way[rows], of_triangle[weak.triangle[rows]]


def _grain(layer: CrackLayer, texels: Texels, of_triangle: np.ndarray) -> np.ndarray:
    """(pieces, 3) unit: the direction of the fibres of each piece."""
    count = int(of_triangle.max(initial=0)) + 1
    if layer.grain_along != "long":
        return np.tile(np.eye(3)["xyz".index(layer.grain_along)], (count, 1))
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


def _peaks(texels: Texels, mask: np.ndarray, apart_mm: float) -> np.ndarray:
    """(m,) int64: texels where a mask is white, the whitest first, none nearer than ``apart_mm`` to another."""
    white = np.flatnonzero(mask > 0.5)
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
