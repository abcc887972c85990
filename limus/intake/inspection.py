"""What an object is and how fit it is: figures, and findings in words with why they matter and how to mend them."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

import numpy as np

from limus.intake.facts import Facts, Finding, Level, MeshHealth
from limus.readings.rays import ray_scene, trace
from limus.surface.adjacency import Adjacency, adjacency
from limus.surface.axes import plausible_scale
from limus.surface.mesh import Mesh
from limus.surface.sheets import thin_sheets
from limus.surface.turning import inside_out
from limus.surface.udim import tiles_of, triangle_tiles
from limus.surface.uv_health import UvHealth, uv_health

#: Seconds that looking for edges that cross, and for free backs of sheets, may take each; of the rest a share is looked
#: at.
_PATIENCE = 4.0


def _names(names: tuple[str, ...] | list[str]) -> str:
    shown = ", ".join(list(names)[:4])
    return shown if len(names) <= 4 else f"{shown} and {len(names) - 4} more"


def _share(x: float) -> str:
    return f"{x:.1%}" if x >= 0.001 else "less than 0.1 %"


def uv_findings(health: UvHealth, tiles: Sequence[int] = (), *, laid: bool = False) -> list[Finding]:
    """The UVs in words; one entry "good" where nothing is wrong. ``tiles`` that one map set lies in; ``laid``: no
    triangle lies over the border of a tile.
    """
    if not health.present:
        return [
            Finding(
                "uv-missing", "problem", "The object has no UVs",
                "Maps have no place on it, so it cannot be weathered yet", "Unwrap it here", "unwrap"
            )
        ]  # fmt: skip
    out: list[Finding] = []
    if health.missing:
        out.append(
            Finding(
                "uv-part-missing", "problem", f"These parts have no UVs: {_names(health.missing)}",
                "They get no texels: no layer can show on them",
                "Unwrap it here, or give them UVs in the program it comes from", "unwrap", health.missing,
            )
        )  # fmt: skip
    if health.overlapping > 0.001:
        level: Level = "problem" if health.overlapping > 0.02 else "warning"
        out.append(
            Finding(
                "uv-overlap", level, f"UVs overlap on {_share(health.overlapping)} of the used picture",
                "Two places share one texel: a stain on one shows on the other",
                "Unwrap it here, or leave it where the repetition is meant", "unwrap",
            )
        )  # fmt: skip
    if tiles:
        out.append(
            Finding(
                "uv-tiles", "warning", f"UVs lie in {len(tiles)} tiles, {tiles[0]} to {tiles[-1]}",
                "Taken as one picture they are moved over one another",
                "Take each tile as a map set of its own", "tiles",
            )
        )  # fmt: skip
    elif health.outside > 0.001 and not laid:
        out.append(
            Finding(
                "uv-outside", "warning", f"UVs leave the picture (0 to 1) on {_share(health.outside)} of the surface",
                "Those triangles are moved back by whole pictures and may come to lie on others",
                "Move the islands into 0 to 1, or unwrap it here", "unwrap",
            )
        )  # fmt: skip
    if health.flipped > 0.001:
        out.append(
            Finding(
                "uv-flipped", "note", f"UVs are mirrored on {_share(health.flipped)} of the surface",
                "Nothing is wrong here, but pictures laid on by UV (letters) read backwards there", "",
            )
        )  # fmt: skip
    if health.zero_area:
        out.append(
            Finding(
                "uv-zero", "warning", f"{health.zero_area:,} triangles have no area in the UVs",
                "They get no texels and show the colour of one point", "Unwrap it here", "unwrap",
            )
        )  # fmt: skip
    if health.stretch > 1.6:
        out.append(
            Finding(
                "uv-stretch", "warning", f"Texels are stretched {health.stretch:.1f} times on the mean",
                "Fine relief and noise lose detail along the long side", "Unwrap it here", "unwrap",
            )
        )  # fmt: skip
    if health.density_low > 0 and health.density_high / health.density_low > 4:
        out.append(
            Finding(
                "uv-density",
                "warning",
                f"Texel density runs from {health.density_low:.0f} to {health.density_high:.0f} per metre at 1024, "
                f"{health.density_high / health.density_low:.0f} times",
                "Some parts are sharp where others are coarse at any resolution",
                "Even it out where it matters, or unwrap it here",
                "unwrap",
            )
        )
    if health.gap is not None and health.gap < 2 and health.close:
        out.append(
            Finding(
                "uv-padding", "note", f"{health.close:,} pairs of islands lie less than two texels apart at 1024",
                "Smaller copies of the maps (mipmaps) mix their colours; nothing leaks inside Limus",
                "Deliver at a higher resolution, or unwrap it here", "unwrap",
            )
        )  # fmt: skip
    if not any(f.level in ("problem", "warning") for f in out):
        out.insert(
            0,
            Finding(
                "uv-good",
                "good",
                f"UVs are fit: {health.islands} islands using {health.used:.0%} of the picture",
                f"{'No overlaps' if health.overlapping == 0 else 'Next to no overlaps'}, about {health.density:.0f} "
                "texels per metre at 1024 "
                f"({health.island_low:.0f} to {health.island_high:.0f} from island to island)",
            ),
        )
    return out


def crossing_edges(mesh: Mesh, near: Adjacency, most: int = 400_000) -> int:
    """Edges that pierce a triangle they do not touch: a sign of surfaces that run through each other.

    Found with one ray along each edge (every n-th where there are more than ``most``).
    """
    owners, slots = np.nonzero((near.twin < 0) | (np.arange(len(mesh.triangles))[:, None] < near.twin))
    step = max(1, -(-len(owners) // most))
    owners, slots = owners[::step], slots[::step]
    tri = mesh.triangles[owners]
    ends = tri[np.arange(len(tri)), slots], tri[np.arange(len(tri)), (slots + 1) % 3]
    a, b = (mesh.positions[e].astype(np.float32) for e in ends)
    along = b - a
    length = np.linalg.norm(along, axis=1)
    ok = length > mesh.diagonal * 1e-6
    if not ok.any():
        return 0
    a, along, length = a[ok], along[ok] / length[ok][:, None], length[ok]
    origin = np.ascontiguousarray(a + along * (0.01 * length)[:, None])
    along, limit = np.ascontiguousarray(along), (0.98 * length).astype(np.float32)
    # In a tangle a ray meets everything: a first few tell how many there is time for.
    order = np.random.default_rng(1).permutation(len(origin)).astype(np.int64)
    scene, found, looked, began = ray_scene(mesh), 0, 0, time.monotonic()
    while looked < len(order):
        some = order[looked : looked + (200 if looked == 0 else 20_000)]
        spent = time.monotonic() - began
        if looked and spent > _PATIENCE / 2 and spent / looked * (looked + len(some)) > _PATIENCE:
            break
        if looked and spent > 1.0:
            some = some[: max(200, int(looked * _PATIENCE / spent) - looked)]
        hits = trace(scene, origin[some], along[some], limit[some].copy())
        looked += len(some)
        hit = np.flatnonzero(hits["primID"] >= 0)
        if not len(hit):
            continue
        # Triangles that share a place with the edge touch it by right; grazing hits are the rounding of neighbours.
        touched = mesh.welded[mesh.triangles[hits["primID"][hit]]]
        mine = np.flatnonzero(ok)[some[hit]]
        own_a, own_b = mesh.welded[ends[0][mine]], mesh.welded[ends[1][mine]]
        shares = ((touched == own_a[:, None]) | (touched == own_b[:, None])).any(axis=1)
        normal = mesh.face_normals[hits["primID"][hit]]
        grazing = np.abs(np.einsum("ij,ij->i", normal, along[some[hit]])) < 0.02
        found += int((~shares & ~grazing).sum())
    return round(found * len(order) / max(looked, 1)) * step


def back_is_seen(mesh: Mesh, name: str) -> bool:
    """Whether most of the back of a sheet lies free: nothing is right behind it within a tenth of its size."""
    part = mesh.parts[mesh.part_index(name)]
    rows = np.arange(part.first, part.first + part.count)[:: max(1, part.count // 500)]
    size = float(
        np.linalg.norm(np.ptp(mesh.positions[mesh.triangles[part.first : part.first + part.count].ravel()], axis=0))
    )
    normal = mesh.face_normals[rows]
    origin = (mesh.positions[mesh.triangles[rows]].mean(axis=1) - normal * (1e-4 * size)).astype(np.float32)
    hits = trace(ray_scene(mesh), origin, np.ascontiguousarray(-normal), np.full(len(rows), 0.1 * size, np.float32))
    free = hits["primID"] < 0
    return float(mesh.areas[rows][free].sum()) > 0.5 * float(mesh.areas[rows].sum())


def _free_sheets(mesh: Mesh, names: list[str]) -> tuple[str, ...]:
    """Those whose back can be seen; after some seconds the rest count as hidden."""
    began = time.monotonic()
    return tuple(n for n in names if time.monotonic() - began < _PATIENCE and back_is_seen(mesh, n))


def mesh_health(mesh: Mesh) -> MeshHealth:
    """Look for what makes readings go wrong; everything found is accepted and said."""
    near = adjacency(mesh)
    split = {part.name.rstrip("'") for part in mesh.parts if part.back}
    return MeshHealth(
        open_edges=int((near.twin < 0).sum()),
        crowded_edges=near.crowded,
        crossing=crossing_edges(mesh, near),
        inside_out=tuple(inside_out(mesh, near.kind)),
        sheets=_free_sheets(mesh, [n for n in thin_sheets(mesh, near) if f"{n} back" not in split]),
        tiny=int((mesh.areas <= 1e-14 * mesh.diagonal**2).sum()),
    )


def mesh_findings(mesh: Mesh, health: MeshHealth, scale: float) -> list[Finding]:
    """The mesh in words. ``scale``: the factor that would make its size plausible, 1 where it is."""
    out: list[Finding] = []
    if scale != 1.0:
        out.append(
            Finding(
                "size", "problem", f"It is {_length(mesh.diagonal)} across",
                "Every radius, film and relief is in real millimetres; at a wrong size all of them are wrong",
                f"If its unit is {unit_name(scale)}, it is {_length(mesh.diagonal * scale)} across", "scale",
            )
        )  # fmt: skip
    if health.inside_out:
        out.append(
            Finding(
                "inside-out", "problem", f"These parts are inside out: {_names(health.inside_out)}",
                "Convex and concave change places, and rain falls on the wrong side", "Turn them here", "turn",
                health.inside_out,
            )
        )  # fmt: skip
    if health.sheets:
        out.append(
            Finding(
                "sheets", "note", f"These parts are single sheets: {_names(health.sheets)}",
                "Front and back share their texels, so they age alike", "Give the back texels of its own",
                "two_sided", health.sheets,
            )
        )  # fmt: skip
    if health.crowded_edges:
        out.append(
            Finding(
                "non-manifold", "note", f"More than two faces meet on {health.crowded_edges:,} edges (not manifold)",
                "Softening and run-off stop at those edges; readings are not affected",
                "Separate the faces there if it shows",
            )
        )  # fmt: skip
    if health.crossing:
        out.append(
            Finding(
                "crossing",
                "note",
                f"About {health.crossing:,} edges run through other surfaces",
                "Readings follow the outer surface; right where solids pass through each other curvature is less "
                "certain",
                "",
            )
        )
    if health.open_edges and not health.sheets:
        out.append(
            Finding(
                "open", "note", f"{health.open_edges:,} edges are open",
                "The inside can be seen there: thickness and curvature take it for solid",
                "Close it where it can be seen",
            )
        )  # fmt: skip
    if health.tiny > 0.01 * len(mesh.triangles):
        out.append(
            Finding(
                "tiny",
                "note",
                f"{health.tiny:,} triangles have next to no area",
                "They cost memory and give nothing",
                "",
            )
        )
    for note in mesh.notes:
        out.append(Finding("note", "note", note[0].upper() + note[1:], "", ""))
    if not any(f.level in ("problem", "warning") for f in out):
        out.insert(
            0,
            Finding(
                "mesh-good",
                "good",
                f"The mesh is sound: {len(mesh.triangles):,} triangles in {len(mesh.parts)} parts",
                "",
            ),
        )
    return out


def _length(metres: float) -> str:
    if metres >= 1000:
        return f"{metres / 1000:.3g} km"
    if metres >= 1:
        return f"{metres:.3g} m"
    if metres >= 0.001:
        return f"{metres * 1000:.3g} mm"
    return f"{metres * 1e6:.3g} µm"


def unit_name(scale: float) -> str:
    """A unit of length by its metres."""
    named = {
        0.001: "the millimetre",
        0.01: "the centimetre",
        0.0254: "the inch",
        0.3048: "the foot",
        1000.0: "the kilometre",
        1.0: "the metre",
    }
    return named.get(scale, f"{scale:g} m")


def inspection(mesh: Mesh, *, unit_known: bool = True, resolution: int = 1024) -> dict[str, Any]:
    """Everything ``limus inspect`` reports, as plain data."""
    low, high = mesh.bounds
    health, solid = uv_health(mesh, resolution), mesh_health(mesh)
    scale = plausible_scale(mesh.diagonal, unit_known)
    tiles, laid = tiles_of(mesh), triangle_tiles(mesh) is not None
    findings = uv_findings(health, tiles, laid=laid) + mesh_findings(mesh, solid, scale)
    if len(mesh.uv_domains) > 32:
        findings.append(
            Finding(
                "many-sets", "warning", f"It has {len(mesh.uv_domains)} map sets",
                "Each is a picture of its own: the view works at a lower resolution, and a delivery is many files",
                "Join materials that could share one picture",
            )
        )  # fmt: skip
    found: dict[str, Any] = {
        "file": mesh.source,
        "triangles": len(mesh.triangles),
        "vertices": len(mesh.positions),
        "size_m": [float(f"{x:.7g}") for x in high - low],
        "area_m2": float(f"{mesh.areas.sum():.7g}"),
        "suggested_scale": scale,
        "offset_m": [float(x) for x in mesh.offset],
        "tiles": tiles,
        "second_uv": mesh.other_uv is not None and mesh.uv_set >= 0,
        "unit_known": unit_known,
        "parts": [
            {
                "name": p.name,
                "triangles": p.count,
                "map_set": mesh.uv_domains[p.map_set],
                "back": p.back,
                **_box(mesh, p.first, p.count),
            }
            for p in mesh.parts
        ],
        "map_sets": list(mesh.uv_domains),
        "vertex_colours": mesh.colours is not None,
        "longest_edge_mm": float(f"{_longest(mesh) * 1000:.4g}"),
        "tangents": mesh.tangents is not None,
        "textures": _textures(mesh),
        "uv": health,
        "mesh": solid,
        "findings": findings,
        "notes": list(mesh.notes),
    }
    return Facts.model_validate(found).model_dump(mode="json")


def _box(mesh: Mesh, first: int, count: int) -> dict[str, list[float]]:
    p = mesh.positions[mesh.triangles[first : first + count].ravel()]
    return {"low_m": [float(f"{x:.6g}") for x in p.min(axis=0)], "high_m": [float(f"{x:.6g}") for x in p.max(axis=0)]}


def _longest(mesh: Mesh) -> float:
    p = mesh.positions[mesh.triangles]
    return float(np.sqrt(((np.roll(p, -1, axis=1) - p) ** 2).sum(axis=2).max(initial=0.0)))


def _textures(mesh: Mesh) -> list[str]:
    out = []
    for k, name in enumerate(mesh.uv_domains):
        maps = mesh.base_maps[k] if mesh.base_maps else None
        if maps is not None and maps.color is not None:
            out.append(f"{name}: base color")
        if maps is not None and maps.orm is not None:
            out.append(f"{name}: roughness and metalness")
        if mesh.normal_maps and mesh.normal_maps[k] is not None:
            out.append(f"{name}: normal")
    return out
