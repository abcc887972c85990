"""Which way a view moves each vertex: one way for all that meet, so that nothing tears open."""

from __future__ import annotations

import json
import struct
from dataclasses import replace
from unittest import TestCase

import numpy as np

from demo import pier_cap
from limus.formats.gltf_write import glb_bytes
from limus.surface.mesh import Mesh, Part
from limus.surface.outward import outward
from limus.surface.sheets import with_backs
from tests.core import shapes


def patches(*grids: np.ndarray) -> Mesh:
    """Grids of (rows, columns, 3) points as one mesh, none sharing a vertex with another; their faces look along rows
    x columns.
    """
    points, triangles, count = [], [], 0
    for grid in grids:
        rows, columns = grid.shape[:2]
        k = (np.arange(rows - 1)[:, None] * columns + np.arange(columns - 1)).reshape(-1) + count
        triangles += [np.stack([k, k + columns, k + 1], 1), np.stack([k + 1, k + columns, k + columns + 1], 1)]
        points.append(grid.reshape(-1, 3))
        count += rows * columns
    p, t = np.concatenate(points).astype(np.float32), np.concatenate(triangles).astype(np.int32)
    n = np.zeros_like(p)
    np.add.at(n, t.reshape(-1), np.repeat(np.cross(p[t[:, 1]] - p[t[:, 0]], p[t[:, 2]] - p[t[:, 0]]), 3, axis=0))
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    return Mesh(p, n, t, None, parts=(Part("all", 0, len(t), 0),), source="patches")


def level(columns: int) -> np.ndarray:
    """1 x 1 m facing up, cut into so many columns, from x = 0 to 1 and z = -1 to 0."""
    z, x = np.meshgrid(np.linspace(-1, 0, 5), np.linspace(0, 1, columns), indexing="ij")
    return np.stack([x, 0 * x, z], axis=2)


def wall(columns: int) -> np.ndarray:
    """1 x 1 m facing z, hanging down from the edge of the level at z = 0."""
    y, x = np.meshgrid(np.linspace(0, -1, 5), np.linspace(0, 1, columns), indexing="ij")
    return np.stack([x, y, 0 * x], axis=2)


class Outward(TestCase):
    def test_a_corner_of_a_cube_goes_along_its_diagonal(self) -> None:
        cube = shapes.box(1.0)
        way = outward(cube)
        middle = cube.bounds.mean(axis=0)
        np.testing.assert_allclose(way, np.sign(cube.positions - middle) / np.sqrt(3), atol=1e-5)

    def test_patches_cut_each_by_itself_go_the_same_way_where_they_meet(self) -> None:
        for columns in ((5, 5), (5, 9), (4, 8), (2, 30)):
            mesh = patches(level(columns[0]), wall(columns[1]))
            way = outward(mesh)
            edge = (np.abs(mesh.positions[:, 1]) < 1e-6) & (np.abs(mesh.positions[:, 2]) < 1e-6)
            self.assertEqual(int(edge.sum()), sum(columns))
            np.testing.assert_allclose(
                way[edge], np.broadcast_to([0, np.sqrt(0.5), np.sqrt(0.5)], (sum(columns), 3)), atol=2e-3
            )
            self.assertLess(float(np.abs(way[~edge] - mesh.normals[~edge]).max()), 1e-5)

    def test_both_sides_of_a_sheet_go_apart(self) -> None:
        sheet = with_backs(patches(level(5)), {"all"})
        way = outward(sheet)
        front = sheet.normals[:, 1] > 0
        self.assertEqual(int(front.sum()) * 2, len(way))
        np.testing.assert_allclose(way[:, 1], np.where(front, 1.0, -1.0), atol=1e-6)

    def test_boxes_side_by_side_do_not_part(self) -> None:
        one = shapes.box(1.0)
        two = replace(one, positions=one.positions + np.array([1, 0, 0], np.float32))
        both = Mesh(
            np.concatenate([one.positions, two.positions]), np.concatenate([one.normals, two.normals]),
            np.concatenate([one.triangles, two.triangles + len(one.positions)]), None,
            parts=(Part("one", 0, 12, 0), Part("two", 12, 12, 0)), source="boxes",
        )  # fmt: skip
        way = outward(both)
        x = both.positions[:, 0]
        # The sides that touch are not seen.
        seam = np.isclose(x, x[: len(one.positions)].max()) & (np.abs(both.normals[:, 0]) < 0.1)
        self.assertEqual(int(seam.sum()), 16)
        self.assertLess(float(np.abs(way[seam, 0]).max()), 1e-6)

    def test_always_a_unit_vector(self) -> None:
        flat = shapes.box(1.0)
        for mesh in (
            pier_cap.build(),
            replace(flat, positions=flat.positions * 0),
            patches(*(level(2 + k % 3) for k in range(40))),
        ):
            np.testing.assert_allclose(np.linalg.norm(outward(mesh), axis=1), 1.0, atol=1e-5)

    def test_the_top_of_the_pier_cap_is_one_skin(self) -> None:
        cap = pier_cap.build()
        way, p = outward(cap), cap.positions
        rim = np.isclose(p[:, 1], pier_cap.TOP, atol=1e-6)
        straight = (
            rim
            & (np.abs(np.abs(p[:, 2]) - (pier_cap.DEEP / 2 - 0.024)) < 1e-6)
            & (np.abs(np.abs(p[:, 0]) - 0.285) < 0.22)
        )
        self.assertGreater(int(straight.sum()), 50)
        out = way[straight] * np.sign(p[straight][:, 2])[:, None]
        self.assertGreater(float(out[:, 2].min()), 0.05)

    def test_the_view_is_told_and_deliveries_are_not(self) -> None:
        cube = shapes.box(1.0)

        def attributes(data: bytes) -> dict[str, int]:
            # glTF 2.0, "GLB File Format Specification": 12 bytes of header, then the chunk of JSON.
            (length,) = struct.unpack_from("<I", data, 12)
            document = json.loads(data[20 : 20 + length])
            found: dict[str, int] = document["meshes"][0]["primitives"][0]["attributes"]
            return found

        self.assertIn("_OUTWARD", attributes(glb_bytes(cube, outward=outward(cube))))
        self.assertNotIn("_OUTWARD", attributes(glb_bytes(cube)))
