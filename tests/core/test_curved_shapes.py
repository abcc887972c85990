"""Curvature, view factors and thickness on shapes with closed forms, at several sizes.

Sources: ball fraction 1/2 - 3 H r / 16 with H the mean curvature: Pottmann et al., Computer Aided Geometric Design 26,
2009; view factors of a disc, a strip and a wall: J. R. Howell, A Catalog of Radiation Heat Transfer Configuration
Factors, B-14, B-5, C-14 and their kin; curvatures of torus and cone: do Carmo, Differential Geometry of Curves and
Surfaces. All from memory; each is a short derivation.
"""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.test_readings import rays


def torus(ring: float, tube: float, steps: int = 192) -> Mesh:
    """A torus about the y axis, seen from outside."""
    v, u = np.meshgrid(np.linspace(0, 2 * np.pi, steps + 1), np.linspace(0, 2 * np.pi, steps // 2 + 1))
    reach = ring + tube * np.cos(u)
    points = np.stack([reach * np.sin(v), tube * np.sin(u), reach * np.cos(v)], axis=2)
    return shapes.grid(points, "torus.glb", part="torus")


def cone(half_angle: float, top: float, bottom: float, steps: int = 256) -> Mesh:
    """The mantle of an upright cone between two radii, closed by nothing."""
    theta = np.linspace(0, 2 * np.pi, steps + 1)
    radius = np.linspace(bottom, top, 33)
    height = (bottom - radius) / np.tan(half_angle)
    points = np.stack(
        np.broadcast_arrays(radius[:, None] * np.sin(theta), height[:, None], radius[:, None] * np.cos(theta)), axis=2
    )
    return shapes.grid(points, "cone.glb", part="cone")


class MeanCurvature(TestCase):
    """1 - 2 f = 3 H r / 8."""

    def read(self, table: np.ndarray, column: int, texels: Texels, here: np.ndarray) -> float:
        self.assertGreater(int(here.sum()), 60)
        return float(np.average(table[here, column], weights=texels.area[here]))

    def test_torus(self) -> None:
        ring, tube = 0.3, 0.12
        texels, table = rays(torus(ring, tube), 192, radii=(10.0, 20.0), pairs=128)
        self.assertGreater(float((texels.normal * texels.position).sum()), 0)
        reach = np.hypot(texels.position[:, 0], texels.position[:, 2])
        y = texels.position[:, 1]
        places = {
            "outer": (reach > ring + 0.99 * tube, (1 / tube + 1 / (ring + tube)) / 2),
            "inner": (reach < ring - 0.99 * tube, (1 / tube - 1 / (ring - tube)) / 2),
            "top": (y > 0.995 * tube, 1 / tube / 2),
        }
        for name, (here, h) in places.items():
            for k, r in enumerate((0.01, 0.02)):
                self.assertAlmostEqual(
                    self.read(table, k, texels, here), 3 * h * r / 8, delta=0.0035, msg=f"{name} {r}"
                )

    def test_cylinder_from_outside_and_from_inside(self) -> None:
        tube = shapes.cylinder(0.1, 0.4, 256)
        inside = Mesh(
            tube.positions, -tube.normals, np.ascontiguousarray(tube.triangles[:, ::-1]), tube.uv, parts=tube.parts
        )
        for mesh, sign in ((tube, 1.0), (inside, -1.0)):
            texels, table = rays(mesh, 192, radii=(10.0, 20.0, 40.0), pairs=128)
            here = np.abs(texels.position[:, 1] - 0.2) < 0.1
            for k, r in enumerate((0.01, 0.02, 0.04)):
                # H = 1 / 2 R.
                self.assertAlmostEqual(
                    self.read(table, k, texels, here), sign * 3 * r / (16 * 0.1), delta=0.005, msg=f"{sign} {r}"
                )

    def test_cone(self) -> None:
        half = np.radians(25.0)
        texels, table = rays(cone(half, 0.03, 0.2), 256, radii=(10.0,), pairs=128)
        reach = np.hypot(texels.position[:, 0], texels.position[:, 2])
        for radius in (0.06, 0.1, 0.15):
            here = np.abs(reach - radius) < 0.003
            # The principal curvatures are cos(half angle) / distance from the axis, and 0.
            self.assertAlmostEqual(
                self.read(table, 0, texels, here),
                3 / 8 * np.cos(half) / (2 * radius) * 0.01,
                delta=0.004,
                msg=str(radius),
            )


class Sky(TestCase):
    def test_pits_of_several_depths(self) -> None:
        # The centre of the floor of a round pit sees r^2 / (r^2 + h^2).
        for depth in (0.05, 0.1, 0.2, 0.4):
            r = 0.1
            theta = np.linspace(0, 2 * np.pi, 97)
            radius, height = np.array([1e-4, 0.02, 0.05, r, r]), np.array([0.0, 0.0, 0.0, 0.0, depth])
            points = np.stack(
                np.broadcast_arrays(radius[:, None] * np.cos(theta), height[:, None], radius[:, None] * np.sin(theta)),
                axis=2,
            )
            u, v = np.meshgrid(np.linspace(0.01, 0.99, 97), [0.01, 0.2, 0.4, 0.6, 0.99])
            texels, table = rays(shapes.grid(points, "pit.glb", np.stack([u, v], axis=2)), 192, pairs=256)
            centre = (np.hypot(texels.position[:, 0], texels.position[:, 2]) < 0.01) & (texels.position[:, 1] < 1e-4)
            self.assertAlmostEqual(
                float(table[centre, -2].mean()), r**2 / (r**2 + depth**2), delta=0.014, msg=str(depth)
            )

    def test_grooves_of_several_depths(self) -> None:
        # The middle of the floor of a long groove sees (w/2) / sqrt((w/2)^2 + h^2) of the sky: sin of half its opening.
        half = 0.1
        for depth in (0.05, 0.1, 0.3):
            far = 20.0
            floor = np.array([[-half, 0, far], [half, 0, far], [half, 0, -far], [-half, 0, -far]])
            left = np.array([[-half, 0, far], [-half, 0, -far], [-half, depth, -far], [-half, depth, far]])
            right = np.array([[half, 0, -far], [half, 0, far], [half, depth, far], [half, depth, -far]])
            mesh = shapes.from_faces([(f, shapes.cell(k, 0, 3, 1)) for k, f in enumerate((floor, left, right))])
            texels, table = rays(mesh, 192, pairs=256)
            middle = (
                (texels.normal[:, 1] > 0.9)
                & (np.abs(texels.position[:, 0]) < 0.004)
                & (np.abs(texels.position[:, 2]) < 4)
            )
            self.assertGreater(int(middle.sum()), 20)
            self.assertAlmostEqual(
                float(table[middle, -2].mean()), half / np.hypot(half, depth), delta=0.012, msg=str(depth)
            )

    def test_walls_of_several_heights(self) -> None:
        # At the distance d from a long wall of height H a level floor loses (1 - cos(atan(H / d))) / 2.
        for height in (0.1, 0.4, 1.5):
            floor = np.array([[0, 0, 20], [1, 0, 20], [1, 0, -20], [0, 0, -20.0]])
            wall = np.array([[0, 0, 20], [0, 0, -20], [0, height, -20], [0, height, 20.0]])
            mesh = shapes.from_faces([(floor, shapes.cell(0, 0, 2, 1)), (wall, shapes.cell(1, 0, 2, 1))])
            texels, table = rays(mesh, 192, reaches=(60000.0,), pairs=256)
            here = (
                (texels.normal[:, 1] > 0.9)
                & (np.abs(texels.position[:, 0] - 0.3) < 0.008)
                & (np.abs(texels.position[:, 2]) < 2)
            )
            lost = (1 - np.cos(np.arctan2(height, 0.3))) / 2
            self.assertAlmostEqual(float(table[here, -2].mean()), 1 - lost, delta=0.014, msg=f"sky {height}")
            self.assertAlmostEqual(float(table[here, 1].mean()), lost, delta=0.014, msg=f"occlusion {height}")


class Thickness(TestCase):
    def test_wedge(self) -> None:
        # A wedge of 12 degrees lying on its flat side: straight into the sloping face, at s from the edge, it is s
        # tan(12 degrees) deep.
        angle, length, width = np.radians(12.0), 0.3, 0.3
        top = length * np.tan(angle)
        a, b = np.array([0, 0, 0.0]), np.array([length, 0, 0.0])
        c, z = np.array([length, top, 0.0]), np.array([0, 0, width])
        slope = np.array([a + z, c + z, c, a])
        base = np.array([a, b, b + z, a + z])
        back = np.array([b, c, c + z, b + z])
        mesh = shapes.from_faces([(f, shapes.cell(k, 0, 3, 1)) for k, f in enumerate((slope, base, back))])
        texels, table = rays(mesh, 256, thickness=400.0, pairs=256)
        self.assertAlmostEqual(float(texels.normal[texels.triangle < 2][:, 1].mean()), np.cos(angle), places=4)
        for s in (0.08, 0.14, 0.2):
            along = np.hypot(texels.position[:, 0], texels.position[:, 1])
            here = (
                (texels.triangle < 2) & (np.abs(along - s) < 0.004) & (np.abs(texels.position[:, 2] - width / 2) < 0.06)
            )
            self.assertGreater(int(here.sum()), 20)
            # Along a ray at an angle t from the normal the way through a wedge is s sin(a) / cos(a - t), here averaged
            # over the cone's plane section; within the cone it is longest towards the open end.
            wanted = s * np.tan(angle) * 1000
            self.assertAlmostEqual(float(table[here, -1].mean()) * 400.0, wanted, delta=0.05 * wanted, msg=str(s))

    def test_slabs(self) -> None:
        for thick in (0.01, 0.03):
            slab = shapes.box(thick)
            slab.positions[:, [0, 2]] *= 0.3 / thick
            texels, table = rays(slab, 96, thickness=200.0)
            middle = (np.abs(texels.normal[:, 1]) > 0.9) & (np.abs(texels.position[:, [0, 2]]) < 0.06).all(axis=1)
            # The way along the ray, mean over a cone of 15 degrees to each side: 2 / (1 + cos 15) of the thickness.
            wanted = thick * 1000 * 2 / (1 + np.cos(np.radians(15)))
            self.assertAlmostEqual(float(table[middle, -1].mean()) * 200.0, wanted, delta=0.01 * wanted)

    def test_the_middle_of_a_box(self) -> None:
        # A box of 200 mm reads 200 mm through its middle, at any number of rays; what lies beyond 65 m is kept as well.
        for pairs in (16, 32, 64):
            texels, table = rays(shapes.box(0.2), 96, thickness=1000.0, pairs=pairs)
            middle = (np.abs(texels.position) < 0.03).sum(axis=1) >= 2
            self.assertAlmostEqual(float(table[middle, -1].mean()) * 1000.0, 200.0, delta=10.0, msg=str(pairs))
        from limus.readings.measured import Measured
        from limus.readings.ray_pass import RayPlan, measure_rays

        texels = Texels.of(shapes.box(500.0), 64)
        plan = RayPlan((1000.0,), (1000.0,), 400_000.0, 32)
        table = measure_rays(texels, plan).astype(np.float16)
        found = Measured(texels, plan, table).thickness
        self.assertTrue(np.isfinite(found).all())
        self.assertGreater(float(found.max()), 300_000.0)


class FilterAlongTheSurface(TestCase):
    def test_noise_goes_and_edges_stay(self) -> None:
        # Few rays, filtered: less spread on the flat of a box, the same step at its edge.
        from limus.readings.ray_pass import RayPlan, measure_rays

        texels = Texels.of(shapes.joined(shapes.box(0.3), shapes.box(0.3, (0.45, 0.1, 0.0))), 256)
        plans = [RayPlan((20.0,), (200.0,), 20.0, 8, passes) for passes in (0, 4)]
        rough, smooth = (measure_rays(texels, plan) for plan in plans)
        fine = measure_rays(texels, RayPlan((20.0,), (200.0,), 20.0, 512, 0))
        flat = (np.sort(np.abs(texels.position - [0, 0, 0]), axis=1)[:, 1] < 0.1) & (texels.part == 0)
        for column in (1, 2):
            before, after = np.abs(rough - fine)[flat, column].mean(), np.abs(smooth - fine)[flat, column].mean()
            self.assertLess(float(after), 0.6 * float(before), column)
        edge = (np.sort(np.abs(texels.position), axis=1)[:, 1] > 0.147) & (texels.part == 0)
        # The edge is six texels wide here; a plain blur over the 30 texels that four passes reach would leave a fifth
        # of it.
        self.assertGreater(float(smooth[edge, 0].mean()), 0.85 * float(fine[edge, 0].mean()))
