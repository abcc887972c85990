"""Detail carried over from a high-poly twin, on twins whose offsets and normals are known."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np

from demo import gate_hoist
from limus.readings.catalogue import READINGS
from limus.readings.measured import measure, stored
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.readings.surroundings import Surroundings
from limus.readings.twin import carry, partners, plain_name, stems
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from tests.core import shapes


def wavy(size: float, height: float, waves: float, steps: int = 161) -> Mesh:
    """A square with y = height sin(2 pi waves x / size), facing up."""
    x, z = np.meshgrid(np.linspace(-size / 2, size / 2, steps), np.linspace(size / 2, -size / 2, steps))
    y = height * np.sin(2 * np.pi * waves * x / size)
    return replace(shapes.grid(np.stack([x, y, z], axis=2), "wavy.glb", part="plane_high"), uv=None)


class Carrying(TestCase):
    def test_a_shifted_twin_is_found_at_its_distance(self) -> None:
        texels = Texels.of(shapes.box(0.3), 96)
        for size, sign in ((0.304, 1.0), (0.296, -1.0)):
            found = carry(texels, shapes.box(size))
            offset = ((found.position - texels.position) * texels.normal).sum(axis=1)
            middle = np.sort(np.abs(texels.position), axis=1)[:, 1] < 0.14
            self.assertFalse(found.missed[middle].any())
            np.testing.assert_allclose(offset[middle], sign * 0.002, atol=1e-5)
            # The distance was found: 2 mm and a quarter more.
            self.assertAlmostEqual(found.reach_m, 0.0025, delta=0.0003)

    def test_misses(self) -> None:
        texels = Texels.of(shapes.box(0.3), 64)
        far = carry(texels, shapes.box(0.304), 0.001)
        self.assertTrue(far.missed.all())
        np.testing.assert_array_equal(far.position, texels.position)
        self.assertFalse(
            carry(texels, shapes.box(0.304), 0.003).missed[np.sort(np.abs(texels.position), axis=1)[:, 1] < 0.14].any()
        )
        # A twin that lies exactly on the surface is found.
        self.assertLess(float(carry(texels, shapes.box(0.3)).missed.mean()), 0.05)

    def test_the_normal_of_a_wave(self) -> None:
        # y = a sin(k x): the normal is (-a k cos(k x), 1, 0), made unit; in the tangent space of the square x is the
        # tangent.
        size, height, waves = 0.2, 0.002, 4.0
        k = 2 * np.pi * waves / size
        texels = Texels.of(shapes.plane(size), 128)
        found = carry(texels, wavy(size, height, waves))
        got = found.tangent_normal(texels)
        slope = -height * k * np.cos(k * texels.position[:, 0])
        wanted = np.stack([slope, np.zeros_like(slope), np.ones_like(slope)], axis=1)
        wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
        inner = np.abs(texels.position).max(axis=1) < 0.095
        self.assertLess(float(np.abs(got[inner] - wanted[inner]).max()), 0.02)
        self.assertGreater(float(np.abs(wanted[:, 0]).max()), 0.2)

    def test_parts_look_for_their_own(self) -> None:
        # A plate with a bolt's plate close above it: matched by name each finds its own, unmatched the nearer one wins.
        low = shapes.joined(shapes.plane(0.3), shapes.plane(0.3))
        low.positions[low.triangles[low.parts[1].first :].ravel(), 1] = 0.004
        named = replace(low, parts=(replace(low.parts[0], name="plate_low"), replace(low.parts[1], name="bolt_low")))
        high = replace(low, positions=low.positions + np.float32([0, 0.003, 0]), uv=None)
        twin = replace(
            high, parts=(replace(high.parts[0], name="plate_high"), replace(high.parts[1], name="bolt_high"))
        )
        texels = Texels.of(named, 64)
        found = carry(texels, twin, 0.01)
        self.assertEqual(set(found.matched), {"plate_low", "bolt_low"})
        np.testing.assert_allclose((found.position - texels.position)[:, 1], 0.003, atol=1e-5)

    def test_letters_sunk_into_a_surface_count_as_its_skin(self) -> None:
        # A twin made of the same box and a lower one that stands out of it: under that, the outer skin is found; beside
        # it the box.
        texels = Texels.of(shapes.box(0.3), 96)
        letter = shapes.box(0.08, (0.0, 0.112, 0.0))
        twin = shapes.joined(shapes.box(0.3), letter)
        found = carry(texels, replace(twin, uv=None), 0.004)
        top = texels.normal[:, 1] > 0.9
        under = top & (np.abs(texels.position[:, [0, 2]]) < 0.035).all(axis=1)
        beside = top & (np.abs(texels.position[:, [0, 2]]).max(axis=1) > 0.045)
        offset = (found.position - texels.position)[:, 1]
        np.testing.assert_allclose(offset[under], 0.002, atol=1e-5)
        np.testing.assert_allclose(offset[beside], 0.0, atol=1e-5)
        # Not so far that it takes what hovers over it for its skin.
        hovering = shapes.joined(shapes.box(0.3), shapes.box(0.08, (0.0, 0.192, 0.0)))
        apart = carry(texels, replace(hovering, uv=None), 0.1)
        np.testing.assert_allclose((apart.position - texels.position)[under, 1], 0.0, atol=1e-5)

    def test_names(self) -> None:
        for name in ("Wheel_low", "wheel-HP", "Wheel high", "wheel", "wheelHP", "wheelLow", "WHEEL lowpoly"):
            self.assertEqual(plain_name(name), "wheel", name)
        self.assertEqual(stems("WHEEL_lowpoly_02.001"), ["wheel 02 001", "wheel 02", "wheel"])
        self.assertEqual((stems("low"), stems("7")), (["low"], ["7"]))
        self.assertEqual(plain_name("Bolt_low_02"), plain_name("bolt high 02"))
        for name in ("pillow", "billow", "thigh", "chip"):
            self.assertEqual(stems(name), [name])

    def test_who_belongs_to_whom(self) -> None:
        self.assertEqual(partners(["bolt_low_01", "bolt_low_02"], ["bolt_high_02", "bolt_high_01"]), [[1], [0]])
        # Pieces that an exporter numbered go to their whole; a number that only one side has does not matter.
        self.assertEqual(partners(["cover", "plate"], ["cover_high", "cover_high.001", "plate"]), [[0, 1], [2]])
        self.assertEqual(partners(["box 1", "box 2"], ["box_1_high", "box_1_high 2", "box_2_high"]), [[0, 1], [2]])
        self.assertEqual(partners(["wheel.001"], ["Wheel_high"]), [[0]])
        self.assertEqual(partners(["wheel"], ["door"]), [[]])

    def test_the_second_bolt_finds_the_second_bolt(self) -> None:
        # Two plates over each other under one name with numbers, the twins in the other order and each nearer to the
        # wrong one.
        low = shapes.joined(shapes.plane(0.3), shapes.plane(0.3))
        low.positions[low.triangles[low.parts[1].first :].ravel(), 1] = 0.004
        mesh = replace(
            low, parts=(replace(low.parts[0], name="bolt_low_01"), replace(low.parts[1], name="bolt_low_02"))
        )
        high = replace(low, positions=low.positions + np.float32([0, 0.003, 0]), uv=None)
        twin = replace(
            high, parts=(replace(high.parts[0], name="bolt_high_01"), replace(high.parts[1], name="bolt_high_02"))
        )
        texels = Texels.of(mesh, 48)
        np.testing.assert_allclose((carry(texels, twin, 0.01).position - texels.position)[:, 1], 0.003, atol=1e-5)


class Measuring(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_curvature_and_normal_come_from_the_twin(self) -> None:
        size = 0.2
        texels, twin = Texels.of(shapes.plane(size), 128), wavy(size, 0.003, 3.0)
        plan = RayPlan((8.0,), (30.0,), 30.0, 64)
        around = Surroundings(twin=twin)
        bare = measure(texels, plan, folder=self.folder)
        found = measure(texels, plan, folder=self.folder, around=around)
        self.assertEqual(float(np.abs(bare.curvature(8.0)).max()), 0.0)
        inner = np.abs(texels.position).max(axis=1) < 0.08
        crest = np.sin(2 * np.pi * 3 * texels.position[:, 0] / size)
        # At a crest of y = a sin(k x) the curvature is a k^2, H half of it, and the reading 3 H r / 8.
        wanted = 3 / 8 * (0.003 * (2 * np.pi * 3 / size) ** 2 / 2) * 0.008
        self.assertAlmostEqual(float(found.curvature(8.0)[inner & (crest > 0.98)].mean()), wanted, delta=0.006)
        self.assertAlmostEqual(float(found.curvature(8.0)[inner & (crest < -0.98)].mean()), -wanted, delta=0.006)
        # Troughs are more hidden than crests.
        self.assertGreater(
            float(found.occlusion(30.0)[inner & (crest < -0.98)].mean()),
            float(found.occlusion(30.0)[inner & (crest > 0.98)].mean()) + 0.01,
        )
        normal = found.normal
        assert normal is not None
        np.testing.assert_allclose(np.linalg.norm(normal, axis=1), 1.0, atol=1e-3)
        self.assertGreater(float(np.abs(normal[inner, 0]).max()), 0.2)
        # Kept on disk under a key of its own, and the misses can be looked at.
        again = stored(texels, plan, self.folder, around)
        assert again is not None
        self.assertEqual(again.table.tobytes(), found.table.tobytes())
        place = Place(texels, found, Setting())
        self.assertEqual(READINGS["missed"].missing(place), "")
        self.assertLess(float(READINGS["missed"].value(place, 0).mean()), 0.05)
        self.assertTrue(READINGS["missed"].missing(Place(texels, bare, Setting())))

    def test_the_demo_twin(self) -> None:
        texels = Texels.of(gate_hoist.build(), 256)
        twin = gate_hoist.build(twin=True)
        self.assertGreater(len(twin.triangles), len(texels.mesh.triangles))
        found = carry(texels, twin)
        self.assertEqual(len(found.matched), len(texels.mesh.parts))
        self.assertLess(float(texels.share(found.missed.astype(np.float32))), 0.05)
        # The letters stand 1.1 mm out of the cover.
        self.assertTrue(0.0011 < found.reach_m < 0.025, found.reach_m)
        letters = (texels.part == [p.name for p in texels.mesh.parts].index("cover")) & ~found.missed
        self.assertGreater(
            float(((found.position - texels.position) * texels.normal).sum(axis=1)[letters].max()), 0.0008
        )
