"""UVs for dense meshes, and for many map sets at once."""

from __future__ import annotations

import subprocess
import time
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np
import trimesh

from bench.unwrapping import rock
from limus.common.errors import Cancelled
from limus.surface import unwrap_worker
from limus.surface.adjacency import adjacency
from limus.surface.dense_charts import _signed, _unfolded, dense_charts
from limus.surface.mesh import Mesh, Part
from limus.surface.unwrap import unwrapped
from limus.surface.uv_health import uv_health
from tests.core import shapes


def seam_length(mesh: Mesh) -> float:
    near = adjacency(mesh)
    t, e = np.nonzero(near.kind == 2)
    p = mesh.positions[mesh.triangles]
    return float(np.linalg.norm(p[t, (e + 1) % 3] - p[t, e], axis=1).sum() / 2)


class Dense(TestCase):
    def test_no_worse_than_the_library_alone(self) -> None:
        # The library xatlas on the same mesh is the measure: stretch, islands, seams, overlaps, used space.
        mesh = rock(5)
        usual = unwrapped(mesh)
        rows, faces, uv = unwrap_worker.dense_charts_of(
            mesh.positions.astype(np.float64), mesh.triangles, np.asarray(mesh.welded), lambda share: None
        )
        flipped = uv.copy()
        flipped[:, 1] = 1.0 - flipped[:, 1]
        grown = replace(
            mesh,
            positions=mesh.positions[rows],
            normals=mesh.normals[rows],
            uv=flipped.astype(np.float32),
            triangles=faces.astype(np.int32),
        )
        # Every triangle is the one it was.
        np.testing.assert_allclose(grown.positions[grown.triangles], mesh.positions[mesh.triangles])
        one, two = uv_health(usual), uv_health(grown)
        self.assertLess(two.stretch, one.stretch * 1.01)
        self.assertLessEqual(two.islands, one.islands)
        self.assertLess(seam_length(grown), seam_length(usual) * 1.02)
        self.assertEqual((two.zero_area, two.flipped), (0, 0.0))
        self.assertLess(two.overlapping, 0.001)
        self.assertGreater(two.used, one.used * 0.9)
        # One density: the library's own charts differ by up to a half.
        self.assertLess(two.density_high / two.density_low, 1.2)

    def test_alike_parts_do_not_lie_on_one_another(self) -> None:
        # Copies of one part are laid flat to the very same places before they are packed.
        ball = trimesh.creation.icosphere(subdivisions=4, radius=0.05)
        faces = np.concatenate([ball.faces + len(ball.vertices) * k for k in range(7)])
        points = np.concatenate([ball.vertices + np.array([0.2 * k, 0, 0]) for k in range(7)]).astype(np.float32)
        normals = np.tile(ball.vertex_normals, (7, 1)).astype(np.float32)
        mesh = Mesh(
            points, normals, faces.astype(np.int32), parts=(Part("balls", 0, len(faces), 0),), source="balls.stl"
        )
        self.assertGreater(len(faces), unwrap_worker.DENSE)
        health = uv_health(unwrapped(mesh))
        self.assertLess(health.overlapping, 0.001)
        self.assertEqual(health.zero_area, 0)
        self.assertLess(health.stretch, 1.1)

    def test_open_sheets_holes_and_edges(self) -> None:
        # A dense box with flat sides is cut at its edges: nothing of it is stretched at all.
        box = trimesh.creation.box((0.2, 0.1, 0.3))
        for _ in range(4):
            box = box.subdivide()
        rows, faces, uv, chart = dense_charts(box.vertices, box.faces, np.arange(len(box.vertices)), lambda share: None)
        self.assertEqual(int(chart.max()) + 1, 6)
        p, q = box.vertices[rows][faces], uv[faces]
        np.testing.assert_allclose(
            np.linalg.norm(p[:, 1] - p[:, 0], axis=1), np.linalg.norm(q[:, 1] - q[:, 0], axis=1), rtol=1e-3
        )
        # A flat ring: one chart with a hole in it.
        ring = trimesh.creation.annulus(0.1, 0.2, 0.02)
        flat = ring.submesh([np.flatnonzero(ring.face_normals[:, 2] > 0.9)], append=True)
        for _ in range(3):
            flat = flat.subdivide()
        _, _, uv, chart = dense_charts(flat.vertices, flat.faces, np.arange(len(flat.vertices)), lambda share: None)
        self.assertEqual(int(chart.max()), 0)

    def test_what_folds_is_laid_out_again_within_its_rim(self) -> None:
        # A plane of 12 x 12 squares with a vertex pulled over its neighbours. That every triangle comes to lie the
        # right way round where the rim is convex and each vertex in the mean of its neighbours is W. Tutte's theorem
        # ("How to draw a graph", 1963).
        side = 13
        at = np.arange(side * side).reshape(side, side)
        a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, 1:].ravel(), at[1:, :-1].ravel()
        tri = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int64)
        flat = np.stack(np.meshgrid(np.arange(side), np.arange(side)), axis=2).reshape(-1, 2).astype(np.float64)
        folded = flat.copy()
        folded[at[6, 6]] += 3.5
        self.assertLess(_signed(tri, folded).min(), 0)
        before = folded.copy()
        out = _unfolded(tri, folded)
        self.assertGreater(_signed(tri, out).min(), 0)
        rim = np.ones((side, side), bool)
        rim[1:-1, 1:-1] = False
        np.testing.assert_array_equal(out[rim.ravel()], flat[rim.ravel()])
        # What lies far from the fold stays where it was.
        np.testing.assert_array_equal(out[at[1, 1:-1]], before[at[1, 1:-1]])

    def test_progress_and_cancelling(self) -> None:
        said: list[float] = []

        def stop(share: float) -> None:
            said.append(share)
            if share > 0.02:
                raise Cancelled

        mesh = rock(6)
        began = time.monotonic()
        with self.assertRaises(Cancelled):
            unwrapped(mesh, stop)
        self.assertGreater(len(said), 2)
        self.assertEqual(said, sorted(said))
        # It ended long before it was done.
        self.assertLess(time.monotonic() - began, 60)


class ManySets(TestCase):
    def test_one_process_for_all_of_them(self) -> None:
        boxes = shapes.joined(*[shapes.box(0.02, (0.05 * k, 0.0, 0.0)) for k in range(40)])
        parts = tuple(replace(part, map_set=k) for k, part in enumerate(boxes.parts))
        mesh = replace(boxes, parts=parts, uv=None, uv_domains=tuple(f"paint {k}" for k in range(40)))
        with mock.patch("limus.surface.unwrap.subprocess.Popen", wraps=subprocess.Popen) as started:
            found = unwrapped(mesh)
        self.assertEqual(started.call_count, 1)
        self.assertEqual(found.uv_domains, mesh.uv_domains)
        health = uv_health(found, 128)
        self.assertEqual((health.islands, health.zero_area), (40 * 6, 0))
