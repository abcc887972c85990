"""The mesh, its derived properties, and who lies beside whom."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from limus.common.errors import InputError
from limus.surface.adjacency import INSIDE, OPEN, SEAM, adjacency
from limus.surface.mesh import Mesh
from limus.surface.pyramid import coarser, texels_of
from limus.surface.tangents import corner_tangents, uv_gradients
from limus.surface.texels import Texels
from tests.core import shapes


class Properties(TestCase):
    def test_box(self) -> None:
        box = shapes.box(2.0)
        self.assertAlmostEqual(float(box.areas.sum()), 24.0, places=5)
        self.assertAlmostEqual(box.diagonal, np.sqrt(12.0), places=5)
        np.testing.assert_allclose(box.bounds, [[-1, -1, -1], [1, 1, 1]])
        self.assertEqual(len(np.unique(box.welded)), 8)

    def test_faces_point_outward(self) -> None:
        for mesh in (shapes.box(), shapes.sphere(0.5, 16)):
            centres = mesh.positions[mesh.triangles].mean(axis=1)
            self.assertGreater(float((centres * mesh.face_normals).sum(axis=1).min()), 0.0)

    def test_gauss_bonnet(self) -> None:
        # The angle missing around all points of a closed surface is 2 pi chi (do Carmo): 4 pi for anything like a ball.
        for mesh in (shapes.box(), shapes.sphere(0.5, 24)):
            total = np.zeros(int(mesh.welded.max()) + 1)
            p = mesh.positions.astype(np.float64)
            for k in range(3):
                a, b, c = (p[mesh.triangles[:, (k + j) % 3]] for j in range(3))
                u, v = b - a, c - a
                u /= np.linalg.norm(u, axis=1, keepdims=True)
                v /= np.linalg.norm(v, axis=1, keepdims=True)
                np.add.at(total, mesh.welded[mesh.triangles[:, k]], np.arccos(np.clip((u * v).sum(axis=1), -1, 1)))
            used = np.unique(mesh.welded[mesh.triangles])
            self.assertAlmostEqual(float((2 * np.pi - total[used]).sum()), 4 * np.pi, delta=0.01)

    def test_a_triangle_without_area_borrows_a_normal(self) -> None:
        mesh = shapes.plane()
        p = np.concatenate([mesh.positions, mesh.positions[:1], mesh.positions[:1], mesh.positions[:1]])
        n = np.concatenate([mesh.normals, mesh.normals[:1], mesh.normals[:1], mesh.normals[:1]])
        flat = Mesh(p, n, np.concatenate([mesh.triangles, [[4, 5, 6]]]).astype(np.int32), parts=mesh.parts)
        np.testing.assert_allclose(flat.face_normals[-1], [0, 1, 0], atol=1e-6)

    def test_key_follows_the_surface(self) -> None:
        box = shapes.box()
        self.assertEqual(box.key, shapes.box().key)
        self.assertNotEqual(box.key, shapes.box(1.001).key)
        assert box.uv is not None
        moved = Mesh(box.positions, box.normals, box.triangles, box.uv + np.float32(0.001), parts=box.parts)
        self.assertNotEqual(box.key, moved.key)

    def test_parts_by_name(self) -> None:
        two = shapes.joined(shapes.box(), shapes.sphere(0.1, 8))
        self.assertEqual(two.part_index("sphere 2"), 1)
        self.assertEqual(set(np.unique(two.triangle_part)), {0, 1})
        with self.assertRaises(InputError) as caught:
            two.part_index("wheel")
        self.assertIn("box 1, sphere 2", caught.exception.line)


class Neighbours(TestCase):
    def test_box_has_twelve_seams(self) -> None:
        near = adjacency(shapes.box())
        self.assertEqual(int((near.kind == SEAM).sum()), 24)
        self.assertEqual(int((near.kind == INSIDE).sum()), 12)
        self.assertEqual(int((near.kind == OPEN).sum()), 0)

    def test_twins_know_each_other(self) -> None:
        near = adjacency(shapes.sphere(0.5, 16))
        t, e = np.nonzero(near.twin >= 0)
        back = near.twin[near.twin[t, e], near.twin_edge[t, e]]
        np.testing.assert_array_equal(back, t)

    def test_an_open_sheet_has_borders(self) -> None:
        near = adjacency(shapes.plane())
        self.assertEqual(int((near.kind == OPEN).sum()), 4)
        self.assertEqual(int((near.twin < 0).sum()), 4)

    def test_three_faces_on_one_edge_do_not_confuse_it(self) -> None:
        a = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]])
        fins = [(a @ turn, shapes.cell(k, 0, 3, 1)) for k, turn in enumerate(_turns())]
        mesh = shapes.from_faces(fins)
        near = adjacency(mesh)
        self.assertEqual(len(near.twin), 6)
        self.assertGreater(len(Texels.of(mesh, 64).stencil), 0)

    def test_inner_neighbours_lie_one_step_away(self) -> None:
        texels = Texels.of(shapes.plane(0.5), 64)
        near, n = texels.stencil, len(texels)
        for side in (0, 1):
            # At the border of an open sheet a texel is its own neighbour.
            inside = (near[:, side] < n) & (near[:, side] != np.arange(n))
            self.assertGreater(int(inside.sum()), n * 0.9)
            step = np.linalg.norm(texels.position[near[inside, side]] - texels.position[inside], axis=1) * 1000
            np.testing.assert_allclose(step, texels.step_of_triangle[texels.triangle[inside], 0], rtol=1e-3)

    def test_an_open_border_goes_on_as_it_is(self) -> None:
        texels = Texels.of(shapes.plane(0.5), 32)
        field = texels.position[:, 0].copy()
        extended = texels.extend(field)
        rim = texels.stencil >= len(texels)
        np.testing.assert_allclose(extended[texels.stencil[rim]], np.repeat(field[:, None], 4, axis=1)[rim], atol=1e-6)


def _turns() -> list[np.ndarray]:
    out = []
    for angle in (0.0, 2.0, 4.0):
        c, s = np.cos(angle), np.sin(angle)
        out.append(np.array([[1, 0, 0], [0, c, s], [0, -s, c]]))
    return out


class Frames(TestCase):
    def test_gradients_of_the_mapping(self) -> None:
        along_u, along_v = uv_gradients(shapes.plane(0.5))
        # The square covers 0.96 of the picture in each direction; u runs along +x, v along +z.
        np.testing.assert_allclose(along_u, np.tile([0.5 / 0.96, 0, 0], (2, 1)), atol=1e-6)
        np.testing.assert_allclose(along_v, np.tile([0, 0, 0.5 / 0.96], (2, 1)), atol=1e-6)

    def test_tangents_are_unit_and_across_the_normal(self) -> None:
        mesh = shapes.sphere(0.5, 24)
        tangent, hand = corner_tangents(mesh)
        normal = mesh.normals[mesh.triangles]
        np.testing.assert_allclose(np.linalg.norm(tangent, axis=2), 1.0, atol=1e-5)
        self.assertLess(float(np.abs((tangent * normal).sum(axis=2)).max()), 1e-4)
        self.assertTrue((hand == 1).all())

    def test_tangents_are_shared_inside_an_island(self) -> None:
        mesh = shapes.sphere(0.5, 24)
        tangent, _ = corner_tangents(mesh)
        corner = {}
        for t, triangle in enumerate(mesh.triangles):
            for k, v in enumerate(triangle):
                corner.setdefault(int(v), []).append(tangent[t, k])
        for vectors in corner.values():
            np.testing.assert_allclose(vectors, np.broadcast_to(vectors[0], (len(vectors), 3)), atol=1e-5)

    def test_no_uv_area_still_gives_a_frame(self) -> None:
        mesh = shapes.plane()
        flat = Mesh(mesh.positions, mesh.normals, mesh.triangles, np.full((4, 2), 0.5, np.float32), parts=mesh.parts)
        tangent, _ = corner_tangents(flat)
        np.testing.assert_allclose(np.linalg.norm(tangent, axis=2), 1.0, atol=1e-5)


class SeveralMapSets(TestCase):
    def setUp(self) -> None:
        two = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.4, 0, 0)))
        parts = tuple(p.__class__(p.name, p.first, p.count, k) for k, p in enumerate(two.parts))
        assert two.uv is not None
        # Each box fills a picture of its own.
        uv = np.stack([(two.uv[:, 0] * 2) % 1.0, two.uv[:, 1]], axis=1)
        self.mesh = Mesh(
            two.positions, two.normals, two.triangles, uv.astype(np.float32), parts=parts, uv_domains=("left", "right")
        )

    def test_all_of_them_lie_in_one_field(self) -> None:
        texels = Texels.of(self.mesh, 64)
        self.assertEqual(texels.pages, 2)
        page, _, _ = texels.page_xy
        np.testing.assert_array_equal(page == 1, texels.position[:, 0] > 0.2)
        self.assertAlmostEqual(texels.share((page == 1).astype(np.float32)), 0.5, places=3)

    def test_images_come_one_per_map_set(self) -> None:
        texels = Texels.of(self.mesh, 64)
        images = texels.image((texels.position[:, 0] > 0.2).astype(np.float32))
        self.assertEqual(images.shape, (2, 64, 64))
        self.assertEqual((float(images[0].max()), float(images[1].min())), (0.0, 1.0))

    def test_export_has_a_material_each(self) -> None:
        from limus.formats.gltf_write import glb_bytes

        raw = glb_bytes(self.mesh)
        self.assertIn(b'"name":"left"', raw)
        self.assertIn(b'"material":1', raw)


class Pyramid(TestCase):
    def test_kept_and_halved(self) -> None:
        mesh = shapes.box(0.31)
        first = texels_of(mesh, 64)
        self.assertIs(first, texels_of(mesh, 64))
        self.assertEqual(coarser(first).size, 32)
        self.assertIs(coarser(first).mesh, mesh)

    def test_share_counts_area_and_parts(self) -> None:
        texels = Texels.of(shapes.box(0.2), 64)
        top = (texels.normal[:, 1] > 0.9).astype(np.float32)
        self.assertAlmostEqual(texels.share(top), 1 / 6, delta=0.004)
        self.assertAlmostEqual(texels.share(top, top), 1.0, places=5)
        self.assertEqual(texels.share(top, np.zeros_like(top)), 0.0)
