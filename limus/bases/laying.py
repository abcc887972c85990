"""Laying a base on a surface."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from limus.bases.ground import Ground, Keeping, Skin
from limus.bases.laid_material import LaidMaterial
from limus.bases.site import Site
from limus.common.deciding import decided
from limus.common.parallel import map_blocks
from limus.masks.shape import smoothstep
from limus.materials.channels import CHANNELS, is_even, one, spread
from limus.materials.levels import levelled
from limus.patterns.noise import fractal

#: Texels that a base is laid on at a time.
_BLOCK = 1 << 18
#: The order of columns that brings an axis to the front, without turning the rest inside out.
_TO_FRONT = np.array([[0, 1, 2], [1, 2, 0], [2, 0, 1]])


def _scattered(site: Site, choice: LaidMaterial) -> np.ndarray:
    """(n, 3) positions, each part or island moved somewhere else."""
    groups = {"part": site.part, "island": site.island, "none": None}[choice.placing.scatter]
    if groups is None or not len(groups):
        return site.position
    draw = np.random.Generator(np.random.PCG64(977))
    # Whole metres, so that numbers stay exact; two parts of many may be alike.
    offsets = draw.integers(-8, 9, (int(groups.max()) + 1, 3)).astype(np.float32) * 0.77
    offsets[0] = 0
    return np.asarray(site.position + offsets[groups], np.float32)


def laid(
    choice: LaidMaterial,
    site: Site,
    seed: int,
    files: Callable[[str], Path] | None = None,
    *,
    keep: Keeping | None = None,
    label: str = "",
) -> Skin:
    """The material of ``choice`` at the points of ``site``, placed, before levels.

    ``keep``: where patterns are kept while settings are dragged; ``label`` tells this site and placing from others.
    """
    material, placing = choice.material, choice.placing
    scale = np.float32(placing.scale)
    points, normals = _scattered(site, choice) / scale, site.normal
    texel_mm, extent_mm = site.texel_mm / placing.scale, site.extent_mm / placing.scale
    uv_mm = None
    if placing.way == "uv" and site.uv is not None:
        uv_mm = (site.uv * (site.mm_per_uv / placing.scale)).astype(np.float32)
        groups = {"part": site.part, "island": site.island, "none": None}[placing.scatter]
        if groups is not None:
            uv_mm = (
                uv_mm
                + np.random.Generator(np.random.PCG64(978))
                .uniform(-5000, 5000, (int(groups.max()) + 1, 2))
                .astype(np.float32)[groups]
            )
    if material.tile:
        skin = material.lay(
            Ground(points, normals, texel_mm, seed, files=files, uv_mm=uv_mm, placing=placing, extent_mm=extent_mm)
        )
    elif material.is_solid:
        skin = material.lay(
            Ground(
                _along_grain(points, site, choice),
                normals,
                texel_mm,
                seed,
                files=files,
                extent_mm=extent_mm,
                keep=keep,
                label=label,
            )
        )
    else:
        skin = _in_planes(choice, points, normals, texel_mm, seed, uv_mm, extent_mm, keep, label)
    if not material.tile:
        skin = _unlike_itself(skin, site, seed)
    return replace(skin, relief=(skin.relief * scale).astype(np.float32)) if placing.scale != 1.0 else skin


def laid_in_blocks(
    choice: LaidMaterial, site: Site, seed: int, files: Callable[[str], Path] | None, keep: Keeping | None, label: str
) -> Skin:
    """``laid`` on both cores, block by block: a large surface needs no more memory at once than a small one, and
    gives the same.
    """
    count = len(site.position)
    if count <= _BLOCK:
        return laid(choice, site, seed, files, keep=keep, label=label)

    def block(start: int) -> Skin:
        return laid(
            choice, site.at(slice(start, start + _BLOCK)), seed, files, keep=keep, label=f"{label} from {start}"
        )

    skins: list[Skin] = map_blocks(block, list(range(0, count, _BLOCK)))
    starts = list(range(0, count, _BLOCK))
    return joined(count, [(slice(k, k + _BLOCK), skin) for k, skin in zip(starts, skins, strict=True)])


def joined(count: int, pieces: list[tuple[np.ndarray | slice, Skin]]) -> Skin:
    """One skin from several, each with the texels it covers; later ones lie over earlier ones."""
    if len(pieces) == 1 and len(pieces[0][1].relief) == count:
        return pieces[0][1]

    def marks(name: str, otherwise: float) -> np.ndarray | None:
        if all(getattr(skin, name) is None for _, skin in pieces):
            return None
        out = np.full(count, otherwise, np.float32)
        for rows, skin in pieces:
            value = getattr(skin, name)
            out[rows] = otherwise if value is None else value
        return out

    relief = np.zeros(count, np.float32)
    sheet: dict[str, np.ndarray] = {}
    for rows, skin in pieces:
        relief[rows] = skin.relief
    for name, channel in CHANNELS.items():
        if not any(name in skin.sheet for _, skin in pieces):
            continue
        values = [skin.sheet.get(name, channel.plain()) for _, skin in pieces]
        if all(is_even(v, channel) and np.array_equal(v, values[0]) for v in values):
            sheet[name] = values[0]
            continue
        whole = sheet[name] = np.empty((count, channel.width) if channel.width > 1 else count, np.float32)
        for (rows, _), value in zip(pieces, values, strict=True):
            whole[rows] = value
    return Skin(sheet, relief, marks("joint", 0.0), marks("piece", 0.5), marks("occlusion", 0.0))


def _unlike_itself(skin: Skin, site: Site, seed: int) -> Skin:
    """A little lighter here and darker there over the whole object: one side of a tower is never quite like the other,
    however large it is, and what a material has of its own is fine grain on something large.
    """
    wide = fractal(
        site.position,
        max(0.45 * site.extent_mm, 60.0),
        octaves=6,
        gain=0.62,
        seed=seed * 7919 + 211,
        texel_mm=site.texel_mm,
    )
    count = len(skin.relief)
    color = spread(skin.sheet["base_color"], CHANNELS["base_color"], count)
    rough = spread(skin.sheet["roughness"], CHANNELS["roughness"], count)
    sheet = dict(skin.sheet)
    sheet["base_color"] = np.clip(color * (1 + 0.07 * wide)[:, None], 0.0, 1.0).astype(np.float32)
    sheet["roughness"] = np.clip(rough - 0.03 * wide, 0.02, 1.0).astype(np.float32)
    return replace(skin, sheet=sheet)


def _along_grain(points: np.ndarray, site: Site, choice: LaidMaterial) -> np.ndarray:
    """Points turned about the upright (counterclockwise from above) and moved by the placing, the grain along x."""
    placing = choice.placing
    at = points.astype(np.float32)
    if placing.turn_deg:
        c, s = np.float32(np.cos(np.radians(placing.turn_deg))), np.float32(np.sin(np.radians(placing.turn_deg)))
        at = at @ np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]], np.float32)
    moved = np.array([placing.across_cm, placing.up_cm, 0], np.float32) * (0.01 / placing.scale)
    at = at - moved
    if type(choice.material).grained:
        if placing.grain != "longest":
            at = at[:, _TO_FRONT["xyz".index(placing.grain)]]
        elif site.long_axis is not None and site.part is not None:
            at = np.take_along_axis(at, _TO_FRONT[site.long_axis][site.part], axis=1)
    return np.ascontiguousarray(at, np.float32)


def _turned(x: np.ndarray, y: np.ndarray, choice: LaidMaterial) -> tuple[np.ndarray, np.ndarray]:
    placing = choice.placing
    a = np.radians(placing.turn_deg)
    c, s = np.float32(np.cos(a)), np.float32(np.sin(a))
    scale = placing.scale
    return c * x + s * y - placing.across_cm * 10 / scale, -s * x + c * y - placing.up_cm * 10 / scale


def _in_planes(
    choice: LaidMaterial,
    points: np.ndarray,
    normals: np.ndarray,
    texel_mm: float,
    seed: int,
    uv_mm: np.ndarray | None,
    extent_mm: float,
    keep: Keeping | None,
    label: str,
) -> Skin:
    """A material that lies in a plane, on the sides of the surface or by its UVs."""
    material = choice.material
    if uv_mm is not None:
        x, y = _turned(uv_mm[:, 0], -uv_mm[:, 1], choice)
        return material.lay(Ground(points, normals, texel_mm, seed, x, y, extent_mm=extent_mm, keep=keep, label=label))
    weights = np.abs(normals).astype(np.float32) ** 14.0
    weights /= np.maximum(weights.sum(axis=1, keepdims=True), 1e-12)
    if choice.placing.way == "box":
        best = np.argmax(weights, axis=1)
        weights = np.zeros_like(weights)
        weights[np.arange(len(best)), best] = 1
    pieces: list[tuple[np.ndarray, np.ndarray, Skin]] = []
    for axis in range(3):
        rows = np.flatnonzero(weights[:, axis] > 0.01)
        if not len(rows):
            continue
        p, n = points[rows], normals[rows]
        side = np.where(n[:, axis] >= 0, np.float32(1), np.float32(-1))
        if axis == 0:
            a, b = -p[:, 2] * side, p[:, 1]
        elif axis == 1:
            a, b = p[:, 0], -p[:, 2]
        else:
            a, b = p[:, 0] * side, p[:, 1]
        x, y = _turned(a * 1000, b * 1000, choice)
        pieces.append(
            (
                rows,
                weights[rows, axis],
                material.lay(
                    Ground(
                        p, n, texel_mm, seed + axis * 17, x, y, extent_mm=extent_mm, keep=keep, label=f"{label} {axis}"
                    )
                ),
            )
        )
    return _weighed(len(points), pieces)


def _weighed(count: int, pieces: list[tuple[np.ndarray, np.ndarray, Skin]]) -> Skin:
    """Skins that cover some of the points each, by their weights; where one is higher it counts for more."""
    if len(pieces) == 1 and len(pieces[0][0]) == count:
        return pieces[0][2]
    total = np.zeros(count, np.float32)
    shares = []
    for rows, weight, skin in pieces:
        # Within what two sides share, the higher one shows: no ghosts of joints.
        share = weight * np.exp(np.clip(skin.relief, -4, 4)) if len(pieces) > 1 else weight
        shares.append(share.astype(np.float32))
        total[rows] += shares[-1]
    sheet: dict[str, np.ndarray] = {}
    names = {name for _, _, skin in pieces for name in skin.sheet}

    def joined(values: list[np.ndarray], wide: bool) -> np.ndarray:
        out = np.zeros((count, 3) if wide else count, np.float32)
        for (rows, _, _), share, value in zip(pieces, shares, values, strict=True):
            part = share / total[rows]
            out[rows] += value * (part[:, None] if wide else part)
        return out

    for name in names:
        channel = CHANNELS[name]
        values = [skin.sheet.get(name, channel.plain()) for _, _, skin in pieces]
        if all(is_even(v, channel) and np.array_equal(v, values[0]) for v in values):
            sheet[name] = values[0]
        else:
            sheet[name] = joined(
                [spread(v, channel, len(rows)) for v, (rows, _, _) in zip(values, pieces, strict=True)],
                channel.width > 1,
            )
    relief = joined([skin.relief for _, _, skin in pieces], False)
    joint = joined([s.joint for _, _, s in pieces], False) if all(s.joint is not None for _, _, s in pieces) else None  # type: ignore[misc]
    piece = None
    if all(s.piece is not None for _, _, s in pieces):
        # A piece is one or the other, not the mean of two.
        piece, most = np.zeros(count, np.float32), np.zeros(count, np.float32)
        for (rows, _, skin), share in zip(pieces, shares, strict=True):
            wins = share > most[rows]
            piece[rows] = np.where(wins, skin.piece, piece[rows])
            most[rows] = np.maximum(most[rows], share)
    return Skin(sheet, relief, joint, piece)


def finished(choice: LaidMaterial, skin: Skin, area: np.ndarray | None = None) -> Skin:
    """A skin as it was laid, with the levels, the strength of relief and the occlusion of ``choice``."""
    sheet = dict(skin.sheet)
    for name, levels in choice.levels.items():
        channel = CHANNELS[name]
        value = sheet.get(name, one(channel.default if channel.width > 1 else channel.default[0]))
        sheet[name] = levelled(value, channel, levels, area)
    if choice.occlusion > 0 and skin.occlusion is not None:
        color = spread(sheet["base_color"], CHANNELS["base_color"], len(skin.relief))
        sheet["base_color"] = (color * (1 - np.float32(choice.occlusion) * skin.occlusion)[:, None]).astype(np.float32)
    relief = skin.relief * choice.relief if choice.relief != 1.0 else skin.relief
    return replace(skin, sheet=sheet, relief=relief)


def over(below: Skin, above: Skin, mask: np.ndarray, blend_mm: float) -> tuple[Skin, np.ndarray]:
    """Two bases in one place: which of them is higher shows, within ``blend_mm``.

    Parameters
    ----------
    mask : (n,) 0..1, 0 only ``below`` .. 1 only ``above``; between, it lifts one against the other.

    Returns
    -------
    the skin, and (n,) how much of it is ``above``.
    """
    count = len(mask)
    span = (
        decided("span", lambda: float(np.ptp(below.relief) + np.ptp(above.relief)) * 0.5) + blend_mm if count else 1.0
    )
    lead = above.relief - below.relief + (mask - 0.5) * (2.0 * span)
    share = smoothstep(np.ascontiguousarray(lead, np.float32), -max(blend_mm, 1e-3) / 2, max(blend_mm, 1e-3) / 2)
    share = np.where(mask <= 0, np.float32(0), np.where(mask >= 1, np.float32(1), share)).astype(np.float32)
    sheet: dict[str, np.ndarray] = {}
    for name in {*below.sheet, *above.sheet}:
        channel = CHANNELS[name]
        a, b = below.sheet.get(name, channel.plain()), above.sheet.get(name, channel.plain())
        if is_even(a, channel) and is_even(b, channel) and np.array_equal(a, b):
            sheet[name] = a
            continue
        w = share[:, None] if channel.width > 1 else share
        one_, other = spread(a, channel, count), spread(b, channel, count)
        sheet[name] = (one_ + (other - one_) * w).astype(np.float32)

    def mix(a: np.ndarray | None, b: np.ndarray | None) -> np.ndarray | None:
        if a is None and b is None:
            return None
        zero = np.zeros(count, np.float32)
        a, b = zero if a is None else a, zero if b is None else b
        return np.asarray(a + (b - a) * share, np.float32)

    piece = None
    if below.piece is not None or above.piece is not None:
        zero = np.full(count, 0.5, np.float32)
        piece = np.where(
            share > 0.5, zero if above.piece is None else above.piece, zero if below.piece is None else below.piece
        ).astype(np.float32)
    relief = (below.relief + (above.relief - below.relief) * share).astype(np.float32)
    return Skin(sheet, relief, mix(below.joint, above.joint), piece, mix(below.occlusion, above.occlusion)), share
