"""Strokes: onto texels and vertices, across seams and not through walls, the same at every resolution."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image
from scipy.spatial import cKDTree

from limus.common.errors import InputError
from limus.common.store import Store
from limus.masks.hand.brushes import SHIPPED
from limus.masks.hand.painting import Canvas, dabs_of, footprint, painted
from limus.masks.hand.stroke import Brush, Mirror, Stroke, dab_count, lines_of, load_stroke, stroke_from
from limus.masks.hand.vertex_paint import VertexStroke, painted_colours, vertex_canvas
from limus.masks.sources.picks import Pick, Picks
from limus.masks.sources.strokes import Strokes
from limus.surface.mesh import Mesh
from limus.surface.picking import picked_triangles
from limus.surface.subdivide import subdivided
from limus.surface.texels import Texels
from limus.surface.unwrap import unwrapped
from tests.core import shapes


def straight(
    start: tuple[float, float, float],
    end: tuple[float, float, float],
    facing: tuple[float, float, float],
    count: int = 12,
) -> list[Any]:
    """Points of a straight stroke with full pressure."""
    share = np.linspace(0, 1, count)[:, None]
    path = np.array(start) * (1 - share) + np.array(end) * share
    return [(*map(float, p), *facing, 1.0, 0.0, 0.0) for p in path]


def stroke(points: list[Any], size_mm: float = 40.0, **more: Any) -> Stroke:
    brush = {"size_mm": size_mm, "hardness": 0.8, "pressure_flow": 0.0, **more.pop("brush", {})}
    return Stroke(brush=Brush(**brush), points=points, **more)


def area_mm2(texels: Texels, drawn: Stroke) -> float:
    """Real area that a stroke covers, weighted by how strongly."""
    rows, alpha = footprint(Canvas.of(texels), drawn)
    return float((texels.area[rows] * alpha).sum()) * 1e6


class Footprint(TestCase):
    def test_a_dab_covers_a_disc(self) -> None:
        # A hard dab of radius r on a plane covers pi r^2 (geometry).
        texels = Texels.of(shapes.plane(0.3), 256)
        for size in (20.0, 60.0):
            drawn = stroke([(0.01, 0.0, 0.02, 0, 1, 0, 1.0, 0.0, 0.0)], size, brush={"hardness": 1.0})
            self.assertAlmostEqual(area_mm2(texels, drawn) / (np.pi * (size / 2) ** 2), 1.0, delta=0.02)

    def test_it_touches_what_a_tree_of_points_finds(self) -> None:
        # Against scipy's cKDTree: on a plane everything within the radius, and nothing beyond it (and the rim of one
        # texel).
        texels = Texels.of(shapes.plane(0.3), 128)
        rows, _ = footprint(Canvas.of(texels), stroke([(0.03, 0, -0.02, 0, 1, 0, 1, 0, 0)], 50.0))
        near = set(cKDTree(texels.position).query_ball_point([0.03, 0, -0.02], 0.0249))
        far = set(cKDTree(texels.position).query_ball_point([0.03, 0, -0.02], 0.025 + texels.texel_mm / 1000))
        self.assertLessEqual(near - set(rows.tolist()), set())
        self.assertLessEqual(set(rows.tolist()), far)

    def test_it_goes_over_a_seam(self) -> None:
        # A cube has an island for each face; a dab in the middle of an edge covers both faces alike.
        texels = Texels.of(shapes.box(0.2), 1024)
        d = 2**-0.5
        rows, alpha = footprint(Canvas.of(texels), stroke([(0.1, 0.1, 0.0, d, d, 0, 1, 0, 0)], 60.0))
        side = texels.normal[rows, 0] > 0.9
        a, b = (float((texels.area[rows[m]] * alpha[m]).sum()) for m in (side, ~side))
        self.assertGreater(a, 0)
        self.assertAlmostEqual(a / b, 1.0, delta=0.03)
        # Each half disc: half of pi r^2 with the soft rim's mean radius.
        self.assertAlmostEqual((a + b) * 1e6 / (np.pi * 27**2), 1.0, delta=0.04)

    def test_it_does_not_come_out_behind_a_thin_wall(self) -> None:
        wall = shapes.box(1.0)
        thin = replace(wall, positions=wall.positions * np.array([0.3, 0.3, 0.002], np.float32))
        texels = Texels.of(thin, 256)
        for x in (0.0, 0.14):  # in the middle, and at the rim
            rows, _ = footprint(Canvas.of(texels), stroke([(x, 0, 0.001, 0, 0, 1, 1, 0, 0)], 80.0))
            self.assertGreater(len(rows), 100)
            self.assertFalse((texels.normal[rows, 2] < -0.5).any())
        through, _ = footprint(Canvas.of(texels), stroke([(0, 0, 0.001, 0, 0, 1, 1, 0, 0)], 80.0, reach="through"))
        back = texels.normal[through, 2] < -0.5
        front = texels.normal[through, 2] > 0.5
        self.assertAlmostEqual(back.sum() / front.sum(), 1.0, delta=0.05)
        only, _ = footprint(Canvas.of(texels), stroke([(0, 0, 0.001, 0, 0, 1, 1, 0, 0)], 80.0, reach="front"))
        self.assertTrue((texels.normal[only, 2] > 0).all())

    def test_what_hangs_together_or_all_that_faces(self) -> None:
        # Two plates side by side, one centimetre apart: "surface" stays on the one under the brush.
        two = Texels.of(shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.11, 0, 0))), 256)
        point = (0.045, 0.05, 0.0, 0, 1, 0, 1, 0, 0)
        one, _ = footprint(Canvas.of(two), stroke([point], 60.0))
        both, _ = footprint(Canvas.of(two), stroke([point], 60.0, reach="front"))
        self.assertLess(float(two.position[one, 0].max()), 0.051)
        self.assertGreater(float(two.position[both, 0].max()), 0.06)

    def test_mirrored(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 256)
        drawn = stroke(
            straight((0.03, 0, -0.05), (0.1, 0, 0.06), (0, 1, 0)), 20.0, mirror=Mirror(normal=(1, 0, 0), at=0.0)
        )
        rows, alpha = footprint(Canvas.of(texels), drawn)
        mask = np.zeros(len(texels), np.float32)
        mask[rows] = alpha
        right = texels.position[:, 0] > 0
        self.assertAlmostEqual(texels.share(mask * right) / texels.share(mask * ~right), 1.0, delta=0.01)

    def test_pressure_tilt_and_turn(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 256)
        hard = area_mm2(texels, stroke([(0, 0, 0, 0, 1, 0, 1.0, 0, 0)], brush={"pressure_size": 1.0, "hardness": 1.0}))
        light = area_mm2(texels, stroke([(0, 0, 0, 0, 1, 0, 0.5, 0, 0)], brush={"pressure_size": 1.0, "hardness": 1.0}))
        self.assertAlmostEqual(light / hard, 0.25, delta=0.02)
        faint = area_mm2(texels, stroke([(0, 0, 0, 0, 1, 0, 0.5, 0, 0)], brush={"pressure_flow": 1.0, "hardness": 1.0}))
        self.assertAlmostEqual(faint / hard, 0.5, delta=0.02)
        flat = area_mm2(texels, stroke([(0, 0, 0, 0, 1, 0, 1.0, 45, 0)], brush={"tilt_wide": 1.0, "hardness": 1.0}))
        self.assertAlmostEqual(flat / hard, 2.0, delta=0.1)

        def extent(drawn: Stroke) -> np.ndarray:
            rows, _ = footprint(Canvas.of(texels), drawn)
            return np.ptp(texels.position[rows], axis=0)

        along = straight((-0.05, 0, -0.05), (0.05, 0, 0.05), (0, 1, 0), 2)
        square = {"shape": "square", "hardness": 1.0, "spacing": 4.0}
        plain = extent(stroke(along[:1], brush=square))
        turned = extent(stroke(along[:1], brush={**square, "angle_deg": 45.0}))
        self.assertAlmostEqual(float(turned[0] / plain[0]), 2**0.5, delta=0.08)
        # Along a diagonal stroke the square stands on its corner as well.
        follows = dabs_of(stroke(along, brush={**square, "turn": "stroke"}), texels.mesh)
        self.assertAlmostEqual(abs(float(follows.side[0] @ np.array([1, 0, 1]) / 2**0.5)), 1.0, places=4)

    def test_shapes(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 256)
        at = [(0, 0, 0, 0, 1, 0, 1, 0, 0)]
        area = {
            s: area_mm2(texels, stroke(at, brush={"shape": s, "hardness": 1.0}))
            for s in ("round", "square", "ragged", "picture")
        }
        self.assertAlmostEqual(area["square"] / 1600, 1.0, delta=0.03)
        self.assertAlmostEqual(area["picture"] / 1600, 1.0, delta=0.05)  # without a picture: all of its frame
        self.assertLess(area["ragged"], area["round"])
        self.assertGreater(area["ragged"], 0.2 * area["round"])
        with TemporaryDirectory() as folder:
            Image.fromarray((np.indices((64, 64))[1] < 32).astype(np.uint8) * 255).save(Path(folder) / "half.png")
            half = stroke(at, brush={"shape": "picture", "picture": "half.png", "hardness": 1.0})
            rows, alpha = footprint(Canvas.of(texels), half, lambda name: Path(folder) / name)
            self.assertAlmostEqual(float((texels.area[rows] * alpha).sum()) * 1e6 / 800, 1.0, delta=0.05)
            stamped = Canvas.of(texels)
            camera = half.model_copy(update={"facing": "camera"})
            self.assertEqual(len(footprint(stamped, camera, lambda name: Path(folder) / name)[0]), len(rows))

    def test_scatter_repeats_and_flow_builds_up(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 128)
        path = straight((-0.1, 0, 0), (0.1, 0, 0), (0, 1, 0))
        first = dabs_of(stroke(path, 10.0, brush={"scatter": 2.0, "seed": 4}), texels.mesh).middle
        self.assertEqual(
            first.tobytes(),
            dabs_of(stroke(path, 10.0, brush={"scatter": 2.0, "seed": 4}), texels.mesh).middle.tobytes(),
        )
        self.assertGreater(float(np.abs(first[:, 2]).max()), 0.005)
        faint = footprint(Canvas.of(texels), stroke(path, 20.0, brush={"flow": 0.1, "spacing": 1.0}))[1].max()
        dense = footprint(Canvas.of(texels), stroke(path, 20.0, brush={"flow": 0.1, "spacing": 0.1}))[1].max()
        self.assertAlmostEqual(float(faint), 0.1, delta=0.02)
        self.assertGreater(float(dense), 0.5)


class OnAnObject(TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def find(self, name: str) -> Path:
        return self.folder / name

    def write(self, *drawn: Stroke) -> list[str]:
        names = []
        for k, one in enumerate(drawn):
            names.append(f"{k}.json")
            (self.folder / names[-1]).write_text(one.model_dump_json())
        return names

    def ring(self, radius: float = 0.1) -> Stroke:
        """A stroke half round a ball, over its UV seam."""
        turn = np.linspace(-2.0, 2.0, 60)
        ways = np.stack([np.cos(turn), 0.4 * np.sin(2 * turn), np.sin(turn)], axis=1)
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        return stroke([(*map(float, radius * w), *map(float, w), 1.0, 0.0, 0.0) for w in ways], 36.0)

    def test_the_same_at_every_resolution(self) -> None:
        ball = shapes.sphere(0.1)
        names = self.write(self.ring())
        shares = []
        for size in (512, 2048):
            texels = Texels.of(ball, size)
            shares.append(texels.share(painted(texels, names, self.find, Store())[:, 0]))
        self.assertAlmostEqual(shares[0] / shares[1], 1.0, delta=0.01)

    def test_it_survives_new_uvs(self) -> None:
        # The painted area in mm2 is the same within 2 % when the model comes back unwrapped anew.
        ball = shapes.sphere(0.1)
        other = unwrapped(ball)
        drawn = self.ring()
        before, after = area_mm2(Texels.of(ball, 1024), drawn), area_mm2(Texels.of(other, 1024), drawn)
        self.assertAlmostEqual(after / before, 1.0, delta=0.02)

    def test_it_survives_another_up_and_unit(self) -> None:
        from limus.surface.axes import placed

        file = shapes.box(200.0)  # a cube in millimetres
        first = placed(file, 0.001, "+z")
        drawn = stroke([(0.0, 0.0, 0.1, 0, 0, 1, 1, 0, 0)], 40.0, scale=0.001)
        rows, _ = footprint(Canvas.of(Texels.of(first, 128)), drawn)
        self.assertTrue((Texels.of(first, 128).normal[rows, 1] > 0.9).all())
        grown = Texels.of(placed(file, 0.01, "+y"), 128)
        rows, alpha = footprint(Canvas.of(grown), drawn)
        self.assertTrue((grown.normal[rows, 2] > 0.9).all())
        self.assertAlmostEqual(float((grown.area[rows] * alpha).sum()) * 1e4, np.pi * 18.0**2, delta=40)

    def test_adding_and_taking(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 128)
        wide = stroke([(0, 0, 0, 0, 1, 0, 1, 0, 0)], 100.0, brush={"hardness": 1.0})
        small = stroke([(0, 0, 0, 0, 1, 0, 1, 0, 0)], 40.0, brush={"hardness": 1.0}, action="take")
        both = painted(texels, self.write(wide, small), self.find, Store())
        r = np.linalg.norm(texels.position[:, [0, 2]], axis=1) * 1000
        self.assertTrue((both[r < 16] == 0).all())
        self.assertTrue((both[(r > 24) & (r < 46), 0] == 1).all())
        self.assertTrue((both[r > 54, 1] == 1).all())
        source = Strokes(strokes=["0.json", "1.json"])
        self.assertEqual(source.files, ("0.json", "1.json"))

    def test_one_more_stroke_costs_only_itself(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 128)
        rng = np.random.default_rng(3)
        drawn = [
            stroke([(float(x), 0, float(z), 0, 1, 0, 1, 0, 0)], 12.0) for x, z in rng.uniform(-0.12, 0.12, (40, 2))
        ]
        names = self.write(*drawn)
        cache = Store()
        painted(texels, names[:-1], self.find, cache)
        for name in names[:-1]:
            self.find(name).unlink()  # what is kept is not read again
        grown = painted(texels, names, self.find, cache)
        whole = self.write(*drawn)
        self.assertEqual(grown.tobytes(), painted(texels, whole, self.find, Store()).tobytes())
        # Undo: the state before is still there.
        self.find(names[-1]).unlink()
        self.assertLess(painted(texels, names[:-1], self.find, cache)[:, 0].sum(), grown[:, 0].sum())

    def test_vertex_colours(self) -> None:
        coarse = shapes.plane(0.2)
        fine = subdivided(coarse, 8.0)
        drawn = stroke([(0.0, 0, 0.0, 0, 1, 0, 1, 0, 0)], 80.0)
        self.write(drawn, stroke([(0.0, 0, 0.0, 0, 1, 0, 1, 0, 0)], 30.0, action="take"))
        self.assertEqual(painted_colours(coarse, [VertexStroke(file="0.json")], self.find)[:, 0].max(), 0.0)
        red = painted_colours(fine, [VertexStroke(file="0.json"), VertexStroke(file="0.json", channel="B")], self.find)
        inside = np.linalg.norm(fine.positions, axis=1) < 0.03
        outside = np.linalg.norm(fine.positions, axis=1) > 0.041
        self.assertTrue((red[inside][:, [0, 2]] > 0.9).all())
        self.assertEqual(float(red[outside][:, :3].max()), 0.0)
        self.assertTrue((red[:, 1] == 0).all() and (red[:, 3] == 1).all())
        both = [VertexStroke(file="0.json"), VertexStroke(file="1.json")]
        imported = replace(fine, colours=np.full((len(fine.positions), 4), 0.5, np.float32))
        kept = painted_colours(imported, both, self.find)
        self.assertAlmostEqual(float(kept[outside][:, 0].max()), 0.5)
        self.assertEqual(float(kept[np.linalg.norm(fine.positions, axis=1) < 0.01, 0].max()), 0.0)

    def test_vertices_in_one_place_hang_together(self) -> None:
        mesh = subdivided(shapes.box(0.1), 6.0)
        d = 2**-0.5
        rows, _ = footprint(vertex_canvas(mesh), stroke([(0.05, 0.05, 0, d, d, 0, 1, 0, 0)], 40.0))
        self.assertTrue((mesh.normals[rows, 0] > 0.9).any() and (mesh.normals[rows, 1] > 0.9).any())

    def test_a_drawn_line(self) -> None:
        names = self.write(
            stroke(straight((0, 0, 0), (0.1, 0, 0), (0, 1, 0), 5)), stroke([(1.0, 0, 0, 0, 1, 0, 1, 0, 0)])
        )
        points, corners = lines_of(names, self.find, shapes.plane(0.3))
        self.assertEqual((len(points), len(corners)), (6, 5))
        self.assertEqual(corners[-1].tolist(), [5, 5, 5])


class Refusals(TestCase):
    def refused(self, document: Any, *words: str) -> None:
        with self.assertRaises(InputError) as caught:
            stroke_from(document)
        for word in words:
            self.assertIn(word, caught.exception.line)

    def test_each_with_its_field(self) -> None:
        good = stroke([(0, 0, 0, 0, 1, 0, 1, 0, 0)]).model_dump(mode="json")
        self.assertEqual(dab_count(stroke_from(good)), 1)
        self.refused({**good, "points": []}, "points")
        self.refused({**good, "points": [[0, 0, float("nan"), 0, 1, 0, 1, 0, 0]]}, "points[0][2]")
        self.refused({**good, "points": [[0, 0, 0, 0, 1, 0, 2.0, 0, 0]]}, "points[0][6]")
        for size in (0.0, 1e7):  # nothing, and ten kilometres
            self.refused({**good, "brush": {"size_mm": size}}, "brush.size_mm")
        self.refused({**good, "colour": 1}, "colour")

    def test_a_million_dabs(self) -> None:
        long = stroke(straight((0, 0, 0), (100.0, 0, 0), (0, 1, 0), 3), 1.0, brush={"spacing": 0.1}).model_dump(
            mode="json"
        )
        self.refused(long, "1000001 dabs", "brush.spacing", "larger brush")

    def test_files(self) -> None:
        with TemporaryDirectory() as folder:
            here = Path(folder)
            for text, word in (
                ("{", "not JSON"),
                ('{"points": [[NaN]]}', "NaN is not a number"),
                (json.dumps({"points": 3}), "points"),
            ):
                (here / "x.json").write_text(text)
                with self.assertRaises(InputError) as caught:
                    load_stroke("x.json", lambda name: here / name)
                self.assertIn(word, caught.exception.line)
            (here / "x.json").write_bytes(b"\xff\xfe")
            with self.assertRaises(InputError):
                load_stroke("x.json", lambda name: here / name)
            with self.assertRaises(InputError):
                load_stroke("gone.json", lambda name: here / name)


class Picking(TestCase):
    def rows(
        self,
        mesh: Mesh,
        what: str,
        at: tuple[float, float, float],
        facing: tuple[float, float, float],
        angle: float = 30.0,
    ) -> np.ndarray:
        texels = Texels.of(mesh, 64)
        return picked_triangles(mesh, texels.adjacency, what, np.array(at), np.array(facing), angle)

    def test_part_island_polygon_connected(self) -> None:
        two = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.3, 0, 0)))
        at, facing = (0.02, 0.05, 0.01), (0.0, 1.0, 0.0)
        self.assertEqual(len(self.rows(two, "part", at, facing)), 12)
        self.assertEqual(len(self.rows(two, "island", at, facing)), 2)
        self.assertEqual(len(self.rows(two, "polygon", at, facing)), 2)
        self.assertEqual(len(self.rows(two, "connected", at, facing, 89.0)), 2)
        self.assertEqual(len(self.rows(two, "connected", at, facing, 91.0)), 12)
        # From inside nothing faces that way at that place: the far wall does.
        self.assertEqual(len(self.rows(two, "part", at, (0.0, 0.0, 0.0))), 0)

    def test_up_to_an_angle_on_a_ball(self) -> None:
        ball = shapes.sphere(0.1)
        everything = self.rows(ball, "connected", (0.1, 0, 0), (1, 0, 0), 40.0)
        one = self.rows(ball, "connected", (0.1, 0, 0), (1, 0, 0), 0.5)
        self.assertEqual(len(everything), len(ball.triangles))
        self.assertLess(len(one), 8)

    def test_filling_and_emptying(self) -> None:
        from tests.core.test_masks import scope_of

        texels = Texels.of(shapes.box(0.2), 128)
        fill = Pick(what="part", at=(0.1, 0, 0), facing=(1, 0, 0))
        take = Pick(what="polygon", at=(0, 0.1, 0), facing=(0, 1, 0), take=True)
        source = Picks(picks=[fill, take])
        scope = scope_of(texels)
        value = source.value(scope)
        self.assertTrue((value == (texels.normal[:, 1] < 0.9)).all())
        white, hides = source.shown_over(scope)
        self.assertTrue((hides == 1).all())
        self.assertTrue((white == value).all())


class Shipped(TestCase):
    def test_every_brush_leaves_a_mark_of_its_own(self) -> None:
        texels = Texels.of(shapes.plane(0.3), 128)
        marks: dict[str, np.ndarray] = {}
        for name, shipped in SHIPPED.items():
            self.assertTrue(shipped.title and shipped.about)
            # Whatever the size of the hand, it is no business of the brush's.
            self.assertNotIn("size_mm", shipped.settings)
            drawn = stroke(straight((-0.1, 0, 0), (0.1, 0, 0), (0, 1, 0)), 40.0)
            drawn = drawn.model_copy(update={"brush": shipped.brush.model_copy(update={"size_mm": 40.0})})
            rows, alpha = footprint(Canvas.of(texels), drawn)
            field = np.zeros(len(texels), np.float32)
            field[rows] = alpha
            self.assertGreater(texels.share(field), 0.01, name)
            for other, mark in marks.items():
                self.assertGreater(float(np.abs(field - mark).mean()), 0.004, f"{name} and {other}")
            marks[name] = field
        # Stamps have room between them, the line has none and is even along its middle.
        middle = (np.abs(texels.position[:, 2]) < 0.004) & (np.abs(texels.position[:, 0]) < 0.08)
        self.assertLess(float(marks["stamp"][middle].min()), 0.02)
        self.assertGreater(float(marks["line"][middle].min()), 0.98)
