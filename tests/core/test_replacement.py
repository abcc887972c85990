"""A newer model in the place of the old one: what carries over, and what is said about the rest."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from demo import gauge_board
from demo.scenario import gauge_board_scene
from limus.bases.choice import BaseChoice, from_stock
from limus.document.replacement import compare, likeness, part_users, with_parts_renamed
from limus.document.scene import Scene
from limus.intake.inspection import inspection
from limus.intake.object_file import Twin
from limus.masks.recipe import Recipe, Term
from limus.masks.sources.parts import Parts
from limus.masks.sources.proximity import ProximitySource
from limus.surface.mesh import Mesh
from tests.core import shapes
from tests.core.test_effects import STORY, scene


def named(mesh: Mesh, *names: str) -> Mesh:
    return replace(mesh, parts=tuple(replace(p, name=n) for p, n in zip(mesh.parts, names, strict=True)))


def asking(*names: str) -> Scene:
    """A scene whose bases, layers and turned parts name parts."""
    made = scene(*STORY)
    made.bases = [BaseChoice(), from_stock("slate", parts=[names[0]])]
    made.layers[1].where = Recipe(terms=[Term(source=Parts(names=list(names)))])
    made.object.turned = [names[-1]]
    made.object.two_sided = [names[0]]
    return made


class Comparing(TestCase):
    def setUp(self) -> None:
        self.old = named(
            shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0, 0)), shapes.box(0.3, (1.0, 0, 0))),
            "board",
            "bolt",
            "post",
        )

    def test_lines_that_measure_to_a_part_follow_its_name(self) -> None:
        made = asking("board", "bolt").model_copy(deep=True)
        made.layers[0].where = Recipe(terms=[Term(source=ProximitySource(to="parts", parts=["post"]))])
        self.assertEqual(part_users(made)["post"], [f"layer {made.layers[0].name}"])
        source = with_parts_renamed(made, {"post": "pillar"}).layers[0].where.terms[0].source
        self.assertEqual(source.parts, ["pillar"])  # type: ignore[attr-defined]

    def test_the_same_again(self) -> None:
        report = compare(asking("board", "bolt"), inspection(self.old), inspection(self.old))
        self.assertEqual((report.look, report.gone, report.new), ((), (), ()))
        self.assertIn("3 of 3 parts have the same name", report.kept)

    def test_a_renamed_part_is_recognised_by_its_place(self) -> None:
        new = named(self.old, "board", "screw head", "post")
        report = compare(asking("board", "bolt"), inspection(self.old), inspection(new))
        self.assertEqual([(g.name, g.suggestion) for g in report.gone], [("bolt", "screw head")])
        self.assertIn("layer", " ".join(report.gone[0].used_by))
        self.assertEqual(report.new, ("screw head",))

    def test_nothing_alike_is_not_suggested(self) -> None:
        new = named(
            shapes.joined(shapes.box(0.2), shapes.box(2.0, (9.0, 5, 0)), shapes.box(0.3, (1.0, 0, 0))),
            "board",
            "roof",
            "post",
        )
        report = compare(asking("board", "bolt"), inspection(self.old), inspection(new))
        self.assertEqual([(g.name, g.suggestion) for g in report.gone], [("bolt", "")])

    def test_one_new_part_is_suggested_once(self) -> None:
        new = named(shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0, 0))), "plate", "bolt")
        twice = named(
            shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0, 0)), shapes.box(0.2, (0.001, 0, 0))),
            "board",
            "bolt",
            "board 2",
        )
        report = compare(asking("board"), inspection(twice), inspection(new))
        self.assertEqual(sorted(g.suggestion for g in report.gone), ["", "plate"])

    def test_what_needs_a_look(self) -> None:
        made = asking("board", "bolt")
        made.object.twin = Twin(file="high.glb")
        coloured = replace(self.old, colours=np.ones((len(self.old.positions), 4), np.float32))
        new = replace(self.old, uv=None, positions=self.old.positions * np.float32(1000), uv_domains=("other",))
        look = " ".join(compare(made, inspection(coloured), inspection(new)).look)
        for words in (
            "no UVs",
            "1e+03 times as large",
            "vertex colours are gone",
            "map sets are other",
            "twin is still the old one",
        ):
            self.assertIn(words, look)

    def test_likeness(self) -> None:
        parts = inspection(self.old)["parts"]
        self.assertAlmostEqual(likeness(parts[0], parts[0]), 1.0)
        self.assertLess(likeness(parts[0], parts[2]), 0.5)

    def test_the_newer_gauge_board_of_the_demo(self) -> None:
        report = compare(
            gauge_board_scene(), inspection(gauge_board.build()), inspection(gauge_board.build(newer=True))
        )
        self.assertTrue(report.gone)
        self.assertTrue(all(g.suggestion for g in report.gone if g.used_by), report.gone)


class Renaming(TestCase):
    def test_everywhere_it_is_asked_for(self) -> None:
        made = asking("board", "bolt")
        done = with_parts_renamed(made, {"bolt": "screw", "board": "plate", "unused": "x"})
        self.assertEqual(done.bases[1].parts, ["plate"])
        source = done.layers[1].where.terms[0].source
        assert isinstance(source, Parts)
        self.assertEqual(source.names, ["plate", "screw"])
        self.assertEqual((done.object.turned, done.object.two_sided), (["screw"], ["plate"]))
        # The scene it was made of is untouched, and whoever asks is told the same.
        self.assertEqual(made.bases[1].parts, ["board"])
        self.assertEqual(set(part_users(done)), {"plate", "screw"})

    def test_two_that_become_one(self) -> None:
        done = with_parts_renamed(asking("board", "bolt"), {"bolt": "board"})
        source = done.layers[1].where.terms[0].source
        assert isinstance(source, Parts)
        self.assertEqual(source.names, ["board"])
