"""Part of the benchmark: a mesh of a million triangles, from file to draft readings.

Compared with what a general-purpose library takes to read the same file as it usually does; memory is that of a
process of its own.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import trimesh

from bench import QUICK
from limus.formats.gltf_write import write_glb
from limus.formats.read import read_object
from limus.intake.inspection import inspection
from limus.readings.exposure import measure_exposure
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh, Part
from limus.surface.texels import Texels

#: Rows and columns of the grid: 2 n^2 triangles, about a million.
_STEPS = 708 if not QUICK else 40


def _boulder() -> Mesh:
    """A lumpy ball of about a million triangles, half a metre wide, with UVs."""
    theta, phi = np.meshgrid(np.linspace(0, 2 * np.pi, _STEPS + 1), np.linspace(0.02, np.pi - 0.02, _STEPS + 1))
    lump = 1 + 0.08 * np.sin(5 * theta) * np.sin(4 * phi) + 0.02 * np.sin(31 * theta) * np.sin(29 * phi)
    points = (
        0.25
        * lump[:, :, None]
        * np.stack([np.sin(phi) * np.sin(theta), np.cos(phi), np.sin(phi) * np.cos(theta)], axis=2)
    )
    along, down = np.gradient(points, axis=1), np.gradient(points, axis=0)
    normal = np.cross(down, along)
    normal /= np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-20)
    u, v = np.meshgrid(np.linspace(0.005, 0.995, _STEPS + 1), np.linspace(0.005, 0.995, _STEPS + 1))
    number = np.arange((_STEPS + 1) ** 2).reshape(_STEPS + 1, _STEPS + 1)
    a, b, c, d = number[:-1, :-1].ravel(), number[1:, :-1].ravel(), number[1:, 1:].ravel(), number[:-1, 1:].ravel()
    triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)]).astype(np.int32)
    return Mesh(
        points.reshape(-1, 3).astype(np.float32),
        normal.reshape(-1, 3).astype(np.float32),
        triangles,
        np.stack([u, v], axis=2).reshape(-1, 2).astype(np.float32),
        parts=(Part("boulder", 0, len(triangles), 0),),
        source="boulder.glb",
    )


def best(work: Callable[[], object], runs: int = 3) -> float:
    """Seconds of the fastest of several runs."""
    times = []
    for _ in range(runs if not QUICK else 1):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def _peak_mb() -> float:
    """Most memory this program held. ``ru_maxrss`` would do, but Linux hands that of the parent on to it."""
    status = Path("/proc/self/status")
    if status.exists():
        return int(status.read_text().split("VmHWM:")[1].split()[0]) / 1024
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def draft(path: str) -> None:
    """Read and measure a draft at 512; prints seconds, cores kept busy, and the most memory this process held."""
    # What is compiled for the first object of a process is not the work on this one.
    small = Texels.of(read_object(path), 32)
    measure_rays(small, RayPlan.for_mesh(small.mesh, 1))
    mesh = small.mesh
    start, used = time.perf_counter(), resource.getrusage(resource.RUSAGE_SELF)
    texels = Texels.of(mesh, 512)
    measure_rays(texels, RayPlan.for_mesh(mesh, 16))
    rays = time.perf_counter() - start
    with tempfile.TemporaryDirectory() as folder:
        measure_exposure(texels, Setting(), rays=8, folder=Path(folder))
    spent, after = time.perf_counter() - start, resource.getrusage(resource.RUSAGE_SELF)
    busy = (after.ru_utime + after.ru_stime - used.ru_utime - used.ru_stime) / spent
    print(f"{rays} {spent} {busy} {_peak_mb()} {len(texels)} {len(texels) * 32}")


def main() -> None:
    """Print the figures."""
    with tempfile.TemporaryDirectory() as folder:
        glb = Path(folder) / "boulder.glb"
        mesh = _boulder()
        write_glb(glb, mesh)
        plain = trimesh.Trimesh(mesh.positions, mesh.triangles, process=False)
        files = {".glb": glb}
        for suffix in (".ply", ".stl"):
            files[suffix] = Path(folder) / f"boulder{suffix}"
            plain.export(files[suffix])
        parts = []
        for suffix, path in files.items():
            library = best(lambda path=path: trimesh.load(path))  # type: ignore[misc]
            own = best(lambda path=path: read_object(path))  # type: ignore[misc]
            parts.append(f"{suffix} {own / library:.1f} times ({own:.1f} s against {library:.1f} s)")
        print(
            f"Intake, {len(mesh.triangles) / 1e6:.1f} M tri.   {', '.join(parts)} what the general library takes to "
            "read it (wanted: at most 3)"
        )
        seen = best(lambda: inspection(read_object(glb)), 1)
        print(f"  with inspection     {seen:6.1f} s for the GLB: UVs, overlaps, gaps, open and crossing edges, sheets")
        code = "import sys; from bench.million import draft; draft(sys.argv[1])"
        done = subprocess.run([sys.executable, "-c", code, str(glb)], capture_output=True, text=True, check=True)
        rays, spent, busy, peak, texels, count = (float(x) for x in done.stdout.split())
        print(
            f"Draft readings at 512 {rays:6.1f} s for {texels / 1e3:.0f} k texels and {count / 1e6:.1f} M rays, "
            f"{spent:.1f} s with sun, rain and run-off; "
            f"{busy:.1f} cores busy, peak {peak:.0f} MB, reading the file included (wanted: below 2000)"
        )
