"""What inspection finds: each fault is made on purpose and must be named, with why it matters."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from demo import gate_hoist, gauge_board, slate_panel
from limus.intake.inspection import crossing_edges, inspection, mesh_health
from limus.surface.adjacency import adjacency
from limus.surface.axes import plausible_scale
from limus.surface.mesh import Mesh, Part
from limus.surface.turning import turned
from limus.surface.unwrap import unwrapped
from limus.surface.uv_health import uv_health
from tests.core import shapes


def keys(mesh: Mesh, **more: object) -> dict[str, str]:
    """Finding -> level."""
    return {f["key"]: f["level"] for f in inspection(mesh, resolution=256, **more)["findings"]}  # type: ignore[arg-type]


def with_uv(mesh: Mesh, uv: np.ndarray) -> Mesh:
    return replace(mesh, uv=uv.astype(np.float32))


class Uvs(TestCase):
    def test_a_good_one(self) -> None:
        found = keys(shapes.box(0.3))
        self.assertEqual((found["uv-good"], found["mesh-good"]), ("good", "good"))
        self.assertNotIn("problem", found.values())

    def test_missing(self) -> None:
        bare = replace(shapes.box(0.3), uv=None)
        self.assertEqual(keys(bare)["uv-missing"], "problem")
        two = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.3, 0, 0)))
        half = replace(two, without_uv=("box 2",))
        entry = next(f for f in inspection(half)["findings"] if f["key"] == "uv-part-missing")
        self.assertEqual((entry["parts"], entry["action"]), (["box 2"], "unwrap"))

    def test_overlap_in_percent(self) -> None:
        # Two of six faces lie on one place: a fifth of the used picture is claimed twice.
        cells = [shapes.cell(k % 3, k // 3, 3, 2) for k in range(6)]
        cells[5] = cells[0]
        mesh = shapes.box(0.3, uv_of=cells)
        self.assertAlmostEqual(uv_health(mesh, 512).overlapping, 0.2, delta=0.005)
        entry = next(f for f in inspection(mesh)["findings"] if f["key"] == "uv-overlap")
        self.assertRegex(entry["what"], r"overlap on (19|20)\.\d% of")
        self.assertEqual(entry["level"], "problem")

    def test_outside_flipped_zero_stretched(self) -> None:
        box = shapes.box(0.3)
        assert box.uv is not None
        self.assertEqual(keys(with_uv(box, box.uv + np.array([0.6, 0.0])))["uv-outside"], "warning")
        self.assertEqual(keys(with_uv(box, box.uv * [-1, 1] + [1, 0]))["uv-flipped"], "note")
        flat = box.uv.copy()
        flat[:4] = 0.5
        found = inspection(with_uv(box, flat))
        self.assertEqual(found["uv"]["zero_area"], 2)
        self.assertIn("uv-zero", {f["key"] for f in found["findings"]})
        stretched = inspection(with_uv(box, box.uv * [1.0, 0.1]))
        # Cells of 1/3 x 1/20 for squares: 6.7 times.
        self.assertAlmostEqual(stretched["uv"]["stretch"], (1 / 3) / (1 / 20), delta=0.05)
        self.assertIn("uv-stretch", {f["key"] for f in stretched["findings"]})

    def test_density_and_its_spread(self) -> None:
        # A face of 0.3 m on 0.96 / 3 of the picture by 0.96 / 2: sqrt(0.32 x 0.48) x 1024 / 0.3 texels per metre.
        health = uv_health(shapes.box(0.3), 512)
        self.assertAlmostEqual(health.density, np.sqrt(0.32 * 0.48) * 1024 / 0.3, delta=2)
        self.assertAlmostEqual(health.density_low, health.density_high, delta=1)
        self.assertAlmostEqual(health.island_low, health.density, delta=2)
        cells = [shapes.cell(k % 3, k // 3, 3, 2) for k in range(6)]
        cells[0] = cells[0].mean(axis=0) + (cells[0] - cells[0].mean(axis=0)) / 8
        found = inspection(shapes.box(0.3, uv_of=cells))
        self.assertAlmostEqual(found["uv"]["density_high"] / found["uv"]["density_low"], 8.0, delta=0.2)
        self.assertAlmostEqual(found["uv"]["island_high"] / found["uv"]["island_low"], 8.0, delta=0.1)
        self.assertIn("uv-density", {f["key"] for f in found["findings"]})

    def test_gaps_between_islands(self) -> None:
        # Margins of 2 % of a third on both sides: 0.04 / 3 x 1024 = 13.7 texels at 1024; of nothing: they touch.
        self.assertAlmostEqual(uv_health(shapes.box(0.3), 1024).gap or 0, 0.04 / 3 * 1024, delta=1.5)
        touching = shapes.box(0.3, uv_of=[shapes.cell(k % 3, k // 3, 3, 2, 0.0) for k in range(6)])
        health = uv_health(touching, 1024)
        self.assertEqual(health.gap, 0)
        self.assertEqual(health.close, 7)
        self.assertIn("uv-padding", keys(touching))

    def test_two_hundred_map_sets(self) -> None:
        boxes = shapes.joined(*[shapes.box(0.05, (0.1 * k, 0, 0)) for k in range(200)])
        assert boxes.uv is not None
        many = replace(
            boxes,
            uv=np.stack([(boxes.uv[:, 0] * 200) % 1, boxes.uv[:, 1]], axis=1).astype(np.float32),
            parts=tuple(Part(p.name, p.first, p.count, k) for k, p in enumerate(boxes.parts)),
            uv_domains=tuple(f"set {k}" for k in range(200)),
        )
        found = inspection(many)
        self.assertEqual(len(found["map_sets"]), 200)
        self.assertIn("many-sets", {f["key"] for f in found["findings"]})


class Surface(TestCase):
    def test_inside_out(self) -> None:
        good = shapes.joined(shapes.box(0.2), shapes.sphere(0.1, 16))
        bad = turned(good, ["box 1"])
        entry = next(f for f in inspection(bad)["findings"] if f["key"] == "inside-out")
        self.assertEqual((entry["parts"], entry["action"], entry["level"]), (["box 1"], "turn", "problem"))
        self.assertNotIn("inside-out", keys(good))
        # Turned twice is as before.
        self.assertEqual(turned(bad, ["box 1"]).key, good.key)

    def test_sheets_and_borders(self) -> None:
        self.assertEqual(keys(shapes.plane(0.4))["sheets"], "note")
        self.assertNotIn("sheets", keys(shapes.box(0.4)))
        # A box without its lid is open, but encloses something: not a sheet.
        box = shapes.box(0.4)
        tray = replace(box, triangles=box.triangles[2:], parts=(Part("tray", 0, 10, 0),))
        found = keys(tray)
        self.assertIn("open", found)
        self.assertNotIn("sheets", found)

    def test_more_than_two_faces_on_an_edge(self) -> None:
        fins = []
        for k, angle in enumerate((0.0, 2.0, 4.0)):
            c, s = np.cos(angle), np.sin(angle)
            corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]]) @ np.array(
                [[1, 0, 0], [0, c, s], [0, -s, c]]
            )
            fins.append((corners, shapes.cell(k, 0, 3, 1)))
        self.assertIn("non-manifold", keys(shapes.from_faces(fins)))

    def test_surfaces_that_run_through_each_other(self) -> None:
        apart = shapes.joined(shapes.box(0.2), shapes.box(0.2, (0.5, 0, 0)))
        through = shapes.joined(shapes.box(0.2), shapes.box(0.2, (0.11, 0.07, 0.05)))
        self.assertEqual(crossing_edges(apart, adjacency(apart)), 0)
        self.assertGreater(crossing_edges(through, adjacency(through)), 2)
        self.assertIn("crossing", keys(through))
        for whole in (shapes.sphere(0.3, 32), shapes.cylinder(), unwrapped(shapes.sphere(0.3, 24))):
            self.assertEqual(crossing_edges(whole, adjacency(whole)), 0, whole.source)

    def test_against_trimesh(self) -> None:
        # Open edges and winding as the general-purpose library sees them.
        for shape in (trimesh.creation.torus(0.3, 0.1), trimesh.creation.icosphere(2), trimesh.creation.box((1, 2, 3))):
            cut = shape.submesh([np.arange(len(shape.faces) - 7)], append=True)
            for given in (shape, cut):
                mesh = Mesh(
                    given.vertices.astype(np.float32), given.vertex_normals.astype(np.float32),
                    given.faces.astype(np.int32),
                    parts=(Part("a", 0, len(given.faces), 0),),
                )  # fmt: skip
                single = trimesh.grouping.group_rows(given.edges_sorted, require_count=1)
                self.assertEqual(mesh_health(mesh).open_edges, len(single))
                self.assertEqual(mesh_health(mesh).inside_out, ())

    def test_findings_say_why_and_what_to_do(self) -> None:
        bad = turned(replace(shapes.box(3000.0), uv=None), ["box"])
        for finding in inspection(bad)["findings"]:
            self.assertTrue(finding["what"])
            if finding["level"] in ("problem", "warning"):
                self.assertTrue(finding["why"] and finding["mend"], finding["key"])


class Size(TestCase):
    def test_suggestions(self) -> None:
        # A cup of 90 mm in files of several units; nothing is asked where the size is plausible.
        for unit, size in ((0.001, 90.0), (1.0, 0.09)):
            self.assertEqual(plausible_scale(size, False), unit)
        self.assertEqual(plausible_scale(3000.0, True), 0.001)
        self.assertEqual(plausible_scale(1.2, True), 1.0)
        for size in (1e-9, 1e9, 1e-30, 1e30):
            self.assertTrue(0.05 <= size * plausible_scale(size, True) <= 50.0, size)

    def test_a_kilometre_wide_cup(self) -> None:
        entry = next(f for f in inspection(shapes.box(3000.0))["findings"] if f["key"] == "size")
        self.assertIn("5.2 km across", entry["what"])
        self.assertIn("the millimetre, it is 5.2 m across", entry["mend"])

    def test_tiny_and_huge(self) -> None:
        for size in (1e-9, 1e9):
            found = inspection(shapes.box(size))
            self.assertEqual(found["triangles"], 12)
            self.assertEqual(found["mesh"]["inside_out"], [])
            self.assertIn("size", {f["key"] for f in found["findings"]})
            self.assertTrue(np.isfinite(found["uv"]["density"]))


class DemoObjects(TestCase):
    def test_no_problems(self) -> None:
        for mesh in (gate_hoist.build(), gauge_board.build(), slate_panel.build()):
            bad = [f for f in inspection(mesh)["findings"] if f["level"] in ("problem", "warning")]
            self.assertEqual(bad, [], mesh.source)

    def test_unwrapping_mends_what_it_says_it_mends(self) -> None:
        cells = [shapes.cell(0, 0, 1, 1)] * 6
        for mesh in (
            shapes.box(0.3, uv_of=cells),
            replace(gate_hoist.build(), uv=None),
            replace(shapes.sphere(0.3, 24), uv=None),
        ):
            health = uv_health(unwrapped(mesh), 1024)
            self.assertLess(health.overlapping, 0.001, mesh.source)
            self.assertEqual((health.outside, health.zero_area), (0.0, 0))
            self.assertLess(health.flipped, 0.001)
            self.assertLess(health.stretch, 1.6)
            self.assertGreaterEqual(health.gap or 0, 2)
