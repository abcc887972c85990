"""Unwrapping: UVs for objects that have none, or better ones on wish."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from io import BytesIO
from typing import Any

import numpy as np

from limus.surface.face_charts import face_charts
from limus.surface.mesh import Mesh
from limus.surface.picture import Texture

#: Seconds that unwrapping a map set takes at most: this, and that much for each triangle. LIMUS_UNWRAP_SECONDS overrides both.
_SECONDS, _SECONDS_EACH = 60.0, 1.5e-3
#: Bytes that it may take: so much, and so much for each triangle.
_MEMORY, _MEMORY_EACH = 2 << 30, 40_000


def seconds_for(triangles: int) -> float:
    """After how long an unwrapping is given up."""
    given = os.environ.get("LIMUS_UNWRAP_SECONDS", "")
    return float(given) if given.replace(".", "", 1).isdigit() else _SECONDS + _SECONDS_EACH * triangles


@dataclass(frozen=True)
class Atlas:
    """New UVs for the triangles of a mesh, one atlas per map set.

    Attributes
    ----------
    rows : (V,) which vertex of the mesh each new one is; vertices on seams are doubled. triangles : (T, 3) of new vertices.
    uv : (V, 2) float32, v down. notes : what is to be said of it.
    """

    rows: np.ndarray
    triangles: np.ndarray
    uv: np.ndarray
    notes: tuple[str, ...] = ()

    def put_on(self, mesh: Mesh) -> Mesh:
        """The mesh with these UVs; positions, normals, colours and parts stay."""
        return replace(
            mesh,
            positions=mesh.positions[self.rows],
            normals=mesh.normals[self.rows],
            triangles=self.triangles,
            uv=self.uv,
            tangents=None,
            colours=None if mesh.colours is None else mesh.colours[self.rows],
            **_laid_on_before(mesh, self.rows),
            without_uv=(),
            notes=(*mesh.notes, *self.notes),
        )


def unwrapped(mesh: Mesh, progress: Callable[[float], None] | None = None) -> Mesh:
    """The mesh with new UVs: see ``atlas_for``."""
    return atlas_for(mesh, progress).put_on(mesh)


def atlas_for(mesh: Mesh, progress: Callable[[float], None] | None = None) -> Atlas:
    """New UVs, every triangle in exactly one island.

    Made by the library xatlas, whose result is the same on every run, in a process of its own. Where that takes longer than
    ``seconds_for`` or fails, every triangle gets a chart of its own, and a note says so.

    Parameters
    ----------
    progress : called with 0..1 several times a second; may raise ``Cancelled``, which ends the process.
    """
    triangles = np.empty_like(mesh.triangles)
    source_rows: list[np.ndarray] = []
    uvs: list[np.ndarray] = []
    notes: list[str] = []
    base = 0
    sets = mesh.triangle_map_set
    sizes = np.bincount(sets, minlength=len(mesh.uv_domains))
    done = 0
    for k in range(len(mesh.uv_domains)):
        rows = np.flatnonzero(sets == k)
        if not len(rows):
            continue

        def say(share: float, done: int = done, size: int = len(rows)) -> None:
            if progress is not None:
                progress((done + share * size) / len(sets))

        say(0.0)
        used, local = np.unique(mesh.triangles[rows], return_inverse=True)
        local = np.asarray(local).reshape(-1, 3)
        positions = _roomy(mesh.positions[used])
        found, why = _charts(positions, local, mesh.normals[used], say)
        if found is None:
            uv = face_charts(positions, local).reshape(-1, 2)
            mapping, faces = local.reshape(-1), np.arange(local.size).reshape(-1, 3)
            notes.append(f"unwrapping '{mesh.uv_domains[k]}' {why}: each of its {sizes[k]:,} triangles has a chart of its own")
        else:
            mapping, faces, uv = found
        triangles[rows] = faces.astype(np.int32) + base
        source_rows.append(used[mapping])
        uvs.append(uv.astype(np.float32))
        base += len(mapping)
        done += len(rows)
    rows = np.concatenate(source_rows)
    uv = np.concatenate(uvs)
    # glTF's v runs down: without this every island would be mirrored.
    uv[:, 1] = 1.0 - uv[:, 1]
    if progress is not None:
        progress(1.0)
    return Atlas(rows, triangles, uv, tuple(notes))


def _charts(
    positions: np.ndarray, triangles: np.ndarray, normals: np.ndarray, say: Callable[[float], None]
) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray] | None, str]:
    """What the process found, or None and what went wrong."""
    given = BytesIO()
    np.savez(
        given, positions=np.ascontiguousarray(positions), triangles=np.ascontiguousarray(triangles, np.uint32),
        normals=np.ascontiguousarray(normals),
    )  # fmt: skip
    memory = _MEMORY + _MEMORY_EACH * len(triangles)
    worker = subprocess.Popen(
        [sys.executable, "-m", "limus.surface.unwrap_worker", str(os.getpid()), str(memory)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    answer: list[bytes] = []
    listener = threading.Thread(target=lambda: answer.append(worker.communicate(given.getvalue())[0]), daemon=True)
    limit, began = seconds_for(len(triangles)), time.monotonic()
    try:
        listener.start()
        while listener.is_alive():
            spent = time.monotonic() - began
            if spent > limit:
                return None, f"took longer than {limit:.0f} s"
            # The library does not say how far it is; this nears the end by what such meshes usually take.
            say(0.98 * (1.0 - float(np.exp(-spent / (1.0 + 4e-4 * len(triangles))))))
            listener.join(0.1)
    finally:
        if worker.poll() is None:
            worker.kill()
        listener.join(5)
    if worker.returncode != 0 or not answer:
        return None, "failed"
    with np.load(BytesIO(answer[0]), allow_pickle=False) as found:
        out = found["rows"].astype(np.int64), found["triangles"], found["uv"]
    if out[1].shape != triangles.shape or not np.isfinite(out[2]).all():
        return None, "failed"
    return out, ""


def _laid_on_before(mesh: Mesh, rows: np.ndarray) -> dict[str, Any]:
    """Fields of the unwrapped mesh that keep colour, roughness and metalness of the file where they were: laid on by its own UVs.

    Where pictures use two UV sets only those of one can be kept; normal maps go, since their tangents went.
    """
    textures = [t for m in mesh.base_maps if m is not None for t in (m.color, m.orm) if t is not None]
    kept = mesh.uv_set if any(t.uv_set == mesh.uv_set for t in textures) or mesh.other_uv is None else 1 - mesh.uv_set
    source = mesh.uv if kept == mesh.uv_set else mesh.other_uv
    usable = source is not None and bool(textures) and not mesh.without_uv

    def still(texture: Texture | None) -> Texture | None:
        return texture if usable and texture is not None and texture.uv_set == kept else None

    return {
        "other_uv": source[rows] if usable and source is not None else None,
        # A number that no picture asks for: the new UVs are none of the file's.
        "uv_set": -1,
        "normal_maps": (),
        "base_maps": tuple(None if m is None else replace(m, color=still(m.color), orm=still(m.orm)) for m in mesh.base_maps),
    }


def _roomy(positions: np.ndarray) -> np.ndarray:
    """Positions brought to a size of a few thousand: the library takes triangles of less than 1e-7 square units for degenerate ones."""
    p = positions.astype(np.float64)
    low, high = p.min(axis=0), p.max(axis=0)
    return ((p - low) * (4000.0 / max(float(np.linalg.norm(high - low)), 1e-300))).astype(np.float32)
