"""Patterns against theory, and against general-purpose libraries."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from scipy.integrate import quad
from scipy.ndimage import gaussian_filter, map_coordinates
from scipy.spatial import cKDTree

from limus.patterns.by_example import lay_flat, prepared
from limus.patterns.cells import cells, scattered
from limus.patterns.left_out import clipped, inside, left_out
from limus.patterns.noise import OCTAVE_DEVIATION, evened, fractal, noise, warped
from limus.patterns.picture import on_sides, reduced, repeated
from limus.patterns.pieces import by_box, by_cell, by_number
from limus.patterns.scratches import scratches
from limus.patterns.speckle import speckle


def cloud(count: int, size: float = 3.0, seed: int = 2) -> np.ndarray:
    return np.random.default_rng(seed).uniform(0, size, (count, 3)).astype(np.float32)


def sheet(side: float, count: int) -> np.ndarray:
    """A square of count x count points in space, not along the axes."""
    u, v = np.meshgrid(np.linspace(0, side, count, endpoint=False), np.linspace(0, side, count, endpoint=False))
    return np.stack([u, v, np.full_like(u, 0.137)], axis=2).reshape(-1, 3).astype(np.float32)


class Octave(TestCase):
    def test_zero_on_the_lattice_and_bounded(self) -> None:
        # Gradient noise is 0 on lattice points: there every gradient is multiplied by a distance of 0 (Perlin 1985).
        shift = np.random.Generator(np.random.PCG64([3, 17])).uniform(0, 256, 3).astype(np.float32)
        lattice = (np.random.default_rng(0).integers(300, 400, (500, 3)) - shift).astype(np.float32)
        values = fractal(lattice, 1000.0, octaves=1, seed=3)
        self.assertLess(float(np.abs(values).max()), 2e-3)
        self.assertLess(float(np.abs(fractal(cloud(100000), 20.0, octaves=1)).max()) * OCTAVE_DEVIATION, 1.2)

    def test_deviation_by_integration(self) -> None:
        # Variance of one octave: sum over the eight corners of E[g^2] (fade products)^2 |d|^2 over the cube; by
        # symmetry 8 A B^2.
        def fade(x: float) -> float:
            return x**3 * (x * (x * 6 - 15) + 10)

        a = quad(lambda x: (1 - fade(x)) ** 2 * x * x, 0, 1)[0]
        b = quad(lambda x: (1 - fade(x)) ** 2, 0, 1)[0]
        self.assertAlmostEqual(OCTAVE_DEVIATION, (8 * a * b * b) ** 0.5, places=5)

    def test_seeds_differ_and_repeat(self) -> None:
        points = cloud(2000, 9.0, 1)
        self.assertEqual(fractal(points, 50.0, seed=5).tobytes(), fractal(points, 50.0, seed=5).tobytes())
        self.assertLess(
            abs(float(np.corrcoef(fractal(points, 50.0, seed=5), fractal(points, 50.0, seed=6))[0, 1])), 0.1
        )


class Fractal(TestCase):
    def test_mean_and_deviation(self) -> None:
        points = cloud(200000)
        for octaves, gain in ((1, 0.5), (4, 0.5), (6, 0.7)):
            values = fractal(points, 20.0, octaves=octaves, gain=gain, seed=3)
            self.assertAlmostEqual(float(values.mean()), 0.0, delta=0.03)
            self.assertAlmostEqual(float(values.std()), 1.0, delta=0.05)

    def test_its_spectrum_is_alike_in_all_directions(self) -> None:
        # Power of the Fourier transform in eight sectors of direction, over the band of the octave (theory of isotropic
        # fields: all equal). Gradient noise on a lattice keeps a trace of it; a quarter off is allowed, value noise is
        # off by more.
        count = 512
        power = np.zeros((count, count))
        for seed in range(6):
            field = fractal(sheet(12.8, count), 200.0, octaves=1, seed=seed).reshape(count, count)
            power += np.abs(np.fft.fftshift(np.fft.fft2(field - field.mean()))) ** 2
        y, x = np.indices(power.shape) - count // 2
        ring = (np.hypot(x, y) > 20) & (np.hypot(x, y) < 80)
        sector = ((np.degrees(np.arctan2(y, x)) % 180) // 22.5).astype(int)
        shares = np.array([power[ring & (sector == k)].mean() for k in range(8)])
        self.assertLess(float(np.abs(shares / shares.mean() - 1).max()), 0.3)
        # The wavelength is the size: most of the power lies about 12.8 m / 0.2 m = 64 waves.
        radial = np.array([power[(np.hypot(x, y) >= k) & (np.hypot(x, y) < k + 4)].sum() for k in range(2, 200, 4)])
        self.assertTrue(25 < 2 + 4 * radial.argmax() < 80)

    def test_every_form_spreads_evenly(self) -> None:
        points = cloud(200000, seed=4)
        for form in ("fractal", "ridged", "billow"):
            for octaves, warp in ((1, 0.0), (4, 0.0), (5, 0.8)):
                values = noise(points, 20.0, form=form, octaves=octaves, warp=warp, seed=9)  # type: ignore[arg-type]
                for level in (0.2, 0.5, 0.8):
                    self.assertAlmostEqual(float((values < level).mean()), level, delta=0.05, msg=f"{form} {octaves}")
        self.assertAlmostEqual(float((evened(fractal(points, 20.0)) < 0.3).mean()), 0.3, delta=0.05)

    def test_forms_have_their_marks(self) -> None:
        # Ridged is highest, billow lowest, where the plain octave crosses zero.
        points = cloud(50000)
        plain = np.abs(fractal(points, 20.0, octaves=1, seed=2))
        crossing, far = plain < 0.02, plain > 1.5
        ridged, billow = (noise(points, 20.0, form=f, octaves=1, seed=2) for f in ("ridged", "billow"))  # type: ignore[arg-type]
        self.assertGreater(float(ridged[crossing].min()), float(ridged[far].max()))
        self.assertLess(float(billow[crossing].max()), float(billow[far].min()))

    def test_size_is_in_millimetres(self) -> None:
        points = cloud(5000, 1.0, 5)
        np.testing.assert_allclose(
            fractal(points, 20.0, octaves=3), fractal(points * np.float32(10), 200.0, octaves=3), atol=2e-2
        )

    def test_finer_than_a_texel_fades_out(self) -> None:
        points = cloud(50000)
        self.assertEqual(float(np.abs(fractal(points, 1.0, texel_mm=2.0)).max()), 0.0)
        two = fractal(points, 40.0, octaves=6, texel_mm=4.0)
        self.assertTrue(0.85 < float(two.std()) < 1.0)
        for form in ("ridged", "billow"):
            self.assertAlmostEqual(float(noise(points, 1.0, form=form, texel_mm=2.0).std()), 0.0, places=5)  # type: ignore[arg-type]

    def test_warping_moves_by_what_it_says(self) -> None:
        points = cloud(50000)
        moved = (warped(points, 30.0, 6.0) - points) * 1000
        self.assertAlmostEqual(float(moved.std()), 6.0, delta=0.4)


class CellsAgainstATree(TestCase):
    def test_distances_borders_and_owners(self) -> None:
        # scipy's cKDTree over the very points; the border to a neighbour is the plane half way (definition of Voronoi
        # cells).
        points = cloud(4000, 0.6, 7)
        for jitter in (1.0, 0.4):
            found = cells(points, 40.0, jitter=jitter, seed=11)
            cubes = np.stack(np.meshgrid(*[np.arange(-3, 19)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
            middles = scattered(cubes, 40.0, jitter=jitter, seed=11)
            x = points.astype(np.float64) * 1000
            distance, near = cKDTree(middles).query(x, k=40)
            np.testing.assert_allclose(found.distance, distance[:, 0], atol=2e-3)
            others = middles[near[:, 1:]]
            own = middles[near[:, :1]]
            gap = ((others - x[:, None]) ** 2).sum(2) - ((own - x[:, None]) ** 2).sum(2)
            border = (gap / (2 * np.linalg.norm(others - own, axis=2))).min(axis=1)
            np.testing.assert_allclose(found.edge, border, atol=5e-3)
            np.testing.assert_allclose(found.from_middle, x - own[:, 0], atol=5e-3)
            # One value a cell, different ones in different cells.
            owners = near[:, 0]
            first = {int(o): v for o, v in zip(owners[::-1], found.value[::-1], strict=True)}
            self.assertTrue(all(first[int(o)] == v for o, v in zip(owners, found.value, strict=True)))
            self.assertGreater(len(set(first.values())), 0.98 * len(first))

    def test_values_are_even(self) -> None:
        value = cells(cloud(60000, 5.0), 40.0, edges=False).value
        self.assertAlmostEqual(float(value.mean()), 0.5, delta=0.01)
        self.assertAlmostEqual(float(value.std()), 12**-0.5, delta=0.01)


class Marks(TestCase):
    def test_speckle_covers_its_share_of_the_volume(self) -> None:
        # Delesse's principle: share of a cut = share of the volume; balls of diameter 1 in a share p of unit cubes,
        # overlaps by chance (Boolean model): 1 - exp(-p pi / 6) within a few per cent, since at most one lies in a
        # cube.
        for amount in (0.1, 0.5):
            share = np.mean(
                [
                    speckle(sheet(3.0, 400) + np.float32(k), 30.0, amount=amount, vary=0.0, soft=0.02).mean()
                    for k in range(8)
                ]
            )
            self.assertAlmostEqual(share / (1 - np.exp(-amount * np.pi / 6)), 1.0, delta=0.08)

    def test_scratches_run_along_their_direction(self) -> None:
        count = 600
        points = sheet(0.6, count)
        up = np.tile(np.array([[0, 0, 1]], np.float32), (len(points), 1))
        values = scratches(points, up, 80.0, 2.0, per_cube=2.0, along=np.array([1.0, 0, 0]), spread=0.0).reshape(
            count, count
        )
        self.assertGreater(float(values.max()), 0.5)
        # They hardly change along x and much along y.
        self.assertLess(
            float(np.abs(np.diff(values, axis=1)).sum()), 0.35 * float(np.abs(np.diff(values, axis=0)).sum())
        )
        every = scratches(points, up, 80.0, 2.0, per_cube=2.0).reshape(count, count)
        ratio = float(np.abs(np.diff(every, axis=1)).sum() / np.abs(np.diff(every, axis=0)).sum())
        self.assertTrue(0.6 < ratio < 1.6)

    def test_thin_scratches_get_fainter_not_fewer(self) -> None:
        points = sheet(0.6, 400)
        up = np.tile(np.array([[0, 0, 1]], np.float32), (len(points), 1))
        wide = scratches(points, up, 80.0, 3.0, texel_mm=1.5)
        thin = scratches(points, up, 80.0, 0.3, texel_mm=1.5)
        self.assertTrue(0 < float(thin.max()) < 0.3 * float(wide.max()))
        self.assertGreater(float((thin > 0).mean()), 0.3 * float((wide > 0).mean()))


class PiecesOf(TestCase):
    def test_one_value_a_piece(self) -> None:
        points = cloud(20000, 1.0)
        owner = (points[:, 0] * 5).astype(int)
        found = by_number(owner, [11, 22, 33, 44, 55], points, 3)
        for k in range(5):
            self.assertEqual(len(set(found.value()[owner == k].tolist())), 1)
        # Drawn from the number, not from the place in the list.
        other = by_number(owner, [55, 22, 33, 44, 11], points, 3)
        self.assertEqual(found.value()[owner == 0][0], other.value()[owner == 4][0])
        self.assertAlmostEqual(float(found.tilt()[owner == 2].mean()), 0.5, delta=0.05)

    def test_tiles_and_cells(self) -> None:
        points = cloud(40000, 2.0)
        tiles = by_box(points, 100.0, 0.5, 1)
        values = tiles.value()
        self.assertAlmostEqual(float(values.mean()), 0.5, delta=0.02)
        # The mean of three even numbers has a third of their variance: 1/36.
        self.assertAlmostEqual(float(tiles.offset().std()), 1 / 6, delta=0.01)
        same = np.floor(points[:, 1] * 10).astype(int) % 2 == 0
        box = np.floor(points[same] * 10).astype(int)
        _, rows = np.unique(box, axis=0, return_inverse=True)
        rows = np.asarray(rows).reshape(-1)
        self.assertTrue(all(len(set(values[same][rows == k].tolist())) == 1 for k in range(10)))
        self.assertGreater(len(set(by_cell(points, 300.0, 1).value().tolist())), 200)


class Lattice(TestCase):
    def test_a_place_and_its_mirror_image_differ(self) -> None:
        # In a plane through the origin: else a flat panel that stands there would look the same upside down.
        points = np.random.default_rng(0).uniform(-2, 2, (20000, 3)).astype(np.float32)
        points[:, 2] = 0.0
        here, there = cells(points, 100.0, jitter=0.0), cells(-points, 100.0, jitter=0.0)
        self.assertLess(float((here.number == there.number).mean()), 0.01)


class Pictures(TestCase):
    def test_read_bilinearly_and_repeating(self) -> None:
        image = np.random.default_rng(1).random((16, 24)).astype(np.float32)
        u, v = np.random.default_rng(2).uniform(-2, 3, (2, 500))
        other = map_coordinates(image, [v * 16 - 0.5, u * 24 - 0.5], order=1, mode="grid-wrap")
        np.testing.assert_allclose(repeated(image, u, v), other, atol=1e-4)

    def test_broken_repetition(self) -> None:
        # The picture's own period no longer shows in the autocorrelation, while mean and contrast stay.
        image = gaussian_filter(np.random.default_rng(3).random((64, 64)), 2.0, mode="wrap").astype(np.float32)
        image = (image - image.min()) / (image.max() - image.min())
        u, v = (x.ravel() for x in np.meshgrid(np.arange(0, 8, 1 / 64), np.arange(0, 8, 1 / 64)))
        plain, broken = (repeated(image, u, v, broken=b).reshape(512, 512) for b in (False, True))

        def period(field: np.ndarray) -> float:
            return float(np.corrcoef(field[:, :-64].ravel(), field[:, 64:].ravel())[0, 1])

        self.assertGreater(period(plain), 0.99)
        self.assertLess(period(broken), 0.2)
        self.assertAlmostEqual(float(broken.mean()), float(plain.mean()), delta=0.02)
        self.assertAlmostEqual(float(broken.std() / plain.std()), 1.0, delta=0.2)

    def test_reduced_keeps_the_mean(self) -> None:
        image = np.random.default_rng(4).random((64, 48)).astype(np.float32)
        small = reduced(image, 5.0)
        self.assertEqual(small.shape, (16, 12))
        self.assertAlmostEqual(float(small.mean()), float(image.mean()), places=5)

    def test_from_three_sides(self) -> None:
        n = np.random.default_rng(5).normal(size=(5000, 3))
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        image = np.random.default_rng(6).random((16, 16)).astype(np.float32)
        points = np.random.default_rng(7).uniform(0, 1, (5000, 3))
        values = on_sides(image, points, n)
        # Continuous over edges: a small turn of the normal changes it little.
        turned = n + np.random.default_rng(8).normal(scale=1e-4, size=n.shape)
        turned /= np.linalg.norm(turned, axis=1, keepdims=True)
        self.assertLess(float(np.abs(on_sides(image, points, turned) - values).max()), 0.05)
        # Looked at straight it is the picture, upright and unmirrored: from the front x runs right and y up.
        front = np.tile([[0.0, 0.0, 1.0]], (5000, 1))
        np.testing.assert_allclose(
            on_sides(image, points, front), repeated(image, points[:, 0], -points[:, 1]), atol=1e-4
        )
        np.testing.assert_allclose(
            on_sides(image, points, -front), repeated(image, -points[:, 0], -points[:, 1]), atol=1e-4
        )


class LeftOut(TestCase):
    def test_against_integration(self) -> None:
        for mean in (-0.6, 0.1, 0.5, 1.3):
            for deviation in (0.05, 0.4, 2.0):

                def density(z: float) -> float:
                    return float(np.exp(-0.5 * z * z) / np.sqrt(2 * np.pi))

                def value(z: float, m: float = mean, s: float = deviation) -> float:
                    return float(np.clip(m + s * z, 0, 1)) * density(z)

                wanted = quad(value, -8, 8, points=[-mean / deviation, (1 - mean) / deviation], limit=200)[0]
                got = clipped(np.array([mean], np.float32), deviation)
                each = clipped(np.array([mean], np.float32), np.array([deviation], np.float32))
                self.assertAlmostEqual(float(got[0]), wanted, delta=2e-3)
                self.assertEqual(float(each[0]), float(got[0]))
                # Mean of z times the clip, by the same integral.
                slope = quad(lambda z, m=mean, s=deviation: z * value(z, m, s), -8, 8, limit=200)[0]
                self.assertAlmostEqual(
                    deviation * float(inside(np.array([mean], np.float32), deviation)[0]), slope, delta=3e-3
                )

    def test_nothing_left_out_is_the_plain_clip(self) -> None:
        values = np.linspace(-1, 2, 31, dtype=np.float32)
        np.testing.assert_array_equal(clipped(values, 0.0), np.clip(values, 0, 1))
        self.assertEqual(left_out(100.0, 0.1, octaves=3), 0.0)
        self.assertEqual(left_out(1.0, 100.0, octaves=3), 1.0)

    def test_the_mean_of_a_clip_of_noise_keeps_where_octaves_are_left_out(self) -> None:
        points = np.random.default_rng(4).uniform(0, 4, (200_000, 3)).astype(np.float32)
        whole = np.clip(fractal(points, 60.0, octaves=5, gain=0.6, seed=9) * 0.8 - 0.9, 0, 1).mean()
        for texel in (8.0, 16.0, 25.0):
            coarse = fractal(points, 60.0, octaves=5, gain=0.6, seed=9, texel_mm=texel) * np.float32(0.8) - np.float32(
                0.9
            )
            kept = clipped(coarse, 0.8 * left_out(60.0, texel, octaves=5, gain=0.6)).mean()
            self.assertAlmostEqual(kept / whole, 1.0, delta=0.08)
            # What it is there for: without it a good part is missing.
            self.assertLess(np.clip(coarse, 0, 1).mean() / whole, 0.9)


class BrokenRepetition(TestCase):
    def test_a_clipped_picture_keeps_its_variance(self) -> None:
        random = np.random.default_rng(3)
        soft = gaussian_filter(random.normal(size=(256, 256)), 6, mode="wrap")
        u, v = (random.uniform(0, 40, 300_000).astype(np.float32) for _ in range(2))
        for level in (0.0, 0.5, 1.3):
            # A roughness that is its lowest value on 50, 69 and 90 % of the picture.
            picture = np.maximum(0.5 + 0.25 * soft / soft.std(), 0.5 + 0.25 * level).astype(np.float32)
            laid, plain = prepared(picture[:, :, None], broken=True), prepared(picture[:, :, None])
            ratio = lay_flat(laid, u, v, break_up=True, seed=1)[0].var() / lay_flat(plain, u, v)[0].var()
            self.assertAlmostEqual(float(ratio), 1.0, delta=0.035)
            # Where one patch alone shows, the plateau is what it was.
            self.assertAlmostEqual(
                float(np.quantile(lay_flat(laid, u, v, break_up=True, seed=1)[0], 0.02)), float(picture.min()), places=3
            )
