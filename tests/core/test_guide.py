"""The guide is made from what everything says of itself, so nothing can be missing from it."""

from __future__ import annotations

import io
import json
from contextlib import redirect_stdout
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.bases.store_room import STOCK
from limus.cli.main import main
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.treatments import shipped
from limus.effects.catalogue import EFFECTS
from limus.guide.bodies import TALL, body
from limus.guide.guide import guide_for
from limus.guide.pages import pictures_of
from limus.guide.pictures import SIZE, guide_picture
from limus.masks.recipe import SOURCES
from limus.surface.texels import Texels
from limus.surface.uv_health import uv_health


class Entries(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.entries = {(e.what, e.kind): e for e in guide_for()}

    def test_everything_has_a_page(self) -> None:
        for what, kinds in (("effect", EFFECTS), ("source", SOURCES), ("base", STOCK), ("treatment", shipped())):
            for kind in kinds:
                entry = self.entries[(what, kind)]
                with self.subTest(page=f"{what} {kind}"):
                    self.assertTrue(entry.title and entry.group and len(entry.summary) > 5)
                    for words in (entry.summary, *entry.notes, *(f.about for f in entry.fields)):
                        self.assertNotIn("``", words)
        self.assertEqual(len(self.entries), len(EFFECTS) + len(SOURCES) + len(STOCK) + len(shipped()) + 1)

    def test_every_setting_with_a_control_stands_on_its_page(self) -> None:
        for kind, effect in EFFECTS.items():
            wanted = {
                name
                for name, field in effect.model_json_schema()["properties"].items()
                if field.get("control") and field.get("title")
            }
            self.assertEqual({f.name for f in self.entries[("effect", kind)].fields}, wanted, kind)

    def test_defaults_are_those_of_an_object_of_this_size(self) -> None:
        def usual(size: float) -> str:
            entry = next(e for e in guide_for(ObjectSize(size)) if e.kind == "chipping")
            return next(f.usual for f in entry.fields if f.name == "size_mm")

        self.assertEqual(usual(1.0), f"{EFFECTS['chipping'].model_fields['size_mm'].default:g} mm")
        self.assertNotEqual(usual(1.0), usual(20.0))

    def test_figures_name_their_source(self) -> None:
        # What the documents say of paint and rust is on their pages too.
        for kind, wanted in (
            ("paint", "ISO 12944-5"),
            ("rust", "ISO 9224"),
            ("snow", "EN 1991-1-3"),
            ("dust", "Hinds"),
        ):
            self.assertIn(wanted, self.entries[("effect", kind)].figures)
        for kind in EFFECTS:
            self.assertTrue(self.entries[("effect", kind)].figures, kind)


class Pictures(TestCase):
    def test_bodies_stand_on_the_ground_and_are_fit(self) -> None:
        for name in ("box", "figure"):
            mesh = body(name)
            low, high = mesh.bounds
            self.assertAlmostEqual(float(low[1]), 0.0, places=5)
            self.assertAlmostEqual(float(high[1]), TALL, places=5)
            health = uv_health(mesh)
            self.assertLess(health.overlapping, 0.005, name)
            texels = Texels.of(mesh, 128)
            # Normals point outwards: sides away from the axis.
            sides = np.abs(texels.normal[:, 1]) < 0.9
            away = (texels.normal[:, [0, 2]] * texels.position[:, [0, 2]]).sum(axis=1)[sides]
            self.assertGreater(float(away.min()), -1e-4)

    def test_levels_differ_and_pictures_are_of_what_they_say(self) -> None:
        for kind in ("dust", "carving"):
            low, usual, high = (guide_picture("effect", kind, "box", level).astype(int) for level in LEVELS)
            self.assertEqual(usual.shape, (SIZE[1], SIZE[0], 3))
            self.assertGreater(np.abs(high - low).mean(), np.abs(usual - low).mean() * 0.9, kind)
            self.assertGreater(np.abs(high - low).max(), 8, kind)
        mask = guide_picture("source", "slope", "figure").astype(int)
        # A mask is black and white.
        self.assertLess(int(np.ptp(mask, axis=2).max()), 2)
        self.assertGreater(int(np.ptp(mask)), 100)
        gold, slate = (guide_picture("base", kind).astype(int) for kind in ("gold", "slate"))
        self.assertGreater((gold[..., 0] - gold[..., 2]).max(), (slate[..., 0] - slate[..., 2]).max() + 30)

    def test_what_is_not_there_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "no effect 'glitter'"):
            guide_picture("effect", "glitter")


LEVELS = ("low", "default", "high")


class Command(TestCase):
    def test_json_without_a_folder(self) -> None:
        out = io.StringIO()
        with redirect_stdout(out):
            self.assertEqual(main(["guide"]), 0)
        self.assertEqual(len(json.loads(out.getvalue())), len(guide_for()))

    def test_pages_with_their_pictures(self) -> None:
        with TemporaryDirectory() as folder, redirect_stdout(io.StringIO()):
            self.assertEqual(main(["guide", folder, "--only", "dust"]), 0)
            page = (Path(folder) / "index.html").read_text()
            entry = next(e for e in guide_for() if e.kind == "dust")
            names = sorted(p.name for p in Path(folder).glob("*.png"))
            self.assertEqual(len(names), len(list(pictures_of(entry))))
            for name in names:
                self.assertIn(name, page)
                with Image.open(Path(folder) / name) as picture:
                    self.assertEqual(picture.size, SIZE)
