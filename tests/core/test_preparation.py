"""From file and document to the mesh that is worked on: size, axes, turning, sheets, cutting, unwrapping, neighbours,
ground.
"""

from __future__ import annotations

import os
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
import trimesh

from limus.common.errors import Cancelled, InputError
from limus.common.store import Store
from limus.formats.gltf_write import glb_bytes
from limus.intake.object_file import Neighbour, ObjectFile, Twin
from limus.intake.preparation import beside_scene, neighbour_mesh, prepared, rotation, surroundings, unwrapped_once
from limus.masks.sources.proximity import ProximitySource
from limus.masks.sources.side import SideSource
from limus.masks.sources.vertex_colour import VertexColourSource
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.adjacency import adjacency
from limus.surface.axes import placed, upright
from limus.surface.mesh import Mesh
from limus.surface.nearest import distance_to
from limus.surface.sheets import with_backs
from limus.surface.subdivide import subdivided
from limus.surface.texels import Texels
from limus.surface.turning import turned
from limus.surface.unwrap import unwrapped
from limus.surface.uv_health import uv_health
from tests.core import shapes
from tests.core.test_masks import Scope


class Case(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        kept = mock.patch.dict(os.environ, {"LIMUS_CACHE": str(self.folder / "cache")})
        kept.start()
        self.addCleanup(kept.stop)
        self.find = beside_scene(self.folder)

    def file(self, mesh: Mesh, name: str) -> str:
        (self.folder / name).write_bytes(glb_bytes(mesh))
        return name


class Axes(Case):
    def test_every_axis_becomes_up(self) -> None:
        for up in ("+y", "-y", "+z", "-z", "+x", "-x"):
            turn = upright(up)  # type: ignore[arg-type]
            axis = np.zeros(3)
            axis["xyz".index(up[1])] = 1.0 if up[0] == "+" else -1.0
            np.testing.assert_allclose(turn @ axis, [0, 1, 0], atol=1e-12)
            np.testing.assert_allclose(turn @ turn.T, np.eye(3), atol=1e-12)
            self.assertAlmostEqual(float(np.linalg.det(turn)), 1.0)

    def test_against_trimesh(self) -> None:
        for up, axis in (("+z", [0, 0, 1]), ("-x", [-1, 0, 0])):
            wanted = trimesh.geometry.align_vectors(axis, [0, 1, 0])[:3, :3]
            got = upright(up)  # type: ignore[arg-type]
            np.testing.assert_allclose(got @ axis, wanted @ axis, atol=1e-9)

    def test_size_and_axis_together(self) -> None:
        # A post of 1500 mm that stands along z in a file in millimetres.
        post = shapes.box(1.0)
        post.positions[:] = post.positions * [100, 100, 1500]
        name = self.file(post, "post.glb")
        mesh = prepared(ObjectFile(file=name, scale=0.001), Setting(up="+z"), self.find)
        np.testing.assert_allclose(np.ptp(mesh.bounds, axis=0), [0.1, 1.5, 0.1], atol=1e-6)
        outward = (mesh.positions[mesh.triangles].mean(axis=1) * mesh.face_normals).sum(axis=1)
        self.assertGreater(float(outward.min()), 0.0)
        self.assertGreater(float((mesh.normals[mesh.triangles[:, 0]] * mesh.face_normals).sum(axis=1).min()), 0.99)

    def test_the_normal_of_the_file_is_kept_for_its_own_space(self) -> None:
        mesh = placed(shapes.box(1.0), 1.0, "+z")
        texels = Texels.of(mesh, 32)
        place = Place(texels, Measured.blank(texels), Setting())
        world = READINGS["normal_world"].value(place, 0)
        own = READINGS["normal_object"].value(place, 0)
        top = world[:, 1] > 0.9
        np.testing.assert_allclose(own[top], np.tile([0, 0, 1], (top.sum(), 1)), atol=1e-6)

    def test_vast_and_minute_units(self) -> None:
        for size, scale in ((1e-9, 1e9), (1e9, 1e-9)):
            name = self.file(shapes.box(size), f"box{scale}.glb")
            mesh = prepared(ObjectFile(file=name, scale=scale), Setting(), self.find)
            self.assertAlmostEqual(float(mesh.areas.sum()), 6.0, places=4)
            self.assertEqual(len(np.unique(mesh.welded)), 8)
            self.assertGreater(len(Texels.of(mesh, 32)), 300)


class Turning(Case):
    def test_one_part_only(self) -> None:
        two = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0, 0)))
        mesh = prepared(
            ObjectFile(file=self.file(turned(two, ["box 2"]), "b.glb"), turned=["box 2"]), Setting(), self.find
        )
        centre = np.where(mesh.triangle_part[:, None] == 0, [0, 0, 0], [0.4, 0, 0])
        outward = ((mesh.positions[mesh.triangles].mean(axis=1) - centre) * mesh.face_normals).sum(axis=1)
        self.assertGreater(float(outward.min()), 0.0)
        self.assertIs(turned(two, ["no such part"]), two)

    def test_a_vertex_shared_with_an_unturned_part(self) -> None:
        ball = shapes.sphere(0.2, 8)
        half = len(ball.triangles) // 2
        parts = (
            replace(ball.parts[0], name="a", count=half),
            replace(ball.parts[0], name="b", first=half, count=len(ball.triangles) - half),
        )
        mesh = turned(replace(ball, parts=parts), ["b"])
        agree = (mesh.normals[mesh.triangles].mean(axis=1) * mesh.face_normals).sum(axis=1)
        self.assertGreater(float(agree.min()), 0.5)


class ThinSheets(Case):
    def test_front_and_back_age_apart(self) -> None:
        name = self.file(shapes.plane(0.4), "flag.glb")
        mesh = prepared(ObjectFile(file=name, two_sided=["plane"]), Setting(), self.find)
        self.assertEqual([p.name for p in mesh.parts], ["plane", "plane back"])
        self.assertEqual(len(mesh.uv_domains), 2)
        texels = Texels.of(mesh, 64)
        measured = Measured(texels, plan := RayPlan((8.0,), (50.0,), 50.0, 32), measure_rays(texels, plan))
        scope = Scope(Place(texels, measured, Setting()), Store(), 1)
        back = SideSource(side="back").value(scope)
        self.assertAlmostEqual(texels.share(back), 0.5, places=3)
        np.testing.assert_array_equal(back, 1 - SideSource(side="front").value(scope))
        np.testing.assert_allclose(texels.normal[back > 0.5][:, 1], -1.0, atol=1e-6)
        # The front sees all of the sky, the back none of it, although both lie in one plane.
        self.assertGreater(float(measured.sky[back < 0.5].mean()), 0.98)
        self.assertLess(float(measured.sky[back > 0.5].mean()), 0.02)

    def test_names_stay_apart(self) -> None:
        two = shapes.joined(shapes.plane(0.4), shapes.plane(0.4))
        named = replace(two, parts=(replace(two.parts[0], name="a"), replace(two.parts[1], name="a back")))
        self.assertEqual([p.name for p in with_backs(named, ["a"]).parts], ["a", "a back", "a back'"])


class Cutting(Case):
    def test_no_edge_is_longer_and_nothing_else_changes(self) -> None:
        box = shapes.box(0.3)
        fine = subdivided(box, 40.0)
        p = fine.positions[fine.triangles]
        self.assertLessEqual(float(np.linalg.norm(np.roll(p, -1, axis=1) - p, axis=2).max()), 0.04001)
        self.assertAlmostEqual(float(fine.areas.sum()), float(box.areas.sum()), places=5)
        # Closed as before: no crack has opened.
        self.assertEqual(int((adjacency(fine).twin < 0).sum()), 0)
        before, after = Texels.of(box, 64), Texels.of(fine, 64)
        np.testing.assert_allclose(after.position, before.position, atol=1e-6)

    def test_colours_are_interpolated_and_painting_has_room(self) -> None:
        plane = replace(
            shapes.plane(0.4), colours=np.array([[1, 0, 0, 1], [0, 0, 0, 1], [0, 0, 0, 1], [1, 0, 0, 1]], np.float32)
        )
        mesh = prepared(ObjectFile(file=self.file(plane, "p.glb"), subdivide_mm=30.0), Setting(), self.find)
        assert mesh.colours is not None
        np.testing.assert_allclose(mesh.colours[:, 0], 0.5 - mesh.positions[:, 0] / 0.4, atol=1e-4)
        texels = Texels.of(mesh, 48)
        scope = Scope(Place(texels, Measured.blank(texels), Setting()), Store(), 1)
        red = VertexColourSource(channel="R").value(scope)
        np.testing.assert_allclose(red, 0.5 - texels.position[:, 0] / 0.4, atol=0.01)
        self.assertEqual(float(VertexColourSource(channel="G").value(scope).max()), 0.0)
        self.assertEqual(READINGS["vertex_colour"].missing(scope.place), "")

    def test_too_many_is_refused_before_it_is_done(self) -> None:
        with self.assertRaises(InputError) as caught:
            subdivided(shapes.box(10.0), 1.0)
        self.assertIn("triangles", caught.exception.line)

    def test_parts_stay_together(self) -> None:
        fine = subdivided(shapes.joined(shapes.box(0.1), shapes.box(0.2, (0.4, 0, 0))), 50.0)
        for k, part in enumerate(fine.parts):
            x = fine.positions[fine.triangles[part.first : part.first + part.count]][:, :, 0]
            self.assertTrue(((x > 0.2) == bool(k)).all())


class Unwrapping(Case):
    def test_keeps_the_surface_and_is_the_same_every_time(self) -> None:
        ball = replace(shapes.sphere(0.2, 24), uv=None)
        one, two = unwrapped(ball), unwrapped(ball)
        self.assertEqual(one.key, two.key)
        np.testing.assert_allclose(one.positions[one.triangles], ball.positions[ball.triangles])
        np.testing.assert_allclose(one.normals[one.triangles], ball.normals[ball.triangles])
        self.assertEqual(uv_health(one, 512).flipped, 0.0)

    def test_kept_on_disk_and_the_original_stays(self) -> None:
        ball = replace(shapes.sphere(0.2, 16), uv=None)
        name = self.file(ball, "ball.glb")
        own = prepared(ObjectFile(file=name), Setting(), self.find)
        self.assertIsNone(own.uv)
        made = prepared(ObjectFile(file=name, uv="unwrapped"), Setting(), self.find)
        self.assertIsNotNone(made.uv)
        with mock.patch("limus.intake.preparation.atlas_for", side_effect=AssertionError("made again")):
            self.assertEqual(prepared(ObjectFile(file=name, uv="unwrapped"), Setting(), self.find).key, made.key)
        self.assertIsNone(prepared(ObjectFile(file=name), Setting(), self.find).uv)
        # A spoilt file is made again.
        for path in (self.folder / "cache").glob("*.npz"):
            path.write_bytes(b"broken")
        self.assertEqual(unwrapped_once(own).key, made.key)

    def test_each_map_set_gets_an_atlas_of_its_own(self) -> None:
        two = shapes.joined(shapes.box(0.1), shapes.sphere(0.1, 12))
        mesh = replace(two, parts=tuple(replace(p, map_set=k) for k, p in enumerate(two.parts)), uv_domains=("a", "b"))
        made = unwrapped(mesh)
        health = uv_health(made, 512)
        self.assertLess(health.overlapping, 0.001)
        texels = Texels.of(made, 64)
        page, _, _ = texels.page_xy
        self.assertTrue((page == texels.part).all())
        self.assertGreater(min(np.bincount(page)) / 64**2, 0.3)

    def test_vertex_colours_come_along_and_cancel_works(self) -> None:
        ball = shapes.sphere(0.2, 12)
        coloured = replace(
            ball,
            colours=np.concatenate([ball.positions + 0.5, np.ones((len(ball.positions), 1))], axis=1).astype(
                np.float32
            ),
        )
        made = unwrapped(coloured)
        assert made.colours is not None
        np.testing.assert_allclose(made.colours[:, :3], made.positions + 0.5, atol=1e-6)

        def stop(share: float) -> None:
            raise Cancelled

        self.assertRaises(Cancelled, unwrapped, ball, stop)


class Around(Case):
    def sky(self, mesh: Mesh, document: ObjectFile, **setting: object) -> np.ndarray:
        texels = Texels.of(mesh, 48)
        around = surroundings(document, Setting(**setting), mesh, self.find)  # type: ignore[arg-type]
        return measure_rays(texels, RayPlan((8.0,), (2000.0,), 50.0, 128), None, around)[:, 1]

    def test_rotation_against_scipy(self) -> None:
        from scipy.spatial.transform import Rotation

        for angles in ((10.0, 20.0, 30.0), (-90.0, 45.0, 170.0)):
            np.testing.assert_allclose(
                rotation(angles), Rotation.from_euler("xyz", angles, degrees=True).as_matrix(), atol=1e-9
            )

    def test_a_neighbour_stands_where_it_is_put(self) -> None:
        post = shapes.box(1.0, (0.0, 0.5, 0.0))
        near = Neighbour(
            id="post",
            name="Post",
            file=self.file(post, "post.glb"),
            position_mm=(500, 0, 0),
            rotation_deg=(0, 0, 90),
            scale=0.5,
        )
        mesh = neighbour_mesh(near, self.find, shapes.box(0.2))
        # Turned about z by a quarter it lies towards -x, half as large, shifted by half a metre.
        np.testing.assert_allclose(mesh.bounds, [[0.0, -0.25, -0.25], [0.5, 0.25, 0.25]], atol=1e-6)

    def test_ground_hides_what_is_near_it(self) -> None:
        # Of a wall's cosine-weighted view (a disc seen from its side) the part below -h / R meets the ground within the
        # reach R.
        wall = shapes.box(0.4, (0.0, 0.2, 0.0))
        document = ObjectFile(file=self.file(wall, "wall.glb"))
        texels = Texels.of(wall, 48)
        side = np.abs(texels.normal[:, 1]) < 0.1
        q = texels.position[side, 1] / 2.0
        hidden = self.sky(wall, document, ground_hides=True)[side]
        self.assertLess(float(np.abs(hidden - (np.arccos(q) - q * np.sqrt(1 - q * q)) / np.pi).mean()), 0.01)
        self.assertGreater(float(hidden.min()), 0.3)
        self.assertLess(float(self.sky(wall, document, ground_hides=False)[side].max()), 0.01)
        deep = self.sky(wall, document, ground_hides=True, ground_mm=-5000.0)
        self.assertLess(float(deep[side].max()), 0.05)

    def test_neighbours_occlude_and_are_near(self) -> None:
        box = shapes.box(0.2)
        wall = shapes.box(2.0, (1.15, 0.0, 0.0))
        document = ObjectFile(
            file=self.file(box, "box.glb"),
            neighbours=[Neighbour(id="wall", name="Wall", file=self.file(wall, "wall.glb"))],
        )
        texels = Texels.of(box, 48)
        towards = texels.normal[:, 0] > 0.9
        hidden = self.sky(box, document, ground_hides=False)
        self.assertGreater(float(hidden[towards].mean()), 0.9)
        self.assertLess(float(hidden[texels.normal[:, 0] < -0.9].max()), 0.01)
        around = surroundings(document, Setting(ground_hides=False), box, self.find)
        place = Place(texels, replace(Measured.blank(texels), around=around), Setting())
        gap = READINGS["proximity"].value(place, 500.0)
        # The wall's face lies at x = 0.15 m.
        np.testing.assert_allclose(gap, (0.15 - texels.position[:, 0]) * 1000, atol=0.01)
        near = ProximitySource(reach_mm=100.0).value(Scope(place, Store(), 1))
        np.testing.assert_allclose(near[towards], 0.5, atol=1e-3)
        off = document.model_copy(update={"neighbours": [document.neighbours[0].model_copy(update={"on": False})]})
        self.assertIsNone(surroundings(off, Setting(ground_hides=False), box, self.find).neighbours)
        self.assertNotEqual(around.key, surroundings(off, Setting(ground_hides=False), box, self.find).key)

    def test_a_twin_somewhere_else_is_refused(self) -> None:
        box = shapes.box(0.2)
        for other in (shapes.box(0.2, (3.0, 0, 0)), shapes.box(200.0)):
            document = ObjectFile(file=self.file(box, "box.glb"), twin=Twin(file=self.file(other, "other.glb")))
            with self.assertRaises(InputError) as caught:
                surroundings(document, Setting(), box, self.find)
            self.assertIn("object.twin.file", caught.exception.line)


class Nearest(TestCase):
    def test_against_trimesh(self) -> None:
        rng = np.random.default_rng(3)
        for shape in (
            trimesh.creation.icosphere(3, 0.2),
            trimesh.creation.box((0.3, 0.1, 0.2)),
            trimesh.creation.annulus(0.1, 0.2, 0.05),
        ):
            points = rng.uniform(-0.6, 0.6, (300, 3))
            _, wanted, _ = trimesh.proximity.closest_point_naive(shape, points)
            got = distance_to(points, shape.vertices, shape.faces, 10.0)
            np.testing.assert_allclose(got, wanted, atol=2e-6)
            np.testing.assert_allclose(
                distance_to(points, shape.vertices, shape.faces, 0.2), np.minimum(wanted, 0.2), atol=2e-6
            )
