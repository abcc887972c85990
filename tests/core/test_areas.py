"""Areas that markers and closed lines cover, against shapely, trimesh and the polygons' own areas."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
import shapely
import trimesh

from limus.common.store import Store
from limus.formats.gltf_write import glb_bytes
from limus.intake.object_file import Neighbour, ObjectFile
from limus.intake.preparation import beside_scene, surroundings
from limus.masks.hand.branching import twigs
from limus.masks.hand.stroke import Brush, Stroke
from limus.masks.source import Scope
from limus.masks.sources.proximity import ProximitySource
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.readings.surroundings import Surroundings
from limus.surface.areas import areas_of
from limus.surface.box_tree import box_tree
from limus.surface.inside import inside
from limus.surface.mesh import Mesh, Part
from limus.surface.texels import Texels
from tests.core import shapes


def mesh_of(*pieces: tuple[str, np.ndarray, np.ndarray]) -> Mesh:
    """Pieces (name, (V, 3) places in metres, (T, 3) triangles) as one bare mesh."""
    places, triangles, parts, base, done = [], [], [], 0, 0
    for name, points, faces in pieces:
        places.append(points)
        triangles.append(np.asarray(faces) + base)
        parts.append(Part(name, done, len(faces), 0))
        base += len(points)
        done += len(faces)
    positions = np.concatenate(places).astype(np.float32)
    return Mesh(
        positions=positions,
        normals=np.tile(np.float32([0, 1, 0]), (len(positions), 1)),
        triangles=np.concatenate(triangles).astype(np.int32),
        parts=tuple(parts),
    )


def sheet(
    name: str, outline: list[tuple[float, float]], height: float = 0.0, turned: bool = False
) -> tuple[str, np.ndarray, np.ndarray]:
    """A flat piece over (x, z), fanned out from its middle; ``turned``: it looks down."""
    ring = np.array([(x, height, z) for x, z in outline])
    points = np.concatenate([ring, ring.mean(axis=0, keepdims=True)])
    k = np.arange(len(ring))
    faces = np.stack([k, np.roll(k, -1), np.full(len(k), len(k))], axis=1)
    up = np.cross(points[faces[0, 1]] - points[faces[0, 0]], points[faces[0, 2]] - points[faces[0, 0]])[1] > 0
    return name, points, faces[:, ::-1] if up == turned else faces


def rectangle(x: float, z: float, w: float, d: float) -> list[tuple[float, float]]:
    return [(x, z), (x + w, z), (x + w, z + d), (x, z + d)]


def block(name: str, low: tuple[float, ...], high: tuple[float, ...]) -> tuple[str, np.ndarray, np.ndarray]:
    solid = trimesh.creation.box(bounds=(low, high))
    return name, np.asarray(solid.vertices), np.asarray(solid.faces)


STAR = [
    (float(r * np.cos(a)), float(r * np.sin(a)))
    for r, a in zip(np.tile([0.4, 0.18], 5), np.arange(10) * np.pi / 5, strict=True)
]


class Inside(TestCase):
    def test_against_trimesh(self) -> None:
        rng = np.random.default_rng(5)
        for solid in (
            trimesh.creation.torus(0.3, 0.1),
            trimesh.creation.annulus(0.1, 0.3, 0.2),
            trimesh.creation.icosphere(2, 0.3),
        ):
            points = rng.uniform(-0.45, 0.45, (4000, 3))
            found = inside(box_tree(solid.vertices, solid.faces), points)
            np.testing.assert_array_equal(found, solid.contains(points))
            self.assertGreater(int(found.sum()), 50)

    def test_rays_through_edges_and_corners_decide_nothing(self) -> None:
        # Points whose rays could run along edges of a box of whole numbers, its middle first of all.
        solid = trimesh.creation.box((2.0, 2.0, 2.0))
        grid = np.stack(np.meshgrid(*[np.linspace(-1.5, 1.5, 13)] * 3), axis=-1).reshape(-1, 3)
        clear = grid[(np.abs(np.abs(grid) - 1.0) > 1e-9).all(axis=1)]
        found = inside(box_tree(solid.vertices, solid.faces), clear)
        np.testing.assert_array_equal(found, (np.abs(clear) < 1.0).all(axis=1))


class Sheets(TestCase):
    def test_signed_distance_of_a_star_against_shapely(self) -> None:
        polygon = shapely.Polygon(STAR)
        rng = np.random.default_rng(1)
        xz = rng.uniform(-0.6, 0.6, (3000, 2))
        at = shapely.points(xz)
        wanted = shapely.distance(polygon, at) - np.where(
            shapely.contains(polygon, at), shapely.distance(polygon.exterior, at), 0.0
        )
        up = np.tile([0.0, 1.0, 0.0], (len(xz), 1))
        for turned in (False, True):
            areas = areas_of(mesh_of(sheet("star", STAR, turned=turned)), 0.03, 0.01)
            for height in (0.0, 0.029, -0.009):
                points = np.column_stack([xz[:, 0], np.full(len(xz), height), xz[:, 1]])
                np.testing.assert_allclose(areas.distance(points, up, 5.0), wanted, atol=2e-6)
            # Out of its heights nothing lies in it, and what is missing counts.
            points = np.column_stack([xz[:, 0], np.full(len(xz), 0.05), xz[:, 1]])
            over = areas.distance(points, up, 5.0)
            np.testing.assert_allclose(over[wanted < 0], 0.02, atol=1e-6)
            self.assertGreater(float(over.min()), 0.0199)

    def test_a_bend_is_no_border(self) -> None:
        # A roof of two slopes: a point over its ridge is nearest to the ridge and still over the sheet.
        ridge = mesh_of(
            (
                "roof",
                np.array([(-1, 0, -1), (-1, 0, 1), (0, 0.3, 1), (0, 0.3, -1), (1, 0, 1), (1, 0, -1)], float),
                np.array([(0, 1, 2), (0, 2, 3), (3, 2, 4), (3, 4, 5)]),
            )
        )
        over, beside = areas_of(ridge, 0.2, 0.0).over_sheets(np.array([[0.0, 0.4, 0.2], [0.0, 0.4, 1.3]]), 5.0)[0]
        self.assertEqual(over, 0.0)
        self.assertAlmostEqual(float(beside), 0.3, places=2)


class Together(TestCase):
    """What several pieces cover is one area: no line where they meet or overlap."""

    UP = np.array([[0.0, 1.0, 0.0]])

    def distance(self, mesh: Mesh, xz: np.ndarray) -> np.ndarray:
        points = np.column_stack([xz[:, 0], np.zeros(len(xz)), xz[:, 1]])
        return areas_of(mesh, 0.02, 0.02).distance(points, np.repeat(self.UP, len(points), axis=0), 2.0)

    def checked(self, mesh: Mesh, outline: shapely.Geometry, within: float) -> None:
        xz = np.random.default_rng(2).uniform(-0.8, 0.8, (4000, 2))
        at = shapely.points(xz)
        wanted = shapely.distance(outline, at) - np.where(
            shapely.contains(outline, at), shapely.distance(outline.boundary, at), 0.0
        )
        np.testing.assert_allclose(self.distance(mesh, xz), wanted, atol=within)

    def test_a_cross_of_two_sheets(self) -> None:
        one, two = rectangle(-0.6, -0.1, 1.2, 0.2), rectangle(-0.1, -0.6, 0.2, 1.2)
        cross = shapely.union(shapely.Polygon(one), shapely.Polygon(two))
        # What is left of a border is right to a 200th of its extent.
        self.checked(mesh_of(sheet("one", one), sheet("two", two)), cross, 0.01)

    def test_two_sheets_side_by_side(self) -> None:
        one, two = rectangle(-0.6, -0.2, 0.6, 0.4), rectangle(0.0, -0.2, 0.6, 0.4)
        self.checked(mesh_of(sheet("one", one), sheet("two", two)), shapely.box(-0.6, -0.2, 0.6, 0.2), 1e-5)

    def test_a_cross_of_two_blocks_one_of_them_inside_out(self) -> None:
        name, points, faces = block("two", (-0.1, -0.02, -0.6), (0.1, 0.02, 0.6))
        mesh = mesh_of(block("one", (-0.6, -0.01, -0.1), (0.6, 0.01, 0.1)), (name, points, faces[:, ::-1]))
        cross = shapely.union(shapely.box(-0.6, -0.1, 0.6, 0.1), shapely.box(-0.1, -0.6, 0.1, 0.6))
        self.checked(mesh, cross, 0.02)

    def test_a_piece_turned_this_way_and_that(self) -> None:
        name, points, faces = block("one", (-0.3, -0.1, -0.3), (0.3, 0.1, 0.3))
        faces = faces.copy()
        faces[3] = faces[3][::-1]
        self.checked(mesh_of((name, points, faces)), shapely.box(-0.3, -0.3, 0.3, 0.3), 1e-5)


def floor_scope(mesh: Mesh, size: int, around: Surroundings | None = None, folder: Path | None = None) -> Scope:
    texels = Texels.of(mesh, size)
    measured = Measured.blank(texels)
    if around is not None:
        measured = replace(measured, around=around)
    find = None if folder is None else (lambda name: folder / name)
    return Scope(Place(texels, measured, Setting()), Store(), 1, files=find)


class Markers(TestCase):
    """A car park: white lanes of 120 mm, two blue bays, a kerb with leaves."""

    LANES = [rectangle(-5.5 + 2.5 * k, -3.5, 0.12, 5.0) for k in range(5)]
    BAYS = [rectangle(-5.38, -3.5, 2.38, 5.0), rectangle(2.12, -3.5, 2.38, 5.0)]

    @classmethod
    def setUpClass(cls) -> None:
        holder = TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        lanes = mesh_of(*(sheet(f"lane {k}", lane, 0.001, turned=k % 2 == 1) for k, lane in enumerate(cls.LANES)))
        bays = mesh_of(*(sheet(f"bay {k}", bay, 0.0) for k, bay in enumerate(cls.BAYS)))
        kerb = mesh_of(block("kerb", (-6.0, -0.1, 3.0), (6.0, 0.15, 3.3)))
        for name, mesh in (("lanes", lanes), ("bays", bays), ("kerb", kerb)):
            (cls.folder / f"{name}.glb").write_bytes(glb_bytes(mesh, name=name))
        cls.floor = replace(
            shapes.plane(12.0), positions=shapes.plane(12.0).positions * np.float32([1, 1, 8 / 12]), source="floor.glb"
        )
        (cls.folder / "floor.glb").write_bytes(glb_bytes(cls.floor, name="floor"))
        cls.document = ObjectFile(
            file="floor.glb",
            neighbours=[
                Neighbour(id="lanes", name="Lanes", file="lanes.glb", role="marker"),
                Neighbour(id="bays", name="Bays", file="bays.glb", role="marker"),
                Neighbour(id="kerb", name="Kerb", file="kerb.glb"),
            ],
        )
        cls.around = surroundings(cls.document, Setting(ground_hides=False), cls.floor, beside_scene(cls.folder))

    def covered(self, **fields: Any) -> tuple[float, np.ndarray]:
        """Square metres, and the mask."""
        scope = floor_scope(self.floor, 1024, self.around)
        mask = ProximitySource.model_validate(fields).value(scope)
        return float(scope.place.texels.share(mask)) * 96.0, mask

    def test_areas_are_those_of_the_polygons(self) -> None:
        area, _ = self.covered(which=["lanes"], side="on", fade_cm=0.0)
        self.assertAlmostEqual(area / (5 * 0.12 * 5.0), 1.0, delta=0.02)
        area, _ = self.covered(which=["lanes"], side="on", fade_cm=4.0)
        self.assertAlmostEqual(area / (5 * 0.12 * 5.0), 1.0, delta=0.02)
        area, _ = self.covered(which=["bays"], side="on")
        self.assertAlmostEqual(area / (2 * 2.38 * 5.0), 1.0, delta=0.02)
        area, _ = self.covered(which=["bays/bay 1", "lanes/lane 2"], side="on")
        self.assertAlmostEqual(area / (2.38 * 5.0 + 0.6), 1.0, delta=0.02)

    def test_colours_of_pieces_are_those_of_their_file(self) -> None:
        made = trimesh.Scene()
        for name, colour in (("lane", (255, 255, 255, 255)), ("bay", (20, 60, 200, 255))):
            block_ = trimesh.creation.box((1, 0.1, 1))
            block_.visual = trimesh.visual.TextureVisuals(
                material=trimesh.visual.material.PBRMaterial(baseColorFactor=colour)
            )
            made.add_geometry(block_, geom_name=name, node_name=name)
        (self.folder / "coloured.glb").write_bytes(made.export(file_type="glb"))
        marker = Neighbour(id="c", name="C", file="coloured.glb", role="marker")
        document = self.document.model_copy(update={"neighbours": [marker]})
        (other,) = surroundings(document, Setting(ground_hides=False), self.floor, beside_scene(self.folder)).others
        by_name = dict(zip((part.name for part in other.mesh.parts), other.colours, strict=True))
        # Factors are linear, as glTF 2.0 has them (3.9.2); the library writes what it is given.
        np.testing.assert_allclose(by_name["lane"], (1, 1, 1))
        np.testing.assert_allclose(by_name["bay"], np.array([20, 60, 200]) / 255, atol=2e-4)

    def test_leaves_within_400_mm_of_a_kerb(self) -> None:
        # Beside it 0.4 m on one side and 0.4 m on the other, and the ground under it, where that counts.
        area, _ = self.covered(which=["kerb"], side="inside", reach_cm=40.0, fade_cm=0.0, filled=True)
        self.assertAlmostEqual(area / (12.0 * 1.1), 1.0, delta=0.02)
        hollow, _ = self.covered(which=["kerb"], side="inside", reach_cm=5.0, fade_cm=0.0)
        whole, _ = self.covered(which=["kerb"], side="inside", reach_cm=5.0, fade_cm=0.0, filled=True)
        self.assertAlmostEqual(whole - hollow, 12.0 * 0.2, delta=0.1)

    def test_a_thin_block_through_the_floor_is_white_to_its_middle(self) -> None:
        _, mask = self.covered(which=["kerb"], side="on", fade_cm=15.0)
        at = self.scope_positions()
        self.assertGreater(float(mask[(np.abs(at[:, 2] - 3.15) < 0.05) & (np.abs(at[:, 0]) < 5.5)].min()), 0.99)

    def scope_positions(self) -> np.ndarray:
        return Texels.of(self.floor, 1024).position

    def test_markers_are_never_measured(self) -> None:
        alone = self.document.model_copy(update={"neighbours": self.document.neighbours[2:]})
        near = surroundings(alone, Setting(ground_hides=False), self.floor, beside_scene(self.folder))
        self.assertEqual(near.key, self.around.key)
        self.assertIsNotNone(near.neighbours)
        self.assertNotEqual(near.others_key, self.around.others_key)

    def test_what_is_gone_far_away_or_without_area_is_said(self) -> None:
        scope = floor_scope(self.floor, 64, self.around)
        self.assertIn("'bay 9' is not there", ProximitySource(which=["bays/bay 9"], side="on").finding(scope))
        self.assertEqual(ProximitySource(which=["bays"], side="on").finding(scope), "")
        far = self.document.neighbours[0].model_copy(update={"position_mm": (5e6, 0.0, 0.0)})
        moved = self.document.model_copy(update={"neighbours": [far]})
        around = surroundings(moved, Setting(ground_hides=False), self.floor, beside_scene(self.folder))
        scope = floor_scope(self.floor, 64, around)
        source = ProximitySource(side="on")
        self.assertIn("4.99 km away", source.finding(scope))
        self.assertEqual(float(source.value(scope).max()), 0.0)

    def test_ten_thousand_pieces(self) -> None:
        x, z = np.meshgrid(np.arange(100) * 0.12 - 6, np.arange(100) * 0.08 - 4)
        dots = mesh_of(
            *(sheet(f"d{k}", rectangle(a, b, 0.06, 0.04)) for k, (a, b) in enumerate(zip(x.flat, z.flat, strict=True)))
        )
        area = areas_of(dots, 0.01, 0.01)
        texels = Texels.of(self.floor, 256)
        share = float(texels.share((area.distance(texels.position, texels.normal, 0.05) <= 0).astype(np.float32)))
        self.assertAlmostEqual(share, 0.25, delta=0.01)


class Outlines(TestCase):
    def setUp(self) -> None:
        holder = TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def drawn(self, name: str, path: np.ndarray, facing: np.ndarray) -> str:
        points = [(*p, *f, 1.0, 0.0, 0.0) for p, f in zip(path.tolist(), facing.tolist(), strict=True)]
        (self.folder / name).write_text(Stroke(brush=Brush(size_mm=20), points=points).model_dump_json())  # type: ignore[arg-type]
        return name

    def share(self, mesh: Mesh, *names: str, **fields: Any) -> tuple[float, str]:
        scope = floor_scope(mesh, 512, folder=self.folder)
        source = ProximitySource.model_validate({"to": "line", "line": list(names), "side": "on", **fields})
        return float(scope.place.texels.share(source.value(scope))), source.finding(scope)

    def test_a_closed_line_fills_and_an_open_one_is_noted(self) -> None:
        floor = shapes.plane(1.0)
        up = np.tile([0.0, 1.0, 0.0], (10, 1))
        star = np.array([(x, 0.0, z) for x, z in STAR])
        polygon = shapely.Polygon(STAR)
        closed, open_ = self.drawn("star", star, up), self.drawn("open", star[:4], up[:4])
        share, finding = self.share(floor, closed, fade_cm=1.0)
        self.assertAlmostEqual(share / polygon.area, 1.0, delta=0.02)
        self.assertEqual(finding, "")
        share, finding = self.share(floor, open_)
        self.assertEqual(share, 0.0)
        self.assertIn("A line is open", finding)
        # Within a distance of what it encloses.
        share, _ = self.share(floor, closed, side="inside", reach_cm=3.0, fade_cm=0.0, filled=True)
        self.assertAlmostEqual(share / polygon.buffer(0.03).area, 1.0, delta=0.02)

    def test_branches_of_a_drawn_line(self) -> None:
        a = np.linspace(-0.35, 0.35, 40)
        name = self.drawn(
            "crack", np.column_stack([a, np.zeros(40), 0.02 * np.sin(9 * a)]), np.tile([0, 1.0, 0], (40, 1))
        )
        crack = {"side": "inside", "reach_cm": 1.0, "fade_cm": 0.0}
        bare, _ = self.share(shapes.plane(1.0), name, **crack)
        shares = []
        for seed in (1, 2):
            grown, _ = self.share(shapes.plane(1.0), name, branches=6, branch=0.3, seed=seed, **crack)
            again, _ = self.share(shapes.plane(1.0), name, branches=6, branch=0.3, seed=seed, **crack)
            self.assertEqual(grown, again)
            # Six branches of about a third, at about a third of its width: two thirds more at least, and not thrice.
            self.assertTrue(1.3 < grown / bare < 2.6, grown / bare)
            shares.append(grown)
        self.assertNotEqual(*shares)
        # Only as wide as it is drawn in its middle, and narrow at its ends.
        scope = floor_scope(shapes.plane(1.0), 512, folder=self.folder)
        mask = ProximitySource.model_validate(
            {"to": "line", "line": [name], "branches": 1, "branch": 0.02, **crack}
        ).value(scope)
        at = scope.place.texels.position
        for x, wide in ((0.0, 20.0), (-0.345, 5.0)):
            here = np.abs(at[:, 0] - x) < 0.004
            self.assertAlmostEqual(float(mask[here].mean()) * 1000.0, wide, delta=2.5)

    def test_branches_lie_on_the_surface(self) -> None:
        ball = shapes.sphere(0.5, 96)
        a = np.linspace(-1.0, 1.0, 60)
        facing = np.column_stack([np.sin(a), np.cos(a), np.zeros(60)])
        for twig in twigs(0.5 * facing, facing, ball, 8, 0.4, 3)[1:]:
            np.testing.assert_allclose(np.linalg.norm(twig.points, axis=1), 0.5, atol=5e-4)
            self.assertTrue((np.diff(twig.width) < 0).all())

    def test_a_figure_of_eight_fills_both_loops(self) -> None:
        a = np.linspace(0, 2 * np.pi, 80, endpoint=False)
        path = np.column_stack([0.4 * np.sin(a), np.zeros(80), 0.2 * np.sin(2 * a)])
        name = self.drawn("eight", path, np.tile([0.0, 1.0, 0.0], (80, 1)))
        area = shapely.make_valid(shapely.Polygon(path[:, [0, 2]])).area
        share, finding = self.share(shapes.plane(1.0), name, fade_cm=0.5)
        self.assertAlmostEqual(share / area, 1.0, delta=0.02)
        self.assertEqual(finding, "")

    def test_a_circle_on_a_ball_fills_its_cap_and_not_the_other_side(self) -> None:
        ball = shapes.sphere(0.5)
        a = np.linspace(0, 2 * np.pi, 120, endpoint=False)
        tilt = np.radians(40)
        facing = np.column_stack([np.sin(tilt) * np.cos(a), np.full(120, np.cos(tilt)), np.sin(tilt) * np.sin(a)])
        name = self.drawn("cap", 0.5 * facing, facing)
        share, _ = self.share(ball, name, above_cm=50.0, fade_cm=0.5)
        self.assertAlmostEqual(share / ((1 - np.cos(tilt)) / 2), 1.0, delta=0.03)
