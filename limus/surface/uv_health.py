"""How fit the UVs of a mesh are for texturing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.surface.adjacency import adjacency
from limus.surface.mesh import Mesh
from limus.surface.rasterise import rasterise
from limus.surface.tangents import uv_gradients


@dataclass(frozen=True)
class UvHealth:
    """Figures over the whole object; shares are 0..1 of the real surface unless said otherwise.

    ``overlapping``: share of used texture space that more than one triangle claims. ``outside``: surface whose UVs
    leave 0..1.
    ``flipped``: surface with mirrored UVs. ``zero_area``: triangles without UV area. ``stretch``: area-weighted mean
    ratio of the longer to the shorter texel side. ``density``: texels per metre at 1024 (area-weighted median), with
    its 5 % and 95 % points.
    ``island_low``, ``island_high``: density of the coarsest and the finest island (those below a thousandth of the
    surface left out).
    ``gap``: texels between the two islands that lie closest at 1024 (0: they touch; None: one island only).
    ``close``: pairs of
    islands less than two texels apart. ``missing``: names of parts without UVs.
    """

    present: bool
    islands: int = 0
    used: float = 0.0
    overlapping: float = 0.0
    outside: float = 0.0
    flipped: float = 0.0
    zero_area: int = 0
    stretch: float = 1.0
    density: float = 0.0
    density_low: float = 0.0
    density_high: float = 0.0
    island_low: float = 0.0
    island_high: float = 0.0
    gap: int | None = None
    close: int = 0
    missing: tuple[str, ...] = ()


@kernel
def claim(uv, triangles, page, size, counts):  # type: ignore[no-untyped-def]
    """Count for each pixel how many triangles have its centre well inside (not on an edge)."""
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uv[a, 0] * size - 0.5, uv[a, 1] * size - 0.5
        bx, by = uv[b, 0] * size - 0.5, uv[b, 1] * size - 0.5
        cx, cy = uv[c, 0] * size - 0.5, uv[c, 1] * size - 0.5
        det = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(det) < 1e-12:
            continue
        for y in range(max(0, int(np.ceil(min(ay, by, cy)))), min(size - 1, int(np.floor(max(ay, by, cy)))) + 1):
            for x in range(max(0, int(np.ceil(min(ax, bx, cx)))), min(size - 1, int(np.floor(max(ax, bx, cx)))) + 1):
                w1 = ((x - ax) * (cy - ay) - (cx - ax) * (y - ay)) / det
                w2 = ((bx - ax) * (y - ay) - (x - ax) * (by - ay)) / det
                if w1 > 1e-4 and w2 > 1e-4 and w1 + w2 < 1 - 1e-4:
                    counts[page[t] * size * size + y * size + x] += 1


#: Most pixels that triangles may be tried against, so that thousands of copies lying on one another are counted in a
#: moment.
_MOST_TRIED = 3e8


def _bearable(mesh: Mesh, size: int) -> int:
    """``size``, or the largest smaller one by halves at which all triangles together meet no more than
    ``_MOST_TRIED`` pixels.
    """
    uv = mesh.need_uv().astype(np.float64)[mesh.triangles]
    q = uv - np.floor(uv.mean(axis=1))[:, None, :]
    wide = np.clip(q.max(axis=1), 0, 1) - np.clip(q.min(axis=1), 0, 1)
    share = float((wide[:, 0] * wide[:, 1]).sum())
    while size > 32 and share * size * size + len(q) > _MOST_TRIED:
        size //= 2
    return size


def claims(mesh: Mesh, size: int) -> np.ndarray:
    """(pages * size * size,) int32: how many triangles claim the centre of each pixel, edges not counted."""
    uv = mesh.need_uv().astype(np.float64)[mesh.triangles]
    flat = (uv - np.floor(uv.mean(axis=1))[:, None, :]).reshape(-1, 2)
    corners = np.arange(len(flat), dtype=np.int32).reshape(-1, 3)
    counts = np.zeros(len(mesh.uv_domains) * size * size, np.int32)
    claim(flat, corners, mesh.triangle_map_set, size, counts)
    return counts


@kernel
def _gaps(island, pages, size, reach, pairs, found):  # type: ignore[no-untyped-def]
    """Smallest number of free pixels between islands along rows and columns; pairs of islands that are closer than
    two.
    """
    best = reach + 1
    count = 0
    for page in range(pages):
        for turn in range(2):
            for line in range(size):
                last, at = -1, -1
                for k in range(size):
                    y, x = (line, k) if turn == 0 else (k, line)
                    here = island[page * size * size + y * size + x]
                    if here < 0:
                        continue
                    if last >= 0 and here != last:
                        gap = k - at - 1
                        if gap < best:
                            best = gap
                        if gap < 2 and count < len(pairs):
                            pairs[count] = min(last, here) * 4294967296 + max(last, here)
                            count += 1
                    last, at = here, k
    found[0] = best
    return count


def uv_health(mesh: Mesh, size: int = 1024) -> UvHealth:
    """Inspect the UVs; overlap and gaps are counted on a ``size`` x ``size`` raster per map set.

    The raster is made coarser where there are so many map sets, or so many triangles on one another, that it would
    not fit or take long.
    """
    if mesh.uv is None:
        return UvHealth(False, missing=tuple(p.name for p in mesh.parts))
    while len(mesh.uv_domains) * size * size > (32 << 20) and size > 64:
        size //= 2
    size = _bearable(mesh, size)
    uv = mesh.uv.astype(np.float64)
    tri = mesh.triangles
    area = mesh.areas
    total = max(float(area.sum()), 1e-30)
    q = uv[tri]
    d1, d2 = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
    signed = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    shift = np.floor(q.mean(axis=1))
    outside = ((q < -1e-5) | (q > 1 + 1e-5)).any(axis=(1, 2))
    flat = (q - shift[:, None, :]).reshape(-1, 2)
    corners = np.arange(len(flat), dtype=np.int32).reshape(-1, 3)
    owner = rasterise(flat, corners, mesh.triangle_map_set, len(mesh.uv_domains), size)
    counts = claims(mesh, size)
    near = adjacency(mesh)
    island = np.where(owner >= 0, near.island[np.maximum(owner, 0)], -1).astype(np.int64)
    pairs, found = np.zeros(1 << 16, np.int64), np.zeros(1, np.int64)
    reach = size // 4
    close = len(np.unique(pairs[: _gaps(island, len(mesh.uv_domains), size, reach, pairs, found)]))
    used = int((owner >= 0).sum())
    along_u, along_v = uv_gradients(mesh)
    alive = np.abs(signed) > 1e-14
    lu, lv = np.linalg.norm(along_u, axis=1), np.linalg.norm(along_v, axis=1)
    ratio = np.where(alive, np.maximum(lu, lv) / np.maximum(np.minimum(lu, lv), 1e-12), 1.0)
    per_texel = np.linalg.norm(np.cross(along_u, along_v), axis=1) / size**2
    density = np.where(alive, 1.0 / np.sqrt(np.maximum(per_texel, 1e-30)), 0.0) * (1024 / size)
    order = np.argsort(density[alive])
    cumulative = np.cumsum(area[alive][order])
    points = (
        [
            float(density[alive][order][min(int(np.searchsorted(cumulative, s * cumulative[-1])), len(order) - 1)])
            for s in (0.05, 0.5, 0.95)
        ]
        if len(order)
        else [0.0, 0.0, 0.0]
    )
    count = int(near.island.max()) + 1
    real, drawn = np.bincount(near.island, area, count), np.bincount(near.island, np.abs(signed) / 2, count)
    counted = (real > 1e-3 * total) & (drawn > 0)
    islands = 1024 * np.sqrt(drawn[counted] / real[counted]) if counted.any() else np.zeros(1)
    # glTF's v runs down, so an unmirrored triangle has negative signed area in (u, v) when seen from outside.
    return UvHealth(
        present=True,
        islands=count,
        used=used / len(owner),
        overlapping=float((counts > 1).sum() / max(used, 1)),
        outside=float(area[outside].sum() / total),
        flipped=float(area[signed > 1e-14].sum() / total),
        zero_area=int((~alive).sum()),
        stretch=float((ratio * area).sum() / total),
        density=points[1],
        density_low=points[0],
        density_high=points[2],
        island_low=float(islands.min()),
        island_high=float(islands.max()),
        gap=int(found[0] * 1024 / size) if found[0] <= reach else None,
        close=close,
        missing=mesh.without_uv,
    )
