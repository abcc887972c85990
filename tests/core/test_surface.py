"""Texels, seams, blur and normals."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from scipy import ndimage

from limus.common.errors import InputError
from limus.patterns.noise import fractal
from limus.surface.adjacency import SEAM, adjacency
from limus.surface.blur import blur
from limus.surface.gradient import normal_from_relief
from limus.surface.mesh import Mesh
from limus.surface.tangents import corner_tangents
from limus.surface.texels import Texels
from limus.surface.uv_health import uv_health
from limus.surface.walk import surface_gradient
from tests.core import shapes


class Rasterising(TestCase):
    def test_area_of_texels_is_the_area_of_the_surface(self) -> None:
        for mesh in (shapes.box(0.3), shapes.sphere(0.1, 64), shapes.cylinder()):
            texels = Texels.of(mesh, 512)
            self.assertAlmostEqual(texels.total_area / float(mesh.areas.sum()), 1.0, delta=0.01)

    def test_positions_lie_on_the_surface(self) -> None:
        texels = Texels.of(shapes.sphere(0.5, 96), 256)
        np.testing.assert_allclose(np.linalg.norm(texels.position, axis=1), 0.5, atol=4e-4)
        along = (texels.position / np.linalg.norm(texels.position, axis=1, keepdims=True) * texels.normal).sum(axis=1)
        self.assertGreater(float(along.min()), 0.995)

    def test_row_zero_is_v_zero(self) -> None:
        mesh = shapes.plane()
        assert mesh.uv is not None
        upper = Mesh(mesh.positions, mesh.normals, mesh.triangles, mesh.uv * [1, 0.4], parts=mesh.parts)
        texels = Texels.of(upper.__class__(**{**upper.__dict__, "uv": upper.uv.astype(np.float32)}), 64)  # type: ignore[union-attr]
        rows = texels.pixel // 64
        self.assertLess(int(rows.max()), 26)

    def test_overlap_goes_to_the_first_triangle(self) -> None:
        same = [shapes.cell(0, 0, 1, 1)] * 6
        texels = Texels.of(shapes.box(1.0, uv_of=same), 64)
        self.assertLessEqual(set(np.unique(texels.triangle)), {0, 1})

    def test_uvs_outside_are_brought_back(self) -> None:
        mesh = shapes.plane()
        assert mesh.uv is not None
        moved = Mesh(mesh.positions, mesh.normals, mesh.triangles, mesh.uv + np.float32(3.0), parts=mesh.parts)
        self.assertEqual(len(Texels.of(moved, 64)), len(Texels.of(mesh, 64)))

    def test_no_uvs_says_so(self) -> None:
        mesh = shapes.plane()
        with self.assertRaises(InputError) as caught:
            Texels.of(Mesh(mesh.positions, mesh.normals, mesh.triangles, parts=mesh.parts, source="cup.glb"), 64)
        self.assertIn("cup.glb", caught.exception.line)
        self.assertIn("TEXCOORD_0", caught.exception.line)

    def test_uvs_without_area_say_so(self) -> None:
        mesh = shapes.plane()
        with self.assertRaises(InputError):
            Texels.of(
                Mesh(mesh.positions, mesh.normals, mesh.triangles, np.zeros((4, 2), np.float32), parts=mesh.parts), 64
            )

    def test_resampling_keeps_a_linear_field(self) -> None:
        mesh = shapes.cylinder()
        fine, coarse = Texels.of(mesh, 256), Texels.of(mesh, 128)
        got = coarse.resample(fine.position[:, 1].copy(), fine)
        self.assertLess(float(np.abs(got - coarse.position[:, 1]).max()), 0.0035)
        up = fine.resample(coarse.position[:, 1].copy(), coarse)
        self.assertLess(float(np.abs(up - fine.position[:, 1]).max()), 0.0045)


class Seams(TestCase):
    def test_tube_has_one_seam(self) -> None:
        near = adjacency(shapes.cylinder())
        self.assertEqual(int(near.island.max()), 0)
        self.assertEqual(int((near.kind == SEAM).sum()), 2 * 16)

    def test_gutter_reads_across_the_seam(self) -> None:
        # The height along the tube and the angle around it, read one texel beyond the seam, go on as on the other side.
        texels = Texels.of(shapes.cylinder(), 256)
        extended = texels.extend(texels.position)
        near = texels.stencil
        for side in range(4):
            step = np.linalg.norm(extended[near[:, side]] - texels.position, axis=1)
            inside = near[:, side] < len(texels)
            seam = ~inside & (step > 1e-9)
            if seam.any():
                # The island is mapped at even density: one texel is about the same step everywhere.
                self.assertLess(float(step[seam].max()), 2.2 * float(np.median(step[inside])))
        self.assertTrue((near >= len(texels)).any())

    def test_no_seam_in_a_blurred_mask(self) -> None:
        # A mask blurred by 8 texels differs across a seam by no more than between neighbours inside an island.
        for mesh in (shapes.cylinder(), shapes.sphere(0.2, 64), shapes.box(0.3)):
            texels = Texels.of(mesh, 256)
            speckle = (fractal(texels.position, 25.0, octaves=3, seed=5) > 0.8).astype(np.float32)
            soft = blur(texels, speckle, 8.0 * texels.texel_mm)
            extended = texels.extend(soft)
            near = texels.stencil
            across = near >= len(texels)
            # At the poles of the sphere one texel is a sliver; a difference says nothing there.
            across &= (np.abs(texels.position[:, 1]) < 0.17)[:, None]
            change = np.abs(extended[near] - soft[:, None])
            self.assertGreater(across.sum(), 100)
            self.assertLessEqual(float(change[across].max()), float(change[~across].max()) * 1.02, mesh.source)

    def test_blur_without_the_gutter_would_fail_that_check(self) -> None:
        # The check above can fail: cut the link and the seam shows.
        texels = Texels.of(shapes.cylinder(), 256)
        speckle = (fractal(texels.position, 25.0, octaves=3, seed=5) > 0.8).astype(np.float32)
        image = texels.image(speckle, empty=0.0)[0]
        weight = ndimage.gaussian_filter(texels.image(np.ones_like(speckle), empty=0.0)[0], 8)
        cut = (ndimage.gaussian_filter(image, 8) / np.maximum(weight, 1e-6)).ravel()[texels.pixel].astype(np.float32)
        extended = texels.extend(cut)
        near = texels.stencil
        across = near >= len(texels)
        change = np.abs(extended[near] - cut[:, None])
        self.assertGreater(float(np.quantile(change[across], 0.99)), 1.5 * float(np.quantile(change[~across], 0.999)))

    def test_blur_equals_a_gaussian_away_from_seams(self) -> None:
        # Against scipy.ndimage on a flat square.
        texels = Texels.of(shapes.plane(0.2), 256)
        field = (fractal(texels.position, 30.0, octaves=4, seed=2) > 0.3).astype(np.float32)
        for sigma in (1.5, 4.0, 10.0):
            got = texels.image(blur(texels, field, sigma * float(texels.step_of_triangle[0, 0])), empty=0.0)[0]
            wanted = ndimage.gaussian_filter(texels.image(field, empty=0.0)[0], sigma)
            inner = (slice(64, 192), slice(64, 192))
            self.assertLess(float(np.abs(got[inner] - wanted[inner]).max()), 0.03, sigma)

    def test_blur_keeps_the_mean(self) -> None:
        texels = Texels.of(shapes.box(0.3), 128)
        field = (texels.position[:, 0] > 0.05).astype(np.float32)
        self.assertAlmostEqual(texels.share(blur(texels, field, 6.0)), texels.share(field), delta=0.01)


class Normals(TestCase):
    def test_slope_of_a_ramp(self) -> None:
        # Relief rising by 1 mm over 10 mm along +x of a level square: the normal leans by atan(0.1) towards -x.
        texels = Texels.of(shapes.plane(0.2), 128)
        relief = texels.position[:, 0] * 1000 * 0.1
        n = normal_from_relief(texels, relief)
        bitangent = np.cross(texels.normal, texels.tangent[:, :3]) * texels.tangent[:, 3:]
        world = texels.tangent[:, :3] * n[:, :1] + bitangent * n[:, 1:2] + texels.normal * n[:, 2:]
        inner = np.abs(texels.position).max(axis=1) < 0.09
        wanted = np.array([-0.1, 1.0, 0.0]) / np.hypot(0.1, 1.0)
        np.testing.assert_allclose(world[inner], np.broadcast_to(wanted, (inner.sum(), 3)), atol=2e-3)

    def test_mirrored_uvs_give_the_same_world_normal(self) -> None:
        mesh = shapes.plane(0.2)
        assert mesh.uv is not None
        mirrored = Mesh(
            mesh.positions,
            mesh.normals,
            mesh.triangles,
            (mesh.uv * [-1, 1] + [1, 0]).astype(np.float32),
            parts=mesh.parts,
        )
        for m, hand in ((mesh, 1.0), (mirrored, -1.0)):
            texels = Texels.of(m, 64)
            self.assertTrue((texels.tangent[:, 3] == hand).all())
            n = normal_from_relief(texels, texels.position[:, 2] * 100)
            bitangent = np.cross(texels.normal, texels.tangent[:, :3]) * texels.tangent[:, 3:]
            world = texels.tangent[:, :3] * n[:, :1] + bitangent * n[:, 1:2] + texels.normal * n[:, 2:]
            self.assertAlmostEqual(float(np.median(world[:, 2])), -0.1 / np.hypot(0.1, 1), places=3)

    def test_reoriented_normal_mapping(self) -> None:
        # Barre-Brisebois and Hill 2012: flat detail keeps the base, flat base gives the detail, the result has unit
        # length.
        texels = Texels.of(shapes.plane(0.2), 64)
        rng = np.random.default_rng(1)
        base = rng.normal(size=(len(texels), 3)).astype(np.float32) * [0.3, 0.3, 0.05] + [0, 0, 1]
        base = (base / np.linalg.norm(base, axis=1, keepdims=True)).astype(np.float32)
        flat = np.zeros(len(texels), np.float32)
        np.testing.assert_allclose(normal_from_relief(texels, flat, base), base, atol=2e-6)
        bumpy = fractal(texels.position, 20.0, seed=3)
        detail = normal_from_relief(texels, bumpy)
        both = normal_from_relief(texels, bumpy, base)
        np.testing.assert_allclose(np.linalg.norm(both, axis=1), 1.0, atol=1e-5)
        self.assertGreater(float(np.abs(both - detail).max()), 0.05)

    def test_tangents_follow_gltf(self) -> None:
        # u to the right and v down the picture, seen from outside: the bitangent cross(n, t) * w points up the picture.
        mesh = shapes.plane()
        tangent, hand = corner_tangents(mesh)
        np.testing.assert_allclose(tangent.reshape(-1, 3), np.tile([1, 0, 0], (6, 1)), atol=1e-6)
        self.assertTrue((hand == 1).all())
        up = np.cross([0, 1, 0], [1, 0, 0]) * hand[0]
        np.testing.assert_allclose(up, [0, 0, -1])  # towards smaller v, which is -z here

    def test_tangents_of_the_file_win(self) -> None:
        mesh = shapes.plane()
        given = np.tile(np.array([0, 0, -1, -1], np.float32), (4, 1))
        texels = Texels.of(Mesh(mesh.positions, mesh.normals, mesh.triangles, mesh.uv, given, parts=mesh.parts), 16)
        np.testing.assert_allclose(texels.tangent, np.tile([0, 0, -1, -1], (len(texels), 1)), atol=1e-6)


class Health(TestCase):
    def test_clean_box(self) -> None:
        health = uv_health(shapes.box(1.0), 256)
        self.assertEqual((health.islands, health.zero_area), (6, 0))
        self.assertLess(health.overlapping, 0.001)
        self.assertEqual((health.outside, health.flipped), (0.0, 0.0))

    def test_faults_are_counted(self) -> None:
        same = uv_health(shapes.box(1.0, uv_of=[shapes.cell(0, 0, 1, 1)] * 6), 128)
        self.assertGreater(same.overlapping, 0.9)
        out = uv_health(
            shapes.box(1.0, uv_of=[shapes.cell(k % 3, k // 3, 3, 2) + (2.3 if k == 0 else 0.0) for k in range(6)]), 128
        )
        self.assertAlmostEqual(out.outside, 1 / 6, delta=0.001)
        flipped = uv_health(
            shapes.box(1.0, uv_of=[shapes.cell(k % 3, k // 3, 3, 2)[:: -1 if k == 0 else 1] for k in range(6)]), 128
        )
        self.assertAlmostEqual(flipped.flipped, 1 / 6, delta=0.001)
        mesh = shapes.plane()
        self.assertFalse(uv_health(Mesh(mesh.positions, mesh.normals, mesh.triangles, parts=mesh.parts)).present)


class Borders(TestCase):
    def test_an_open_border_leans_as_the_rest(self) -> None:
        # A sheet that rises by a quarter: also where a texel has a neighbour on one side only.
        for steps in ((1.0, 0.0), (0.0, 1.0), (0.7, -0.7)):
            texels = Texels.of(shapes.plane(0.2), 64)
            slope = 0.25 * (texels.position[:, 0] * steps[0] + texels.position[:, 2] * steps[1])
            n = normal_from_relief(texels, (slope * 1000).astype(np.float32))
            bitangent = np.cross(texels.normal, texels.tangent[:, :3]) * texels.tangent[:, 3:]
            world = texels.tangent[:, :3] * n[:, :1] + bitangent * n[:, 1:2] + texels.normal * n[:, 2:]
            leaning = np.hypot(world[:, 0], world[:, 2]) / world[:, 1]
            wanted = 0.25 * float(np.hypot(*steps))
            np.testing.assert_allclose(leaning, wanted, rtol=0.02)
            gradient = surface_gradient(texels, slope.astype(np.float32))
            np.testing.assert_allclose(np.linalg.norm(gradient, axis=1), wanted, rtol=0.02)
