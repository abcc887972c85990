"""The modelling kit of the demo, and the scene it comes with."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from demo.gate_hoist import build
from demo.modelling import Model, circle, fillet, frame, inset, rounded_rect, spread
from demo.scenario import BRASS, gate_hoist_scene, gauge_board_scene
from limus.document.scene import scene_from
from limus.effects.catalogue import EFFECTS
from limus.surface.uv_health import uv_health


class Outlines(TestCase):
    def test_fillet_rounds_a_corner(self) -> None:
        points = fillet([(0, 0), (1, 0), (1, 1)], [0, 0.2, 0], 8)
        # The arc touches both sides 0.2 from the corner and keeps that distance from its centre.
        arc = points[1:-1]
        np.testing.assert_allclose(np.hypot(arc[:, 0] - 0.8, arc[:, 1] - 0.2), 0.2, atol=1e-9)
        np.testing.assert_allclose(arc[0], [0.8, 0.0], atol=1e-9)
        np.testing.assert_allclose(arc[-1], [1.0, 0.2], atol=1e-9)

    def test_fillet_never_eats_more_than_its_sides(self) -> None:
        points = fillet([(0, 0), (0.1, 0), (0.1, 0.1), (0, 0.1)], [5.0] * 4, 4, closed=True)
        self.assertTrue((points >= -1e-9).all() and (points <= 0.1 + 1e-9).all())

    def test_rounded_rect_has_its_size(self) -> None:
        outline = rounded_rect(0.4, 0.2, 0.05)
        np.testing.assert_allclose(outline.max(axis=0) - outline.min(axis=0), [0.4, 0.2], atol=1e-9)
        # Counter-clockwise: positive area, that of the rectangle less its corners.
        x, y = outline.T
        area = 0.5 * float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
        self.assertAlmostEqual(area, 0.4 * 0.2 - (4 - np.pi) * 0.05**2, delta=1e-4)

    def test_inset_keeps_its_distance(self) -> None:
        inner = inset(circle(0.1, 200), 0.02)
        np.testing.assert_allclose(np.hypot(*inner.T), 0.08, atol=1e-5)

    def test_spread_leaves_no_long_edge(self) -> None:
        outline = spread(np.array([[0, 0], [1, 0], [1, 1], [0, 1.0]]), 0.3)
        step = np.linalg.norm(np.roll(outline, -1, axis=0) - outline, axis=1)
        self.assertLessEqual(float(step.max()), 0.3)

    def test_frame_is_a_rotation(self) -> None:
        place = frame((1, 2, 3), x=(0, 0, 1), up=(1, 0, 0))
        turn = place[:3, :3]
        np.testing.assert_allclose(turn @ turn.T, np.eye(3), atol=1e-12)
        self.assertAlmostEqual(float(np.linalg.det(turn)), 1.0)


class Bodies(TestCase):
    def volume(self, model: Model) -> float:
        mesh = model.mesh("test")
        p = mesh.positions.astype(np.float64)[mesh.triangles]
        return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)

    def test_a_turned_cylinder_is_closed_and_points_outward(self) -> None:
        model = Model()
        profile = fillet([(0.05, 0), (0.05, 0.1), (0.0003, 0.1)], [0, 0, 0])
        model.lathe("rod", profile, frame((0, 0, 0)), 96, bottom=True)
        self.assertAlmostEqual(self.volume(model), np.pi * 0.05**2 * 0.1, delta=4e-6)

    def test_a_prism(self) -> None:
        model = Model()
        profile = np.array([[0.0, 0.0], [0.0, 0.1]])
        model.turned("block", rounded_rect(0.2, 0.1, 0.01), profile, frame((0.3, 0.1, 0)), top=True, bottom=True)
        self.assertAlmostEqual(self.volume(model), (0.2 * 0.1 - (4 - np.pi) * 1e-4) * 0.1, delta=5e-6)

    def test_a_ring(self) -> None:
        model = Model()
        angle = np.arange(160) * 2 * np.pi / 160
        path = np.stack([0.2 * np.cos(angle), np.zeros(160), 0.2 * np.sin(angle)], axis=1)
        model.tube("ring", path, (0.02, 0.02), 32, closed=True, side=(0, 1, 0))
        self.assertAlmostEqual(abs(self.volume(model)), 2 * np.pi**2 * 0.2 * 0.02**2, delta=2e-5)

    def test_a_bolt_stands_on_its_place(self) -> None:
        model = Model()
        model.bolt("bolt", frame((0, 0.5, 0)), 0.02)
        mesh = model.mesh("test")
        self.assertAlmostEqual(float(mesh.bounds[0, 1]), 0.5, places=5)
        self.assertLess(float(mesh.bounds[1, 1]), 0.52)

    def test_charts_do_not_overlap_and_are_even(self) -> None:
        model = Model()
        for k in range(12):
            model.bolt("bolts", frame((k * 0.1, 0, 0)), 0.01 + 0.003 * k)
        health = uv_health(model.mesh("test"), 512)
        self.assertLess(health.overlapping, 0.004)
        self.assertEqual(health.outside, 0.0)
        self.assertLess(health.flipped, 0.01)
        self.assertLess(health.density_high / health.density_low, 1.6)

    def test_hard_edges_stay_hard_and_soft_ones_soft(self) -> None:
        model = Model()
        model.turned("block", rounded_rect(0.2, 0.2, 0.02), np.array([[0.0, 0.0], [0.0, 0.1]]), frame((0, 0, 0)))
        mesh = model.mesh("test")
        corner = mesh.normals[mesh.triangles].reshape(-1, 3)
        upright, level = np.abs(corner[:, 1]) < 0.01, corner[:, 1] > 0.99
        self.assertTrue((upright | level).all())
        # Round the upright edges normals turn little by little.
        self.assertGreater(len(np.unique(np.round(corner[upright], 3), axis=0)), 20)


class Scenario(TestCase):
    def test_scene_is_valid_and_names_parts_that_exist(self) -> None:
        made = gate_hoist_scene()
        self.assertEqual(scene_from(made.model_dump(mode="json")), made)
        names = {p.name for p in build().parts}
        for base in made.bases:
            self.assertLessEqual(set(base.parts or []), names)
        self.assertLessEqual(set(BRASS), names)
        for layer in made.layers:
            for line in layer.where.terms:
                self.assertLessEqual(set(getattr(line.source, "names", [])), names)

    def test_the_story_is_long_and_told_in_episodes(self) -> None:
        for made in (gate_hoist_scene(), gauge_board_scene()):
            self.assertGreaterEqual(len(made.layers), 12)
            self.assertEqual(len(made.episodes), 3)
            self.assertEqual({layer.episode for layer in made.layers}, {episode.id for episode in made.episodes})
            # Each is named for what happened.
            self.assertFalse(
                {layer.name for layer in made.layers}
                & {effect.title for kind, effect in EFFECTS.items() if kind not in ("rust", "dust")}
            )
