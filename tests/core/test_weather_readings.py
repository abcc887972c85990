"""Sun, driving rain and run-off.

Sources: solar geometry: Cooper 1969, Duffie and Beckman; driving rain: ISO 15927-3; both from memory. Run-off on a cone
and in a valley: each follows from the area that drains through a line.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from datetime import date
from pathlib import Path
from unittest import TestCase

import numpy as np

from limus.common.errors import Cancelled
from limus.readings.driving_rain import WET_HOURS, rain_vector, wall_share
from limus.readings.exposure import Exposure, exposure_keys, measure_exposure, stored_exposure
from limus.readings.flow import flow
from limus.readings.setting import Setting
from limus.readings.sun_path import compass, declination, direct_sun, elevation, sun_directions
from limus.readings.surroundings import NOTHING, Surroundings
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes
from tests.core.test_curved_shapes import cone


class SunPath(TestCase):
    def test_noon_on_the_equinox(self) -> None:
        for latitude in (-52.0, -23.0, 0.0, 10.0, 35.0, 52.0, 66.0):
            self.assertAlmostEqual(elevation(latitude, 81, 12.0), 90 - abs(latitude), delta=0.5)
            # Six in the morning on the equinox the sun rises everywhere.
            self.assertAlmostEqual(elevation(latitude, 81, 6.0), 0.0, delta=0.5)

    def test_solstices(self) -> None:
        # Obliquity of the ecliptic 23.44 degrees (from memory): midsummer and midwinter noon at 52 degrees, and the
        # polar circle.
        self.assertAlmostEqual(declination(date(2025, 6, 21).timetuple().tm_yday), 23.44, delta=0.05)
        self.assertAlmostEqual(declination(date(2025, 12, 21).timetuple().tm_yday), -23.44, delta=0.05)
        self.assertAlmostEqual(elevation(52.0, 172, 12.0), 90 - 52 + 23.44, delta=0.1)
        self.assertAlmostEqual(elevation(52.0, 355, 12.0), 90 - 52 - 23.44, delta=0.1)
        self.assertGreater(elevation(70.0, 172, 0.0), 0.0)
        self.assertLess(elevation(70.0, 355, 12.0), 0.0)

    def test_directions(self) -> None:
        # East is +x and north -z; in the northern half the noon sun stands in the south (+z), south of the equator in
        # the north.
        for latitude, sign in ((52.0, 1.0), (-52.0, -1.0)):
            path = sun_directions(Setting(latitude=latitude, day=81))[0][0]
            np.testing.assert_allclose(np.linalg.norm(path, axis=1), 1.0, atol=1e-5)
            noon = path[np.argmax(path[:, 1])]
            self.assertGreater(sign * float(noon[2]), 0.5)
            morning = path[(path[:, 1] > 0.05)][0]
            self.assertGreater(float(morning[0]), 0.5)
        # Half of all hours of a whole year the sun is up, wherever one is; between sunrise and sunset it is never down.
        year, hours = sun_directions(Setting(latitude=60.0))
        self.assertGreater(float(year[:, :, 1].min()), 0.0)
        self.assertAlmostEqual(float(hours.mean()) * year.shape[1] / 24.0, 0.5, delta=0.01)

    def test_compass(self) -> None:
        np.testing.assert_allclose(compass(Setting(), 0.0), [0, 0, -1], atol=1e-9)
        np.testing.assert_allclose(compass(Setting(), 90.0), [1, 0, 0], atol=1e-9)
        np.testing.assert_allclose(compass(Setting(north_deg=90.0), 0.0), [1, 0, 0], atol=1e-9)


class Case(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def exposure(
        self, mesh: Mesh, size: int = 96, around: Surroundings = NOTHING, rays: int = 64, **setting: float | None
    ) -> Exposure:
        return measure_exposure(Texels.of(mesh, size), Setting(**setting), around, rays=rays, folder=self.folder)  # type: ignore[arg-type]


class Sun(Case):
    def test_a_level_square_gets_all_of_it(self) -> None:
        for latitude in (0.0, 52.0, -35.0):
            self.assertAlmostEqual(
                float(self.exposure(shapes.plane(), 24, latitude=latitude).sun.mean()), 1.0, delta=0.01
            )

    def test_walls_of_a_cube(self) -> None:
        # North of the tropics the south wall gets most and the north wall least; east and west the same.
        found = self.exposure(shapes.box(1.0), latitude=52.0)
        normal = found.texels.normal

        def mean(axis: int, sign: float) -> float:
            here = normal[:, axis] * sign > 0.9
            return float(np.average(found.sun[here], weights=found.texels.area[here]))

        south, north, east, west = mean(2, 1), mean(2, -1), mean(0, 1), mean(0, -1)
        self.assertGreater(south, 1.4 * east)
        self.assertGreater(east, 3 * north)
        self.assertAlmostEqual(east, west, delta=0.01)
        self.assertEqual(mean(1, -1), 0.0)
        # Against a sum over the sun's path itself: the south wall on the equinox at 45 degrees gets as much as level
        # ground.
        one = self.exposure(shapes.box(1.0), latitude=45.0, day=81)
        here = one.texels.normal[:, 2] > 0.9
        self.assertAlmostEqual(float(one.sun[here].mean()), 1.0, delta=0.02)

    def test_walls_against_an_independent_integral(self) -> None:
        # The angle of incidence on a wall by Duffie and Beckman, Solar Engineering of Thermal Processes, equation 1.6.2
        # (from memory), integrated by SciPy hour by hour and day by day; within 2 % of it, in the whole year and at
        # midsummer, in four directions.
        from scipy.integrate import quad

        def integral(latitude: float, days: Iterable[int], azimuth: float | None) -> float:
            phi, total = np.radians(latitude), 0.0
            for day in days:
                delta = np.radians(declination(day))
                whole = np.degrees(np.arccos(np.clip(-np.tan(phi) * np.tan(delta), -1, 1))) / 15

                def cosine(hour: float, delta: float = delta) -> float:
                    w = np.radians(15 * hour)
                    up = np.cos(phi) * np.cos(delta) * np.cos(w) + np.sin(phi) * np.sin(delta)
                    if azimuth is None:
                        return max(up, 0.0)
                    # Azimuth from the south, west positive; slope 90 degrees.
                    gamma = np.radians(azimuth)
                    wall = (
                        -np.sin(delta) * np.cos(phi) * np.cos(gamma)
                        + np.cos(delta) * np.sin(phi) * np.cos(gamma) * np.cos(w)
                        + np.cos(delta) * np.sin(gamma) * np.sin(w)
                    )
                    return max(wall, 0.0) if up > 0 else 0.0

                total += quad(cosine, -whole, whole, limit=200)[0]
            return total

        walls = {0.0: (0, 0, 1), 180.0: (0, 0, -1), 90.0: (-1, 0, 0), -90.0: (1, 0, 0)}
        normals = np.array(list(walls.values()), np.float32)
        for latitude in (0.0, 35.0, 52.0, 67.0):
            for day in (None, 172):
                days = range(3, 366, 5) if day is None else [172]
                ground = integral(latitude, days, None)
                found = direct_sun(Setting(latitude=latitude, day=day), normals)
                for k, azimuth in enumerate(walls):
                    wanted = integral(latitude, days, azimuth) / ground
                    self.assertAlmostEqual(
                        float(found[k]), wanted, delta=0.02 * wanted, msg=f"{latitude} {day} {azimuth}"
                    )
        # What is measured on a box keeps to it: the north wall at 52 degrees, the fewest rays there are.
        for day, wanted in ((None, 0.118), (172, 0.267)):
            north = self.exposure(shapes.box(1.0), rays=8, latitude=52.0, day=day)
            here = north.texels.normal[:, 2] < -0.9
            self.assertAlmostEqual(float(north.sun[here].mean()), wanted, delta=0.02 * wanted)

    def test_shade_of_a_neighbour(self) -> None:
        # A wide wall close in the south takes the noon sun away from a square on the ground.
        wall = shapes.box(1.0, (0.0, 0.0, 0.8))
        wall.positions[:, 0] *= 40
        bare = self.exposure(shapes.plane(0.2), 24, latitude=52.0, day=355)
        shaded = self.exposure(shapes.plane(0.2), 24, Surroundings(neighbours=wall), latitude=52.0, day=355)
        self.assertLess(float(shaded.sun.max()), 0.25 * float(bare.sun.min()))

    def test_polar_night(self) -> None:
        self.assertEqual(float(self.exposure(shapes.box(), 24, latitude=85.0, day=355).sun.max()), 0.0)


class Rain(Case):
    def test_the_formula_of_the_standard(self) -> None:
        # I = 2/9 v r^(8/9) cos(q) mm/h on a wall (ISO 15927-3, from memory): 4 m/s and 1 mm/h give 0.889 mm/h.
        self.assertAlmostEqual(wall_share(4.0, 1.0), 8 / 9, places=6)
        self.assertAlmostEqual(wall_share(5.0, 3.0) * 3.0, 2 / 9 * 5.0 * 3.0 ** (8 / 9), places=9)
        self.assertEqual(wall_share(4.0, 0.0), 0.0)
        self.assertEqual(wall_share(0.0, 2.0), 0.0)

    def test_a_cube_in_the_wind(self) -> None:
        setting = Setting(wind_from_deg=90.0, wind_speed=4.0, rain_mm=900.0)
        found = self.exposure(shapes.box(1.0), wind_from_deg=90.0, wind_speed=4.0, rain_mm=900.0)
        normal = found.texels.normal
        share = wall_share(4.0, 900.0 / WET_HOURS)
        means = {
            (axis, sign): float(found.rain[normal[:, axis] * sign > 0.9].mean())
            for axis in range(3)
            for sign in (1, -1)
        }
        self.assertAlmostEqual(means[(1, 1)], 1.0, delta=0.005)
        self.assertAlmostEqual(means[(0, 1)], share, delta=0.01)
        # Lee, both sides that the wind runs along, and the underside: nothing.
        self.assertEqual([means[(0, -1)], means[(2, 1)], means[(2, -1)], means[(1, -1)]], [0.0, 0.0, 0.0, 0.0])
        np.testing.assert_allclose(rain_vector(setting), [share, 1.0, 0.0], atol=1e-9)

    def test_a_wall_turned_away_by_an_angle(self) -> None:
        for turn in (30.0, 60.0):
            found = self.exposure(shapes.box(1.0), 48, wind_from_deg=90.0 + turn, wind_speed=6.0)
            here = found.texels.normal[:, 0] > 0.9
            wanted = wall_share(6.0, 900.0 / WET_HOURS) * np.cos(np.radians(turn))
            self.assertAlmostEqual(float(found.rain[here].mean()), wanted, delta=0.02)

    def test_a_roof_keeps_the_floor_dry(self) -> None:
        roof = shapes.box(1.0, (0.0, 1.5, 0.0))
        roof.positions[:, [0, 2]] *= 3
        found = self.exposure(shapes.plane(0.5), 24, Surroundings(neighbours=roof), wind_speed=0.5)
        self.assertEqual(float(found.rain.max()), 0.0)
        self.assertEqual(float(self.exposure(shapes.box(), 24, rain_mm=0.0).table[:, 1:].max()), 0.0)


class Runoff(TestCase):
    def conserved(self, texels: Texels, caught: np.ndarray) -> None:
        ran = flow(texels, caught)
        self.assertAlmostEqual(ran.started, float((caught * texels.area).sum()), delta=1e-3 * ran.started)
        self.assertAlmostEqual(ran.pooled + ran.left + ran.fell, ran.started, delta=0.01 * ran.started)

    def test_cone(self) -> None:
        # Rain of 1 on the plan: through the circle of radius r runs pi r^2 of it over 2 pi r: r / 2 for each metre.
        texels = Texels.of(cone(np.radians(50.0), 1e-4, 0.5, 192), 384)
        caught = np.maximum(texels.normal[:, 1], 0).astype(np.float32)
        ran = flow(texels, caught)
        reach = np.hypot(texels.position[:, 0], texels.position[:, 2])
        for radius in (0.15, 0.25, 0.35, 0.45):
            here = np.abs(reach - radius) < 0.02
            passing = float(np.average(ran.passing[here], weights=texels.area[here]))
            self.assertAlmostEqual(passing, radius / 2, delta=0.06 * radius / 2, msg=str(radius))
        self.conserved(texels, caught)
        # It all leaves over the open rim.
        self.assertGreater(ran.left / ran.started, 0.98)

    def test_the_valley_of_a_v_roof(self) -> None:
        # Two slopes lean towards each other and the valley between them falls to the front: all water leaves through
        # the valley.
        half, long, steep, fall = 0.4, 1.0, 0.3, 0.15

        def point(x: float, z: float) -> np.ndarray:
            return np.array([x, abs(x) * steep + (long / 2 - z) * fall, z])

        left = np.array([point(-half, long / 2), point(0, long / 2), point(0, -long / 2), point(-half, -long / 2)])
        right = np.array([point(0, long / 2), point(half, long / 2), point(half, -long / 2), point(0, -long / 2)])
        mesh = shapes.from_faces([(left, shapes.cell(0, 0, 2, 1)), (right, shapes.cell(1, 0, 2, 1))])
        texels = Texels.of(mesh, 256)
        caught = np.maximum(texels.normal[:, 1], 0).astype(np.float32)
        ran = flow(texels, caught)
        self.conserved(texels, caught)
        x, z = texels.position[:, 0], texels.position[:, 2]
        # What runs in the valley at z has fallen on everything behind it; each slope brings its own strips.
        valley = np.abs(x) < 0.012
        slope = (np.abs(x) > 0.1) & (np.abs(x) < 0.3)
        self.assertGreater(float(ran.passing[valley].mean()), 10 * float(ran.passing[slope].mean()))
        front, back = valley & (np.abs(z - 0.4) < 0.05), valley & (np.abs(z + 0.3) < 0.05)
        self.assertGreater(float(ran.passing[front].mean()), 3 * float(ran.passing[back].mean()))
        # The UV seam lies right in the valley: both sides of it get the same.
        a, b = ran.passing[front & (x < 0)].mean(), ran.passing[front & (x > 0)].mean()
        self.assertAlmostEqual(float(a), float(b), delta=0.15 * float(a))

    def test_a_bowl_keeps_it(self) -> None:
        theta, radius = np.linspace(0, 2 * np.pi, 65), np.linspace(0.3, 0.0, 17)
        points = np.stack(
            np.broadcast_arrays(radius[:, None] * np.sin(theta), radius[:, None] ** 2, radius[:, None] * np.cos(theta)),
            axis=2,
        )
        texels = Texels.of(shapes.grid(points, "bowl.glb"), 128)
        self.assertGreater(float(texels.normal[:, 1].min()), 0.5)
        caught = texels.normal[:, 1].copy()
        ran = flow(texels, caught)
        self.conserved(texels, caught)
        self.assertGreater(ran.pooled / ran.started, 0.95)

    def test_drips_fall_on_what_is_below(self) -> None:
        # A small box hovers over a large one: what drips from it wets the large one's top under its rim.
        small, large = shapes.box(0.2, (0.0, 0.5, 0.0)), shapes.box(1.0, (0.0, -0.5, 0.0))
        texels = Texels.of(shapes.joined(small, large), 512)
        top = (texels.part == 0) & (texels.normal[:, 1] > 0.9)
        caught = np.where(top, 1.0, 0.0).astype(np.float32)
        ran = flow(texels, caught)
        self.conserved(texels, caught)
        floor = (texels.part == 1) & (texels.normal[:, 1] > 0.9)
        reach = np.abs(texels.position[:, [0, 2]]).max(axis=1)
        under, middle = floor & (reach > 0.09) & (reach < 0.2), floor & (reach < 0.05)
        self.assertGreater(float(ran.passing[under].mean()), 5 * float(ran.passing[middle].mean() + 1e-9))
        # And the lower rim of the small one hangs full of drops.
        sides = (texels.part == 0) & (np.abs(texels.normal[:, 1]) < 0.1)
        self.assertGreater(float(ran.passing[sides].mean()), 0.0)

    def test_same_water_every_time(self) -> None:
        texels = Texels.of(shapes.sphere(0.2, 32), 96)
        caught = np.maximum(texels.normal[:, 1], 0).astype(np.float32)
        self.assertEqual(flow(texels, caught).passing.tobytes(), flow(texels, caught).passing.tobytes())
        dry = flow(texels, np.zeros_like(caught))
        self.assertEqual((dry.started, float(dry.passing.max())), (0.0, 0.0))


class Keeping(Case):
    def test_same_bytes_and_from_disk(self) -> None:
        texels = Texels.of(shapes.box(0.3), 48)
        self.assertIsNone(stored_exposure(texels, Setting(), NOTHING, 8, self.folder))
        first = measure_exposure(texels, Setting(), rays=8, folder=self.folder)
        kept = stored_exposure(texels, Setting(), NOTHING, 8, self.folder)
        assert kept is not None
        self.assertEqual(first.table.tobytes(), kept.table.tobytes())
        next(self.folder.iterdir()).unlink()
        self.assertEqual(
            measure_exposure(texels, Setting(), rays=8, folder=self.folder).table.tobytes(), first.table.tobytes()
        )

    def test_only_what_matters_makes_it_stale(self) -> None:
        texels = Texels.of(shapes.box(0.3), 16)
        sun, rain = exposure_keys(texels, Setting(), NOTHING, 8)
        self.assertEqual((sun, rain), exposure_keys(texels, Setting(corrosivity="C2", years=44.0), NOTHING, 8))
        changes: list[tuple[dict[str, float], bool, bool]] = [
            ({"latitude": 10.0}, True, False),
            ({"day": 3}, True, False),
            ({"wind_speed": 1.0}, False, True),
            ({"rain_mm": 100.0}, False, True),
            ({"wind_from_deg": 1.0}, False, True),
            ({"north_deg": 5.0}, True, True),
        ]
        for change, of_sun, of_rain in changes:
            now = exposure_keys(texels, Setting(**change), NOTHING, 8)  # type: ignore[arg-type]
            self.assertEqual((now[0] != sun, now[1] != rain), (of_sun, of_rain), change)

    def test_cancel_leaves_nothing(self) -> None:
        def stop(share: float) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            measure_exposure(Texels.of(shapes.box(), 32), Setting(), rays=8, folder=self.folder, progress=stop)
        self.assertEqual(list(self.folder.iterdir()), [])
