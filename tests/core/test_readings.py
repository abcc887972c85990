"""Readings against closed forms.

Sources: ball fraction (plane, edge, corner, sphere): Pottmann et al., Computer Aided Geometric Design 26, 2009. View
factors: J. R. Howell, A Catalog of Radiation Heat Transfer Configuration Factors. All from memory; each is a short
integral.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from limus.common.errors import Cancelled
from limus.readings.catalogue import READINGS
from limus.readings.measured import measure, stored
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes


def rays(
    mesh: Mesh,
    size: int,
    *,
    radii: tuple[float, ...] = (4.0,),
    reaches: tuple[float, ...] = (4.0,),
    thickness: float = 4.0,
    pairs: int = 128,
    passes: int = 0,
) -> tuple[Texels, np.ndarray]:
    texels = Texels.of(mesh, size)
    return texels, measure_rays(texels, RayPlan(radii, reaches, thickness, pairs, passes))


class BallFraction(TestCase):
    def test_a_plane_reads_exactly_zero(self) -> None:
        _, table = rays(shapes.plane(), 32, radii=(100.0, 500.0))
        self.assertEqual(float(np.abs(table[:, :2]).max()), 0.0)

    def test_straight_square_edge_is_a_half(self) -> None:
        # f = t / 2 pi with t = pi / 2: 1 - 2 f = 0.5, at the edge itself.
        texels, table = rays(shapes.box(1.0), 512, radii=(200.0,), pairs=32)
        p = np.abs(texels.position)
        second = np.sort(p, axis=1)[:, 1]
        on_edge = (second > 0.5 - 0.004) & (np.sort(p, axis=1)[:, 0] < 0.25)
        self.assertGreater(on_edge.sum(), 100)
        self.assertAlmostEqual(float(table[on_edge, 0].mean()), 0.5, delta=0.02)

    def test_distance_from_an_edge(self) -> None:
        # Ball of radius r about a point on one face, x from the edge: the cap beyond the plane of the other face is
        # outside too. Cap volume fraction above a plane at distance x: (2 - 3 x/r + (x/r)^3) / 4, half of it on this
        # side of the first plane.
        texels, table = rays(shapes.box(1.0), 512, radii=(200.0,), pairs=32)
        top = texels.normal[:, 1] > 0.9
        x = 0.5 - np.abs(texels.position[:, 0])
        for near in (0.05, 0.1, 0.15):
            here = top & (np.abs(x - near) < 0.002) & (np.abs(texels.position[:, 2]) < 0.25)
            q = float(x[here].mean()) / 0.2
            f = 0.5 - (2 - 3 * q + q**3) / 8
            self.assertAlmostEqual(float(table[here, 0].mean()), 1 - 2 * f, delta=0.015)

    def test_cube_corner_is_three_quarters(self) -> None:
        texels, table = rays(shapes.box(1.0), 640, radii=(300.0,), pairs=64)
        corner = (np.abs(texels.position) > 0.5 - 0.004).all(axis=1)
        self.assertGreater(corner.sum(), 20)
        self.assertAlmostEqual(float(table[corner, 0].mean()), 0.75, delta=0.03)

    def test_concave_edge_is_the_negative(self) -> None:
        # Two boxes, the left one taller and sunk a little into the other: a square crease where they meet.
        low, high = shapes.box(1.0, (0.45, 0.0, 0.0)), shapes.box(1.0, (-0.5, 0.5, 0.0))
        texels, table = rays(shapes.joined(low, high), 512, radii=(150.0,), pairs=48)
        crease = (
            (texels.normal[:, 1] > 0.9)
            & (texels.position[:, 0] > 0)
            & (texels.position[:, 0] < 0.006)
            & (np.abs(texels.position[:, 2]) < 0.3)
            & (texels.position[:, 1] < 0.6)
        )
        self.assertGreater(crease.sum(), 20)
        self.assertAlmostEqual(float(table[crease, 0].mean()), -0.5, delta=0.03)

    def test_sphere(self) -> None:
        # f = 1/2 - 3 r / (16 R): curvature 3 r / (8 R).
        texels, table = rays(shapes.sphere(1.0), 128, radii=(100.0, 200.0, 400.0))
        middle = np.abs(texels.position[:, 1]) < 0.8
        for k, r in enumerate((0.1, 0.2, 0.4)):
            got = float(np.average(table[middle, k], weights=texels.area[middle]))
            self.assertAlmostEqual(got, 3 * r / 8, delta=0.006)

    def test_overlapping_solids_count_as_one(self) -> None:
        # A small box sunk half into a large one: from its top, the large one below is solid ground.
        big, small = shapes.box(1.0), shapes.box(0.2, (0.0, 0.5, 0.0))
        texels, table = rays(shapes.joined(big, small), 320, thickness=500.0, pairs=64)
        top = (texels.position[:, 1] > 0.599) & (np.abs(texels.position[:, [0, 2]]) < 0.03).all(axis=1)
        self.assertGreater(float(table[top, -1].mean()) * 500.0, 480.0)


class ViewFactors(TestCase):
    def test_tilted_plane_sees_the_sky(self) -> None:
        for tilt in (0.0, 30.0, 60.0, 90.0):
            _, table = rays(shapes.plane(tilt=tilt), 24, pairs=256)
            self.assertAlmostEqual(float(table[:, -2].mean()), (1 + np.cos(np.radians(tilt))) / 2, delta=0.01)


class OtherReadings(TestCase):
    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)

    def test_slope_and_height(self) -> None:
        texels = Texels.of(shapes.box(1.0, (0.0, 0.5, 0.0)), 64)
        place = Place(
            texels, measure(texels, RayPlan((4.0,), (4.0,), 4.0, 1), folder=Path(self.folder.name)), Setting()
        )
        slope = READINGS["slope"].value(place, 0.0)
        np.testing.assert_allclose(np.unique(np.round(slope, 3)), [0.0, 90.0, 180.0], atol=1e-3)
        height = READINGS["height"].value(place, 0.0)
        self.assertAlmostEqual(float(height.max()), 1000.0, places=2)
        raised = Place(texels, place.measured, Setting(ground_mm=250.0))
        self.assertAlmostEqual(float(READINGS["height"].value(raised, 0.0).max()), 750.0, places=2)

    def test_same_bytes_twice_and_from_disk(self) -> None:
        texels = Texels.of(shapes.sphere(0.1, 24), 64)
        plan = RayPlan((4.0,), (8.0,), 8.0, 16)
        self.assertIsNone(stored(texels, plan, Path(self.folder.name)))
        first = measure(texels, plan, folder=Path(self.folder.name)).table
        again = measure(texels, plan, folder=Path(self.folder.name)).table
        self.assertEqual(first.tobytes(), again.tobytes())
        self.assertEqual(first.tobytes(), measure_rays(texels, plan).astype(np.float16).tobytes())

    def test_a_spoilt_cache_file_is_measured_again(self) -> None:
        texels = Texels.of(shapes.plane(), 32)
        plan = RayPlan((4.0,), (8.0,), 8.0, 4)
        measure(texels, plan, folder=Path(self.folder.name))
        next(Path(self.folder.name).iterdir()).write_bytes(b"\x93NUMPY broken")
        self.assertEqual(measure(texels, plan, folder=Path(self.folder.name)).table.shape, (len(texels), plan.width))

    def test_cancel_leaves_nothing(self) -> None:
        def stop(share: float) -> None:
            raise Cancelled

        texels = Texels.of(shapes.plane(), 128)
        with self.assertRaises(Cancelled):
            measure(texels, RayPlan((4.0,), (8.0,), 8.0, 8), folder=Path(self.folder.name), progress=stop)
        self.assertEqual(list(Path(self.folder.name).iterdir()), [])

    def test_radius_between_two_measured_ones(self) -> None:
        # On a sphere curvature is linear in r; interpolation by log r stays within a few percent of it.
        texels = Texels.of(shapes.sphere(1.0, 48), 96)
        got = measure(texels, RayPlan((100.0, 200.0, 400.0), (100.0,), 100.0, 128, 0), folder=Path(self.folder.name))
        self.assertAlmostEqual(float(np.median(got.curvature(200.0))), 0.075, delta=0.004)
        self.assertAlmostEqual(float(np.median(got.curvature(283.0))), 0.106, delta=0.009)
        self.assertEqual(got.curvature(5.0).tobytes(), got.curvature(100.0).tobytes())
