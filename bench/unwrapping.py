"""Part of the benchmark: UVs for objects that have none, from a dozen triangles to a million."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import trimesh

from bench import QUICK
from limus.patterns.noise import fractal
from limus.surface.mesh import Mesh, Part
from limus.surface.unwrap import unwrapped
from limus.surface.uv_health import uv_health

#: Triangles, how often the ball is divided, seconds wanted.
ROCKS = ((327_680, 7, 30), (1_310_720, 8, 118)) if not QUICK else ((1280, 3, 30),)


def rock(divided: int) -> Mesh:
    """A lumpy rock about 0.9 m wide, without UVs."""
    ball = trimesh.creation.icosphere(subdivisions=divided, radius=0.45)
    points = ball.vertices.astype(np.float32)
    points = points * (1 + 0.15 * fractal(points, 300.0, octaves=5, seed=3)[:, None])
    shape = trimesh.Trimesh(points, ball.faces, process=False)
    return Mesh(
        points.astype(np.float32), shape.vertex_normals.astype(np.float32), ball.faces.astype(np.int32),
        parts=(Part("rock", 0, len(ball.faces), 0),), source="rock.stl",
    )  # fmt: skip


def crowd(count: int) -> Mesh:
    """Many boxes, each with a material of its own."""
    box = trimesh.creation.box((0.02, 0.02, 0.02))
    places = np.stack([np.arange(count) % 20, np.arange(count) // 20, np.zeros(count)], axis=1) * 0.05
    faces = np.concatenate([box.faces + 8 * k for k in range(count)])
    return Mesh(
        (box.vertices[None] + places[:, None]).reshape(-1, 3).astype(np.float32), np.tile(box.vertex_normals, (count,
            1)).astype(np.float32),
        faces.astype(np.int32), parts=tuple(Part(f"box {k}", 12 * k, 12, k) for k in range(count)),
        uv_domains=tuple(f"paint {k}" for k in range(count)), source="boxes.obj",
    )  # fmt: skip


def main() -> None:
    """Run and print."""
    for name, mesh, wanted in (
        ("a box", replace(crowd(1), source="box.obj"), 1.0),
        *((f"a rock of {n:,} triangles", rock(d), float(s)) for n, d, s in ROCKS),
        ("300 parts and materials", crowd(20 if QUICK else 300), 30.0),
    ):
        first: list[float] = []
        began = time.perf_counter()

        def say(share: float, began: float = began, first: list[float] = first) -> None:
            if share > 0 and not first:
                first.append(time.perf_counter() - began)

        health = uv_health(unwrapped(mesh, say))
        spent = time.perf_counter() - began
        print(
            f"Unwrapping            {name}: {spent:.1f} s (wanted: {wanted:g}), first word after "
            f"{first[0] if first else 0:.1f} s; "
            f"{health.islands} islands, stretch {health.stretch:.3f}, {health.used:.0%} used, overlapping "
            f"{health.overlapping:.3%}"
        )
