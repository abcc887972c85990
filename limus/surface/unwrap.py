"""Unwrapping: UVs for objects that have none, or better ones on wish."""

from __future__ import annotations

import os
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from io import BytesIO
from typing import Any

import numpy as np

from limus.surface.face_charts import face_charts
from limus.surface.mesh import Mesh
from limus.surface.picture import Texture
from limus.surface.unwrap_worker import DENSE

#: Seconds that unwrapping a map set takes at most: this, and that much for each triangle. LIMUS_UNWRAP_SECONDS
#: overrides both.
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
    rows : (V,) which vertex of the mesh each new one is; vertices on seams are doubled. triangles : (T, 3) of new
        vertices.
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

    Made by the library xatlas, dense meshes by ``dense_charts``, both the same on every run, in a process of its own.
    Where that takes longer than ``seconds_for`` or fails, every triangle gets a chart of its own, and a note says so.

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
    jobs = []
    for k in np.flatnonzero(sizes):
        rows = np.flatnonzero(sets == k)
        used, local = np.unique(mesh.triangles[rows], return_inverse=True)
        jobs.append(_Set(int(k), rows, used, np.asarray(local).reshape(-1, 3), _roomy(mesh.positions[used])))
    found, why = _charts(jobs, mesh, progress or (lambda share: None))
    for job, charts in zip(jobs, found, strict=True):
        if charts is None:
            uv = face_charts(job.positions, job.triangles).reshape(-1, 2)
            mapping, faces = job.triangles.reshape(-1), np.arange(job.triangles.size).reshape(-1, 3)
            count = sizes[job.number]
            notes.append(
                f"unwrapping '{mesh.uv_domains[job.number]}' {why}: each of its {count:,} triangles has a chart of "
                "its own"
            )
        else:
            mapping, faces, uv = charts
        triangles[job.rows] = faces.astype(np.int32) + base
        source_rows.append(job.used[mapping])
        uvs.append(uv.astype(np.float32))
        base += len(mapping)
    rows = np.concatenate(source_rows)
    uv = np.concatenate(uvs)
    # glTF's v runs down: without this every island would be mirrored.
    uv[:, 1] = 1.0 - uv[:, 1]
    if progress is not None:
        progress(1.0)
    return Atlas(rows, triangles, uv, tuple(notes))


@dataclass(frozen=True)
class _Set:
    """One map set: its number, its triangles in the mesh, the vertices they use, and a mesh of those alone."""

    number: int
    rows: np.ndarray
    used: np.ndarray
    triangles: np.ndarray
    positions: np.ndarray


Charts = tuple[np.ndarray, np.ndarray, np.ndarray]


class _Listener(threading.Thread):
    """Takes in what the process says: UVs from its output, how far it is from its errors."""

    def __init__(self, worker: subprocess.Popen[bytes], given: bytes) -> None:
        super().__init__(daemon=True)
        self.worker, self.given = worker, given
        self.answers: list[bytes] = []
        self.number, self.share = 0, 0.0
        self.since = time.monotonic()

    def run(self) -> None:
        """Until the process ends."""
        said = threading.Thread(target=self._hear, daemon=True)
        said.start()
        assert self.worker.stdin is not None and self.worker.stdout is not None
        with suppress(OSError, ValueError):
            self.worker.stdin.write(self.given)
            self.worker.stdin.close()
        with suppress(OSError, ValueError, struct.error):
            while head := self.worker.stdout.read(8):
                (size,) = struct.unpack("<Q", head)
                data = self.worker.stdout.read(size)
                if len(data) < size:
                    break
                self.answers.append(data)
        self.worker.wait()
        said.join(2)

    def _hear(self) -> None:
        assert self.worker.stderr is not None
        for line in self.worker.stderr:
            words = line.split()
            with suppress(ValueError, IndexError):
                number, share = int(words[0]), float(words[1])
                if number != self.number:
                    self.since = time.monotonic()
                self.number, self.share = number, share


def _charts(jobs: list[_Set], mesh: Mesh, say: Callable[[float], None]) -> tuple[list[Charts | None], str]:
    """What the process found of each set, None where it did not, and what went wrong then."""
    given = BytesIO()
    arrays: dict[str, Any] = {"count": len(jobs)}
    for k, job in enumerate(jobs):
        arrays[f"positions {k}"] = np.ascontiguousarray(job.positions)
        arrays[f"triangles {k}"] = np.ascontiguousarray(job.triangles, np.uint32)
        arrays[f"normals {k}"] = np.ascontiguousarray(mesh.normals[job.used])
        arrays[f"welded {k}"] = np.ascontiguousarray(mesh.welded[job.used], np.int64)
    np.savez(given, **arrays)
    sizes = np.array([len(job.triangles) for job in jobs], np.float64)
    total = float(sizes.sum())
    worker = subprocess.Popen(
        [sys.executable, "-m", "limus.surface.unwrap_worker", str(os.getpid()),
            str(int(_MEMORY + _MEMORY_EACH * sizes.max()))],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    listener = _Listener(worker, given.getvalue())
    limit, began = seconds_for(int(total)), time.monotonic()
    why = "failed"
    try:
        listener.start()
        say(0.0)
        while listener.is_alive():
            if time.monotonic() - began > limit:
                why = f"took longer than {limit:.0f} s"
                break
            k = min(listener.number, len(jobs) - 1)
            # The library does not say how far it is; this nears the end by what such meshes usually take.
            guess = 0.98 * (1.0 - float(np.exp(-(time.monotonic() - listener.since) / (1.0 + 4e-4 * sizes[k]))))
            # A dense one says how far it is, but not in its first seconds.
            share = max(listener.share, 0.04 * guess) if sizes[k] >= DENSE else guess
            say(min(0.99, (float(sizes[:k].sum()) + share * sizes[k]) / total))
            listener.join(0.1)
    finally:
        if worker.poll() is None:
            worker.kill()
        listener.join(5)
    out: list[Charts | None] = []
    for k, job in enumerate(jobs):
        charts = None
        if k < len(listener.answers):
            with np.load(BytesIO(listener.answers[k]), allow_pickle=False) as found:
                charts = found["rows"].astype(np.int64), found["triangles"], found["uv"]
            if charts[1].shape != job.triangles.shape or not np.isfinite(charts[2]).all():
                charts = None
        out.append(charts)
    return out, why


def _laid_on_before(mesh: Mesh, rows: np.ndarray) -> dict[str, Any]:
    """Fields of the unwrapped mesh that keep colour, roughness and metalness of the file where they were: laid on by
    its own UVs.

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
        "base_maps": tuple(
            None if m is None else replace(m, color=still(m.color), orm=still(m.orm)) for m in mesh.base_maps
        ),
    }


def _roomy(positions: np.ndarray) -> np.ndarray:
    """Positions brought to a size of a few thousand: the library takes triangles of less than 1e-7 square units for
    degenerate ones.
    """
    p = positions.astype(np.float64)
    low, high = p.min(axis=0), p.max(axis=0)
    return ((p - low) * (4000.0 / max(float(np.linalg.norm(high - low)), 1e-300))).astype(np.float32)
