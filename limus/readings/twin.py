"""Detail carried over from a high-poly twin.

From each texel a ray goes out along the normal and one goes in; the nearer hit on the twin is the point that is
measured instead, or the outer skin of what lies over it there. Where part names match, a part looks for its own
counterpart only, so that a bolt does not read the plate behind it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from limus.common.parallel import map_blocks
from limus.readings.rays import ray_scene, trace
from limus.surface.frames import to_tangent_space
from limus.surface.mesh import Mesh, Part
from limus.surface.texels import Texels

#: Words that only say which of the two a part is: behind a mark ("wheel_low"), or in capitals of their own ("wheelHP",
#: "WheelHigh").
_WHICH = re.compile(
    r"(?:[\s_.-]+(?i:low[ _-]?poly|high[ "
    r"_-]?poly|low|high|lo|hi|lp|hp)|(?<=[a-z])(?:Low|High|LP|HP|LowPoly|HighPoly))(?=[\s_.\d-]*$)"
)
_NUMBER = re.compile(r"[\s_.-]*\d+$")
_BLOCK = 1 << 15


@dataclass(frozen=True)
class Carried:
    """What a texel finds on the twin.

    Attributes
    ----------
    position : (n, 3) float32 m. face : (n, 3) float32 normal of the triangle hit. normal : (n, 3) float32
        interpolated normal.
    missed : (n,) bool; there the three above are the texel's own. reach_m : distance within which was looked.
    matched : names of the parts that found a part of the same name.
    """

    position: np.ndarray
    face: np.ndarray
    normal: np.ndarray
    missed: np.ndarray
    reach_m: float
    matched: tuple[str, ...]

    def tangent_normal(self, texels: Texels) -> np.ndarray:
        """(n, 3) float32: ``normal`` in the texels' tangent frames."""
        return to_tangent_space(texels, self.normal)


def plain_name(name: str) -> str:
    """The name without the word that says low or high, in small letters, with blanks for marks: "Wheel_low.02" is
    "wheel 02".
    """
    bare = re.sub(r"[\s_.-]+", " ", _WHICH.sub("", name.strip())).strip().lower()
    return bare or name.strip().lower()


def stems(name: str) -> list[str]:
    """``plain_name`` and what remains as numbers at its end are taken off one by one: exporters add them by
    themselves.
    """
    out = [plain_name(name)]
    while (shorter := _NUMBER.sub("", out[-1])) and shorter != out[-1]:
        out.append(shorter)
    return out


def partners(own: list[str], twins: list[str]) -> list[list[int]]:
    """For each own part the numbers of the twin's parts that belong to it by name.

    A part of the twin goes to the parts of its very name, else of its name without numbers, else to those that differ
    in a number only. So the second of several bolts gets the second bolt, and a piece that was numbered by an exporter
    goes to its whole.
    """
    plain, loose = [plain_name(n) for n in own], [stems(n) for n in own]
    out: list[list[int]] = [[] for _ in own]
    for k, name in enumerate(twins):
        tries = [[q for q, p in enumerate(plain) if p == s] for s in stems(name)]
        tries += [[q for q, p in enumerate(loose) if s in p] for s in stems(name)]
        for q in next((t for t in tries if t), []):
            out[q].append(k)
    return out


def _only(mesh: Mesh, parts: list[Part]) -> tuple[Mesh, np.ndarray]:
    """The mesh of some parts, with their own vertices alone, and the triangles of ``mesh`` that it consists of."""
    rows = np.concatenate([np.arange(p.first, p.first + p.count) for p in parts])
    used, local = np.unique(mesh.triangles[rows], return_inverse=True)
    triangles = np.asarray(local).reshape(-1, 3).astype(np.int32)
    return Mesh(mesh.positions[used], mesh.normals[used], triangles, parts=(Part("match", 0, len(rows), 0),)), rows


def found_reach(texels: Texels, groups: list[Group]) -> float:
    """A distance that takes in what of the twin lies over or under these texels, metres.

    A quarter more than the 99.8th percentile of the distances found within 2 % of the object's size, at least 0.2 % of
    it. A large distance does little harm, since the nearer surface wins wherever there is one.
    """
    size = texels.mesh.diagonal
    step = max(1, len(texels) // 40_000)
    found = []
    for group in groups:
        here = group.here[::step]
        p, n = texels.position[here], texels.normal[here]
        _, tri, point = _nearest(p, n, group.piece, np.float32(0.02 * size))
        found.append(np.abs(np.einsum("ij,ij->i", point - p, n))[tri >= 0])
    near = np.concatenate(found) if found else np.zeros(0)
    return float(np.clip(1.25 * np.quantile(near, 0.998) if len(near) else 0.0, 0.002 * size, 0.02 * size))


def _nearest(p: np.ndarray, n: np.ndarray, twin: Mesh, reach: np.float32) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Signed offset along ``n`` of the nearer hit as its size (inf: none), triangle (-1), and the hit points."""
    scene = ray_scene(twin)
    count = len(p)
    size, tri, point = np.full(count, np.inf, np.float32), np.full(count, -1, np.int64), p.copy()

    def block(start: int) -> None:
        rows = slice(start, min(start + _BLOCK, count))
        origin, ray = p[rows], n[rows]
        best = np.full(len(origin), np.inf, np.float32)
        for sign in (1.0, -1.0):
            # Starting a hair behind the surface finds a twin that lies exactly on it.
            back = np.float32(sign) * reach * np.float32(1e-3)
            start_at = np.ascontiguousarray(origin - ray * back)
            limits = np.full(len(origin), reach, np.float32)
            hits = trace(scene, start_at, np.ascontiguousarray(ray * np.float32(sign)), limits)
            facing = np.einsum("ij,ij->i", hits["Ng"], ray) > 0
            offset = np.abs(hits["tfar"] - abs(back)).astype(np.float32)
            ok = (hits["primID"] >= 0) & facing & (offset < best)
            best[ok] = offset[ok]
            tri[rows][ok] = hits["primID"][ok]
            point[rows][ok] = (start_at + ray * np.float32(sign) * hits["tfar"][:, None])[ok]
        _outwards(scene, ray, np.flatnonzero(np.isfinite(best)), point[rows], tri[rows], origin, reach)
        size[rows] = best

    map_blocks(block, list(range(0, count, _BLOCK)))
    return size, tri, point


def _outwards(
    scene: object,
    ray: np.ndarray,
    here: np.ndarray,
    point: np.ndarray,
    tri: np.ndarray,
    origin: np.ndarray,
    reach: np.float32,
) -> None:
    """Move hits out of solids that lie over them: letters or ribs sunk into a surface count as one with it, as in the
    ray pass.

    As long as the next surface outwards is met from behind (no other solid was entered before it) that one is the
    outer skin.
    """
    for _ in range(4):
        if not len(here):
            return
        start = np.ascontiguousarray(point[here] + ray[here] * (reach * np.float32(1e-3)))
        left = reach - np.einsum("ij,ij->i", start - origin[here], ray[here])
        limits = np.maximum(left, 0).astype(np.float32)
        hits = trace(scene, start, np.ascontiguousarray(ray[here]), limits)  # type: ignore[arg-type]
        out = (hits["primID"] >= 0) & (np.einsum("ij,ij->i", hits["Ng"], ray[here]) > 0) & (left > 0)
        point[here[out]] = start[out] + ray[here[out]] * hits["tfar"][out][:, None]
        tri[here[out]] = hits["primID"][out]
        here = here[out]


@dataclass(frozen=True)
class Group:
    """Texels ``here`` that look for the same parts of the twin: ``piece``, triangle k of which is triangle
    ``rows[k]`` of the twin.
    """

    here: np.ndarray
    piece: Mesh
    rows: np.ndarray


def matched(texels: Texels, twin: Mesh) -> tuple[list[Group], tuple[str, ...]]:
    """Who looks for what, by the names of the parts; and the names of the parts that found a part of the same name."""
    pairs = partners([p.name for p in texels.mesh.parts], [p.name for p in twin.parts])
    own = [[twin.parts[k] for k in chosen] for chosen in pairs]
    spoken_for = {p.name for parts in own for p in parts}
    # A part without a counterpart looks at what no other part claims, or at everything where all is claimed.
    rest = [p for p in twin.parts if p.name not in spoken_for] or list(twin.parts)
    wanted: dict[tuple[str, ...], tuple[list[Part], list[int]]] = {}
    for k, parts in enumerate(own):
        target = parts or rest
        wanted.setdefault(tuple(p.name for p in target), (target, []))[1].append(k)
    groups = []
    for target, members in wanted.values():
        here = np.flatnonzero(np.isin(texels.part, members))
        if len(here):
            piece, rows = (
                _only(twin, target) if len(target) < len(twin.parts) else (twin, np.arange(len(twin.triangles)))
            )
            groups.append(Group(here, piece, rows))
    return groups, tuple(p.name for p, match in zip(texels.mesh.parts, own, strict=True) if match)


def carry(texels: Texels, twin: Mesh, reach_m: float | None = None) -> Carried:
    """Look from every texel for the twin; see ``Carried``. ``reach_m`` None: found from the two meshes."""
    groups, names = matched(texels, twin)
    reach = float(reach_m) if reach_m else found_reach(texels, groups)
    position, face, normal = (
        texels.position.copy(),
        texels.mesh.face_normals[texels.triangle].copy(),
        texels.normal.copy(),
    )
    missed = np.ones(len(texels), bool)
    faces = twin.face_normals
    for group in groups:
        _, tri, point = _nearest(texels.position[group.here], texels.normal[group.here], group.piece, np.float32(reach))
        hit = tri >= 0
        at, triangle = group.here[hit], group.rows[tri[hit]]
        missed[at] = False
        position[at] = point[hit]
        face[at] = faces[triangle]
        normal[at] = _interpolated(twin, triangle, point[hit], faces[triangle])
    return Carried(position, face, normal, missed, reach, names)


def _interpolated(mesh: Mesh, triangle: np.ndarray, point: np.ndarray, face: np.ndarray) -> np.ndarray:
    """(m, 3) vertex normals interpolated at points on triangles."""
    tri = mesh.triangles[triangle]
    a, b, c = (mesh.positions[tri[:, k]].astype(np.float64) for k in range(3))
    u, v, w = b - a, c - a, point - a
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = np.einsum("ij,ij->i", w, u), np.einsum("ij,ij->i", w, v)
    det = np.maximum(uu * vv - uv * uv, 1e-300)
    s, t = (vv * wu - uv * wv) / det, (uu * wv - uv * wu) / det
    weights = np.clip(np.stack([1 - s - t, s, t], axis=1), 0, 1)
    n = sum(weights[:, k : k + 1] * mesh.normals[tri[:, k]] for k in range(3))
    length = np.linalg.norm(n, axis=1, keepdims=True)
    return np.where(length > 1e-6, n / np.maximum(length, 1e-12), face).astype(np.float32)
