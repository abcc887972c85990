"""Findings: each kind has a scene that has it and one that has not."""

from __future__ import annotations

import io
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.cli.main import main
from limus.commands.draft import Ground
from limus.commands.edit import command_of, edited
from limus.common.errors import Cancelled
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.findings.finding import Found
from limus.findings.kinds.mask_way_round import alike
from limus.findings.looking import KINDS, findings_on
from limus.formats.gltf_write import glb_bytes
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.even import Even
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.masks.sources.picture import PictureSource
from limus.masks.sources.slope import SlopeSource
from limus.playing.session import Session
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from tests.core import shapes

SIZE = ObjectSize(0.4)


def box_of_parts(count: int = 1) -> Mesh:
    return shapes.joined(*(shapes.box(0.2, (0.3 * k, 0, 0)) for k in range(count)))


def layer(kind: str, where: Recipe | None = None, **fields: Any) -> Layer:
    effect = fresh_effect(kind, SIZE, Setting()).model_copy(update=fields)
    place = EFFECTS[kind].default_where(SIZE) if where is None else where
    return Layer(id=kind, name=kind.title(), effect=effect, where=place)  # type: ignore[arg-type]


class Kinds(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.sessions: dict[int, Session] = {}

    def looked(self, *layers: Layer, parts: int = 1, **more: Any) -> list[Found]:
        mesh = box_of_parts(parts)
        scene = Scene(object=ObjectFile(file="a.glb"), layers=list(layers), **more)
        session = Session.on(mesh, scene, store=Store(1 << 30))
        if parts not in self.sessions:
            session.measure("draft", lambda share, word: None)
            self.sessions[parts] = session
        readings = self.sessions[parts].measuring.best()
        assert readings is not None
        return findings_on(session, session.chronicle(readings.measured, 192, weather=True))

    def of(self, kind: str, found: list[Found]) -> list[Found]:
        return [one for one in found if one.key.split(":")[0] == kind]

    def both(self, kind: str, having: list[Found], lacking: list[Found], said: str) -> Found:
        """The finding of this kind: one there, none here."""
        self.assertEqual(self.of(kind, lacking), [])
        there = self.of(kind, having)
        self.assertTrue(there, [one.what for one in having])
        self.assertIn(said, " ".join((there[0].what, there[0].why)))
        self.assertTrue(there[0].why)
        return there[0]

    def test_a_layer_that_changes_nothing(self) -> None:
        good = self.looked(layer("paint", Recipe()), layer("chipping"))
        # Chips without any paint.
        found = self.both("idle-layer", self.looked(layer("chipping")), good, "changes nothing")
        self.assertEqual((found.severity, found.layer), ("warning", "chipping"))
        # What mends it is a command that the core takes.
        assert found.mend is not None
        document = Scene(object=ObjectFile(file="a.glb"), layers=[layer("chipping")]).model_dump(mode="json")
        command = command_of(found.mend.command, found.mend.arguments)
        self.assertFalse(edited(document, command, Ground(lambda: SIZE)).scene.layers[0].on)

    def test_masks_that_say_the_same_everywhere(self) -> None:
        usual = self.looked(layer("dust"))
        for level, said in ((0.0005, "nearly all black"), (1.0, "nearly all white"), (0.5, "half blend")):
            flat = self.looked(layer("dust", Recipe(terms=[Term(source=Even(level=level))])))
            self.both("mask-level", flat, usual, said)

    def test_a_mask_that_is_turned_round(self) -> None:
        inverted = Recipe(terms=[Term(source=SlopeSource(towards="up"), invert=True)])
        self.both("mask-way-round", self.looked(layer("dust", inverted)), self.looked(layer("dust")), "turned round")

    def test_correlation_is_that_of_numpy(self) -> None:
        rng = np.random.default_rng(4)
        a, b = rng.normal(size=500), rng.normal(size=500)
        b += 0.7 * a
        self.assertAlmostEqual(alike(a, b, np.ones(500)), float(np.corrcoef(a, b)[0, 1]), places=6)
        self.assertEqual(alike(np.ones(500), b, np.ones(500)), 0.0)

    def test_lines(self) -> None:
        empty = Recipe(terms=[term(Even(level=1.0)), term(PictureSource(), combine="multiply")])
        fine = Recipe(terms=[term(Noise(size_mm=0.05))])
        usual = self.looked(layer("dust"))
        found = self.both("line", self.looked(layer("dust", fine)), usual, "Line 1 of 'Dust'")
        self.assertEqual((found.layer, found.line), ("dust", 0))
        self.assertIsInstance(self.looked(layer("dust", empty)), list)

    def test_a_coat_that_never_shows(self) -> None:
        first = layer("paint", Recipe())
        over = layer("paint", Recipe(), thickness_um=900.0).model_copy(update={"id": "again", "name": "Again"})
        dusty = layer("dust", Recipe(), thickness_um=40.0)
        hidden = self.looked(dusty, over)
        self.both("hidden-coat", hidden, self.looked(over, dusty), "shows nowhere today")
        self.assertEqual(self.of("hidden-coat", self.looked(first)), [])

    def test_parts_without_a_base(self) -> None:
        some = from_stock("copper").model_copy(update={"parts": ["box 1"]})
        whole = from_stock("copper")
        found = self.both(
            "bare-part", self.looked(parts=2, bases=[some]), self.looked(parts=2, bases=[whole]), "No base lies on"
        )
        self.assertEqual((found.part, found.severity), ("box 2", "warning"))

    def test_colours_that_no_surface_has(self) -> None:
        black = layer("paint", Recipe(), color=(0.001, 0.001, 0.001))
        found = self.both("albedo", self.looked(black), self.looked(layer("paint", Recipe())), "darker than soot")
        self.assertEqual(found.layer, "paint")

    def test_relief_too_steep(self) -> None:
        noise = Recipe(terms=[Term(source=Noise(size_mm=8.0), low=0.4, high=0.6)])
        carved = layer("carving", noise, height_mm=-60.0, bevel_mm=6.0, lips=0.0)
        self.both("steep-relief", self.looked(carved), self.looked(layer("paint", Recipe())), "leans more than")

    def test_colours_that_break_off_at_seams(self) -> None:
        # Each island in a tone of its own: each side of the box is one.
        patchwork = layer("variation", Recipe(), each="island", piece_tone=1.0, tone=0.0, gloss=0.0)
        paint = layer("paint", Recipe(), color=(0.4, 0.4, 0.4))
        over = layer("variation", Recipe(), each="none", tone=1.0, size_mm=60.0)
        self.both("seams", self.looked(paint, patchwork), self.looked(paint, over), "UV seams")
        # What runs on over the edge of the box shows no seam, however much it varies.
        self.assertEqual(self.of("seams", self.looked(paint, layer("chipping"))), [])

    def test_detail_that_does_not_fit(self) -> None:
        paint = layer("paint", Recipe())
        usual = self.looked(paint, layer("chipping"))
        fine = self.both("detail-size", self.looked(paint, layer("chipping", size_mm=0.02)), usual, "finer than texels")
        self.assertEqual((fine.severity, fine.layer), ("note", "chipping"))
        large = self.both("detail-size", self.looked(paint, layer("chipping", size_mm=900.0)), usual, "larger than")
        self.assertEqual(large.severity, "warning")
        # A size that is not in use is nobody's concern.
        for each, said in (("cell", 1), ("none", 0)):
            carved = self.looked(paint, layer("carving", each=each, cell_mm=90000.0))
            self.assertEqual(len(self.of("detail-size", carved)), said, each)

    def test_everything_equally_worn(self) -> None:
        even = Recipe(terms=[Term(source=Noise(size_mm=6.0), low=0.2, high=0.8)])
        one = Recipe(terms=[Term(source=Noise(size_mm=6.0), low=0.2, high=0.8), Term(source=Parts(names=["box 1"]))])
        paint = layer("paint", Recipe())
        alike_ = self.looked(paint, layer("chipping", even, coverage=0.15, cluster=0.0), parts=5)
        apart = self.looked(paint, layer("chipping", one, coverage=0.15, cluster=0.0), parts=5)
        self.both("worn-alike", alike_, apart, "as much of every part")

    def test_uvs_and_mesh(self) -> None:
        found = self.looked(layer("paint", Recipe()))
        self.assertEqual(self.of("object", found), [])
        # All six sides on one place of the map.
        mesh = shapes.box(0.2, uv_of=[shapes.cell(0, 0, 1, 1)] * 6)
        session = Session.on(mesh, Scene(object=ObjectFile(file="b.glb")), store=Store(1 << 29))
        poor = findings_on(session, session.exact(64, weather=False))
        self.assertTrue(any(f["level"] in ("problem", "warning") for f in session.facts()["findings"]))
        self.assertTrue(self.of("object", poor))

    def test_every_kind_is_listed_and_the_gravest_come_first(self) -> None:
        self.assertEqual(len({kind.title for kind in KINDS.values()}), len(KINDS))
        black = layer("paint", Recipe(), color=(0.001, 0.001, 0.001))
        found = self.looked(layer("chipping"), black, layer("dust", Recipe(terms=[Term(source=Even(level=1.0))])))
        rank = ["problem", "warning", "note"]
        grades = [rank.index(one.severity) for one in found]
        self.assertEqual(grades, sorted(grades))
        self.assertEqual(len({one.key for one in found}), len(found))

    def test_it_is_cancelled_between_kinds(self) -> None:
        session = Session.on(box_of_parts(), Scene(object=ObjectFile(file="a.glb")), store=Store(1 << 29))
        asked = []

        def check() -> None:
            asked.append(1)
            if len(asked) > 3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            findings_on(session, session.exact(32, weather=False), check)


class CommandLine(TestCase):
    def run_(self, *words: str) -> tuple[int, str]:
        out = io.StringIO()
        with redirect_stdout(out), redirect_stderr(out):
            code = main(list(words))
        return code, out.getvalue()

    def test_check(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            (place / "a.glb").write_bytes(glb_bytes(shapes.box(0.2)))
            layers = [layer("paint", Recipe()), layer("dust")]
            scene = Scene(object=ObjectFile(file="a.glb"), layers=layers)
            (place / "good.json").write_text(scene.model_dump_json())
            code, said = self.run_("check", str(place / "good.json"), "--resolution", "128")
            self.assertEqual(code, 0, said)
            bad = scene.model_copy(update={"layers": [layer("chipping")]})
            (place / "bad.json").write_text(bad.model_dump_json())
            code, said = self.run_("check", str(place / "bad.json"), "--resolution", "128")
            self.assertEqual(code, 3)
            self.assertIn("Warning: 'Chipping' changes nothing.", said)
            code, said = self.run_("check", str(place / "bad.json"), "--resolution", "128", "--json")
            found = json.loads(said)
            self.assertEqual((code, found[0]["severity"]), (3, "warning"))
            # What was accepted for good is said no more.
            accepted = bad.model_copy(update={"accepted": [one["key"] for one in found]})
            (place / "bad.json").write_text(accepted.model_dump_json())
            self.assertEqual(self.run_("check", str(place / "bad.json"), "--resolution", "128")[0], 0)
            self.assertEqual(self.run_("check", str(place / "none.json"))[0], 2)


class Accepting(TestCase):
    def test_accepted_and_shown_again(self) -> None:
        document = Scene(object=ObjectFile(file="a.glb"), layers=[layer("paint")]).model_dump(mode="json")
        ground = Ground(lambda: SIZE)
        # Saved before there were findings.
        del document["accepted"]
        done = edited(document, command_of("accept-finding", {"key": "albedo:paint"}), ground)
        self.assertEqual(done.scene.accepted, ["albedo:paint"])
        with self.assertRaisesRegex(Exception, "accepted already"):
            edited(done.document, command_of("accept-finding", {"key": "albedo:paint"}), ground)
        back = edited(done.document, command_of("accept-finding", {"key": "albedo:paint", "accept": False}), ground)
        self.assertEqual(back.scene.accepted, [])
