"""The condition report: areas and thicknesses of a box whose coats are known, grades by their tables, and files that
others can read (the csv module; pypdf).
"""

from __future__ import annotations

import csv
import io
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import pypdf

from limus.bases.choice import from_stock
from limus.cli.main import main
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.document.start import fresh_effect
from limus.formats.gltf_write import glb_bytes
from limus.masks.recipe import Recipe, term
from limus.masks.sources.parts import Parts
from limus.playing.session import Session
from limus.readings.setting import Setting
from limus.report.as_pdf import as_pdf, words
from limus.report.as_table import HEAD, as_csv
from limus.report.condition import Condition, condition
from limus.report.grades import crack_size, flaking_iso, rust_astm, rust_iso
from tests.core import shapes

SIZE = ObjectSize(0.6)
FLAT = {"unevenness": 0.0, "sags": 0.0, "overspray": 0.0, "edge_mm": 0.0}


def layer(kind: str, where: Recipe | None = None, name: str = "", **fields: Any) -> Layer:
    effect = fresh_effect(kind, SIZE, Setting()).model_copy(update=fields)
    return Layer(id=(name or kind).lower(), name=name or kind.title(), effect=effect, where=where or Recipe())  # type: ignore[arg-type]


class Boxes(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.mesh = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.4, 0, 0)))
        cls.readings: Any = None

    def session(self, *layers: Layer, **more: Any) -> Session:
        scene = Scene(name="Two boxes", object=ObjectFile(file="a.glb"), layers=list(layers), **more)
        session = Session.on(self.mesh, scene, store=Store(1 << 30))
        if self.readings is None:
            session.measure("draft", lambda share, word: None)
            best = session.measuring.best()
            assert best is not None
            type(self).readings = best.measured
        return session

    def measured(self, *layers: Layer, year: float | None = None, **more: Any) -> Condition:
        session = self.session(*layers, **more)
        chronicle = session.chronicle(self.readings, 256, weather=session.scene.asks_for_weather)
        return condition(chronicle, session.scene, year)

    def test_areas_and_thickness_of_plain_paint(self) -> None:
        names = [part.name for part in self.mesh.parts]
        primer = layer("paint", name="Primer", primer=False, undercoat=False, thickness_um=60.0, varnish=0.0, **FLAT)
        top = layer(
            "paint", Recipe(terms=[term(Parts(names=names[:1]))]), "Top", primer=False, undercoat=False,
            thickness_um=90.0, varnish=0.0, **FLAT,
        )  # fmt: skip
        found = self.measured(primer, top)
        # Six sides of 0.2 m and six of 0.1 m.
        areas = [6 * 0.2**2, 6 * 0.1**2]
        self.assertAlmostEqual(found.whole.area_m2, sum(areas), delta=0.02 * sum(areas))
        for part, area in zip(found.parts, areas, strict=True):
            self.assertAlmostEqual(part.area_m2, area, delta=0.03 * area)
        coats = {coat.name: coat for coat in found.whole.coats}
        self.assertAlmostEqual(coats["Top"].lies, 0.8, delta=0.01)
        self.assertAlmostEqual(coats["Primer"].lies, 1.0, delta=0.001)
        assert coats["Top"].thickness_um is not None and found.whole.film_um is not None
        self.assertAlmostEqual(coats["Top"].thickness_um.median, 90.0, delta=4.0)
        # Together: 150 µm on four fifths, 60 on the rest.
        self.assertAlmostEqual(found.whole.film_um.mean, 0.8 * 150 + 0.2 * 60, delta=6.0)
        self.assertLess(found.whole.film_um.low, 70.0)
        self.assertGreater(found.whole.film_um.high, 140.0)
        small = {coat.name: coat for coat in found.parts[1].coats}
        self.assertNotIn("Top", small)
        self.assertAlmostEqual(sum(coat.shows for coat in found.whole.coats), 1.0, delta=0.03)
        self.assertEqual((found.whole.rust_iso, found.whole.flaking_iso), ("Ri0", "0"))
        self.assertEqual(found.whole.flaked, 0.0)

    def test_what_flaked_is_graded(self) -> None:
        paint = layer("paint", primer=False, undercoat=False, thickness_um=60.0, **FLAT)
        chips = layer("chipping", by="coverage", coverage=0.03, depth=1.0)
        found = self.measured(paint, chips)
        assert found.whole.flaked is not None
        self.assertAlmostEqual(found.whole.flaked, 0.03, delta=0.006)
        self.assertEqual(found.whole.flaking_iso, "4")
        self.assertAlmostEqual(found.whole.painted, 1.0, delta=0.001)
        bare = self.measured()
        self.assertIsNone(bare.whole.flaked)
        self.assertEqual(bare.whole.flaking_iso, "")
        self.assertIsNone(bare.whole.film_um)

    def test_rust_grows_with_the_years(self) -> None:
        rust = layer("rust", by="coverage", coverage=0.08, years=20.0)
        setting = Setting(years=20.0)
        iron = {"setting": setting, "bases": [from_stock("cast iron")]}
        now = self.measured(rust, **iron)
        begun = self.measured(rust, year=0.0, **iron)
        self.assertAlmostEqual(now.whole.rusted, 0.08, delta=0.02)
        self.assertEqual(now.whole.rust_iso, "Ri4")
        self.assertLess(begun.whole.rusted, now.whole.rusted)
        self.assertEqual((now.year, begun.year), (20.0, 0.0))

    def test_cracks_are_named_by_their_width(self) -> None:
        found = self.measured(layer("cracks", width_mm=0.5), bases=[from_stock("rough concrete")])
        self.assertEqual([(name, width, grade) for name, width, grade in found.cracks], [("Cracks", 0.5, "4")])

    def test_as_a_table_and_as_a_page(self) -> None:
        paint = layer("paint", primer=False, undercoat=False).model_copy(update={"name": "=1+1"})
        found = self.measured(paint)
        rows = list(csv.DictReader(io.StringIO(as_csv(found))))
        self.assertEqual(tuple(rows[0]), HEAD)
        self.assertEqual({row["part"] for row in rows}, {"", *(part.name for part in found.parts)})
        # No spreadsheet takes a name for a formula.
        self.assertIn("'=1+1", {row["coat"] for row in rows})
        self.assertAlmostEqual(
            sum(float(row["shows_m2"]) for row in rows if not row["part"]), found.whole.area_m2, delta=0.02
        )
        pages = pypdf.PdfReader(io.BytesIO(as_pdf(found)))
        text = "".join(page.extract_text() for page in pages.pages)
        for said in ("Condition of Two boxes", "=1+1", "ISO 4628-3", words(found.whole)[:12]):
            self.assertIn(said, text)
        # The same page twice is the same file.
        self.assertEqual(as_pdf(found), as_pdf(found))


class Grades(TestCase):
    def test_borders(self) -> None:
        rust = {0.0: "Ri0", 1e-4: "Ri0", 5e-4: "Ri1", 4e-3: "Ri2", 0.01: "Ri3", 0.08: "Ri4", 0.4: "Ri5", 1.0: "Ri5"}
        for share, grade in rust.items():
            self.assertEqual(rust_iso(share), grade, share)
        steel = {0.0: "10", 1e-4: "10", 3e-4: "9", 0.01: "6", 0.1: "4", 0.34: "1", 0.6: "0"}
        for share, grade in steel.items():
            self.assertEqual(rust_astm(share), grade, share)
        flaked = {0.0: "0", 1e-3: "1", 3e-3: "2", 0.01: "3", 0.03: "4", 0.15: "5"}
        for share, grade in flaked.items():
            self.assertEqual(flaking_iso(share), grade, share)
        for width, grade in ((0.01, "1"), (0.1, "3"), (0.5, "4"), (1.0, "5"), (30.0, "5")):
            self.assertEqual(crack_size(width), grade, width)

    def test_more_is_never_better(self) -> None:
        shares = np.linspace(0, 1, 400)
        self.assertEqual([rust_iso(s) for s in shares], sorted(rust_iso(s) for s in shares))
        astm = [int(rust_astm(s)) for s in shares]
        self.assertEqual(astm, sorted(astm, reverse=True))


class Command(TestCase):
    def run_it(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = main(["report", *words])
        return code, out.getvalue(), err.getvalue()

    def test_files_and_bad_input(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            (place / "a.glb").write_bytes(glb_bytes(shapes.box(0.2), name="Box"))
            scene = Scene(name="Box", object=ObjectFile(file="a.glb"), layers=[layer("paint")])
            (place / "s.json").write_text(scene.model_dump_json())
            where = str(place / "s.json")
            code, said, _ = self.run_it(where, "--resolution", "128")
            self.assertEqual(code, 0)
            self.assertIn("ISO 4628-3", said)
            for name in ("r.pdf", "r.csv", "r.json"):
                self.assertEqual(self.run_it(where, "--resolution", "128", "--out", str(place / name))[0], 0)
            self.assertEqual(json.loads((place / "r.json").read_text())["object"], "Box")
            page = pypdf.PdfReader(place / "r.pdf").pages[0]
            self.assertEqual(len(page.images), 1)
            for words_, wrong in ((["--out", "r.doc"], "no kind of report"), (["--year", "-3"], "number of years")):
                code, _, err = self.run_it(where, *words_)
                self.assertEqual(code, 2)
                self.assertIn(wrong, err)
                self.assertEqual(err.count("\n"), 1)
