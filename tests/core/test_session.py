"""A session answers for a document at a resolution, out of one store."""

from __future__ import annotations

import hashlib
import io
import re
import tempfile
import threading
from pathlib import Path
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import numpy as np
from PIL import Image

from limus.common.errors import Cancelled, InputError
from limus.common.store import Store
from limus.document.scene import Layer, Scene
from limus.effects.chipping import Chipping
from limus.effects.paint import Paint
from limus.formats.gltf_write import glb_bytes
from limus.looks.answer import Question
from limus.looks.answering import Answered, answer, answer_as_made
from limus.looks.look import Look
from limus.looks.packed import packed, unpacked
from limus.masks.recipe import Recipe, term
from limus.masks.sources.exposed import Exposed
from limus.masks.sources.noise import Noise
from limus.playing.session import Session, layer_of
from limus.playing.sizes import SIZES, fitting
from limus.surface import pyramid
from limus.surface.mesh import Mesh
from tests.core import shapes
from tests.core.test_effects import STORY, layer, scene


class Case(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "box.glb").write_bytes(glb_bytes(shapes.box(0.2)))
        self.store = Store(1 << 30)
        here = patch.dict("os.environ", {"LIMUS_CACHE": str(self.folder / "cache")})
        here.start()
        self.addCleanup(here.stop)

    def session(self, *layers: Layer, **more: Any) -> Session:
        return Session(scene(*layers, **more), lambda name: self.folder / name, store=self.store, good=128)

    def measured(self, *layers: Layer, quality: str = "draft", **more: Any) -> Session:
        out = self.session(*layers, **more)
        out.measure(quality, lambda share, word: None)
        return out


class Objects(Case):
    def test_sessions_of_one_object_share_the_mesh(self) -> None:
        first, second = self.session(), self.session(*STORY)
        self.assertFalse(second.ready)
        self.assertIs(first.mesh, second.mesh)
        self.assertTrue(second.ready)

    def test_a_changed_file_is_read_again(self) -> None:
        before = self.session().mesh
        (self.folder / "box.glb").write_bytes(glb_bytes(shapes.box(0.3)))
        self.assertGreater(self.session().mesh.diagonal, before.diagonal)

    def test_a_mesh_made_here_needs_no_file(self) -> None:
        session = Session.on(shapes.sphere(0.1, 24), scene(*STORY), store=self.store)
        texels, surface, notes = session.finished(64)
        self.assertEqual((len(surface.relief), notes), (len(texels), []))
        with self.assertRaisesRegex(InputError, "lies nowhere"):
            session.find("stroke.json")

    def test_sizes_follow_the_memory(self) -> None:
        mesh = self.session().mesh
        small, large = (Session.on(mesh, scene(), store=Store(size)) for size in (64 << 20, 64 << 30))
        self.assertEqual(large.sizes(), list(SIZES))
        self.assertLess(max(small.sizes()), 2048)
        # 1 GiB at 320 bytes a texel is 3.3 million of them: 1024 squared is 1.05, 2048 squared 4.2 million.
        self.assertEqual(Session.on(mesh, scene(), store=Store(1 << 30)).sizes(), [256, 512, 1024])
        self.assertEqual(small.sizes(), [256, 512, 1024])
        self.assertEqual(small.fitted(8192), max(small.sizes()))
        many = Mesh(
            mesh.positions, mesh.normals, mesh.triangles, mesh.uv, uv_domains=tuple(f"set {k}" for k in range(64))
        )
        self.assertEqual(fitting(many, 4096, 1 << 24), 512)

    def test_the_best_readings_there_are(self) -> None:
        session = self.session()
        self.assertIsNone(session.measuring.best())
        session.measure("draft", lambda share, word: None)
        found = session.measuring.best()
        assert found is not None
        self.assertEqual((found.quality, found.exact), ("draft", True))
        session.measure("good", lambda share, word: None)
        found = session.measuring.best()
        assert found is not None
        self.assertEqual((found.quality, found.exact), ("good", True))
        # From disk, in a process that knows nothing of it yet.
        self.store.clear()
        self.assertEqual(self.session().measuring.best().quality, "good")  # type: ignore[union-attr]

    def test_the_last_readings_stand_in_when_the_ground_moves(self) -> None:
        session = self.measured()
        self.assertIsNotNone(session.measuring.best())
        moved = scene()
        moved.setting.ground_mm = -300.0
        there = Session(moved, session.find, store=self.store, good=128)
        found = there.measuring.best()
        assert found is not None
        self.assertEqual((found.quality, found.exact), ("draft", False))

    def test_a_change_of_wind_leaves_the_sun_as_well_measured_as_it_is(self) -> None:
        session = self.measured(quality="good")
        turned = scene()
        turned.setting.wind_from_deg = 10.0
        there = Session(turned, session.find, store=self.store, good=128)
        texels = session.texels(64)
        before, after = session.measuring.exposure(texels), there.measuring.exposure(texels)
        self.assertEqual(before.key_of("sun"), after.key_of("sun"))
        self.assertNotEqual(before.key_of("rain"), after.key_of("rain"))
        np.testing.assert_array_equal(before.sun, after.sun)
        self.assertGreater(float(np.abs(before.rain - after.rain).max()), 0.01)

    def test_progress_rises_and_can_be_stopped(self) -> None:
        shares: list[float] = []
        self.session().measure("good", lambda share, word: shares.append(share))
        self.assertEqual(shares, sorted(shares))

        def stop(share: float, word: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            self.session(*STORY).measure("fine", stop)

    def test_one_heavy_object_does_not_stop_another(self) -> None:
        # While a mesh is being prepared another one's is given at once.
        self.session().mesh  # noqa: B018
        (self.folder / "slow.glb").write_bytes(glb_bytes(shapes.box(0.1)))
        inside, go_on = threading.Event(), threading.Event()
        real = pyramid.Texels.of

        def slow(mesh: Mesh, size: int) -> Any:
            inside.set()
            go_on.wait(10)
            return real(mesh, size)

        heavy = Session(
            scene().model_copy(update={"object": scene().object.model_copy(update={"file": "slow.glb"})}),
            lambda n: self.folder / n,
            store=self.store,
        )
        with patch.object(pyramid.Texels, "of", slow):
            thread = threading.Thread(target=lambda: heavy.texels(77))
            thread.start()
            inside.wait(5)
        self.assertEqual(self.session().texels(48).size, 48)
        go_on.set()
        thread.join(10)


class Answers(Case):
    def asked(self, session: Session, **more: Any) -> Answered:
        found = answer(session, Question(resolution=64, **more))
        assert found is not None
        return found

    def ask(self, session: Session, **more: Any) -> Any:
        return self.asked(session, **more).answer

    def test_nothing_before_it_was_measured(self) -> None:
        self.assertIsNone(answer(self.session(*STORY), Question(resolution=64)))
        as_made = answer_as_made(
            self.session(*STORY), Question(resolution=64, look=Look(kind="uv", name="checker"))
        ).answer
        self.assertEqual((as_made.readings, as_made.look.title if as_made.look else ""), ("missing", "Checker"))

    def test_maps_coverages_and_pictures(self) -> None:
        whole = self.asked(self.measured(*STORY), pictures=True, selected="chips")
        found: Any = whole.answer
        self.assertEqual(len(whole.pictures[found.maps.base_color[0]].data), 64 * 64 * 4)
        self.assertEqual([one.id for one in found.layers], [one.id for one in STORY])
        self.assertEqual(
            {c.id for c in found.coats},
            {"", "paint/primer", "paint/topcoat", "rust/oxide", "rust/runs", "dirt", "dust"},
        )
        self.assertAlmostEqual(sum(c.share for c in found.coats), 1.0, places=3)
        self.assertAlmostEqual(sum(found.exposed.values()), 1.0, places=3)
        self.assertEqual(len(found.where.terms), len(Chipping.default_where().terms))
        picture = Image.open(io.BytesIO(whole.pictures[found.pictures["lit"]].data))
        self.assertEqual(picture.size, (52, 52))
        self.assertGreater(np.asarray(picture).std(), 5)

    def test_nothing_is_encoded_twice(self) -> None:
        session = self.measured(*STORY)
        first = self.asked(session, pictures=True)
        with (
            patch("limus.looks.maps.encode_surface", side_effect=AssertionError("again")),
            patch("limus.looks.gallery.png_bytes", side_effect=AssertionError("again")),
        ):
            second = self.asked(session, pictures=True)
        self.assertEqual(first.answer, second.answer)
        self.assertEqual(first.pictures, second.pictures)

    def test_every_picture_that_an_answer_names_comes_with_it(self) -> None:
        for more in (
            {"pictures": True, "selected": "rust"},
            {"relief": True},
            {"look": Look(kind="mask", layer="rust")},
            {"look": Look(kind="acted", layer="rust")},
        ):
            found = self.asked(self.measured(*STORY), **more)
            named = set(re.findall(r'"([0-9a-f]{32})"', found.answer.model_dump_json()))
            self.assertGreater(len(named), 1)
            self.assertEqual(named, set(found.pictures))
            for name, blob in found.pictures.items():
                self.assertEqual(hashlib.blake2b(blob.data, digest_size=16).hexdigest(), name)

    def test_packed_and_unpacked(self) -> None:
        found = self.asked(self.measured(*STORY), pictures=True, selected="rust")
        data = packed(found)
        self.assertEqual(unpacked(data), found)
        # What somebody has is not sent again; numbers begin where they can be read in place.
        name = found.answer.maps.base_color[0]  # type: ignore[union-attr]
        rest = unpacked(packed(found, {name}))
        self.assertEqual(set(found.pictures) - set(rest.pictures), {name})
        at = data.index(found.pictures[name].data)
        self.assertEqual(at % 8, 0)
        for broken in (b"", data[:10], data[:-9], b"x" * 100, data.replace(b'"size": ', b'"size": 9', 1)):
            with self.assertRaises((ValueError, KeyError)):
                unpacked(broken)
        turned = bytearray(data)
        turned[-20] ^= 255
        with self.assertRaisesRegex(ValueError, "damaged"):
            unpacked(bytes(turned))

    def test_every_kind_of_look_says_its_range_and_its_numbers(self) -> None:
        session = self.measured(*STORY)
        lit = self.ask(session, look=Look(kind="channel", name="relief")).look
        self.assertEqual((lit.unit, lit.legend.low_word, lit.decimals), ("mm", "low", None))
        islands = answer_as_made(session, Question(resolution=64, look=Look(kind="uv", name="islands"))).answer.look
        assert islands is not None
        self.assertEqual((islands.decimals, islands.components), (0, ["island"]))
        for kind, more in (
            ("channel", {"name": "base_color"}), ("channel", {"name": "roughness"}), ("channel", {"name": "normal"}),
            ("channel", {"name": "ambient_occlusion"}), ("reading", {"name": "curvature"}), ("mask", {"layer": "rust"}),
            ("term", {"layer": "rust", "index": 0}), ("coat", {"index": 1}),
        ):  # fmt: skip
            look = self.ask(session, look=Look(kind=kind, **more)).look
            self.assertTrue(look.title, kind)
            self.assertTrue(look.maps, kind)
            # A colour is read off the picture; whatever has a ramp has numbers.
            self.assertEqual(look.legend is not None, bool(look.values), (kind, more))
        for kind, more in (
            ("term", {"layer": "rust", "index": 40}),
            ("coat", {"index": 99}),
            ("mask", {"layer": "ghost"}),
        ):
            with self.assertRaises(InputError):
                self.ask(session, look=Look(kind=kind, **more))

    def test_channels_in_use_can_be_looked_through(self) -> None:
        plain = self.ask(self.measured(layer("paint", Paint())), pictures=True)
        self.assertNotIn("coat_weight", plain.channels)
        shiny = self.measured(layer("paint", Paint(varnish=0.7)))
        found = self.ask(shiny, pictures=True)
        self.assertIn("coat_weight", found.channels)
        self.assertIn("channel:coat_weight", found.pictures)
        self.assertEqual(set(found.maps.more), {"clear_coat"})
        look = self.ask(shiny, look=Look(kind="channel", name="coat_roughness")).look
        self.assertEqual(look.title, "Clear coat roughness")
        with self.assertRaisesRegex(InputError, "no channel 'shine'.*coat_weight"):
            self.ask(shiny, look=Look(kind="channel", name="shine"))

    def test_looks_follow_the_size_of_the_object(self) -> None:
        (self.folder / "box.glb").write_bytes(glb_bytes(shapes.box(4.0)))
        look = self.ask(self.measured(), look=Look(kind="reading", name="curvature")).look
        self.assertEqual(look.title, "Curvature at 11 mm")

    def test_a_muted_line_more_or_less_is_the_layer_that_was_asked_for(self) -> None:
        # The key leaves out what makes no difference; the answer must still speak of the lines there are.
        noise, other = term(Noise(size_mm=30.0)), term(Exposed(what="base"), muted=True)
        bare = layer("dust", STORY[-1].effect, Recipe(terms=[noise]))
        more = layer("dust", STORY[-1].effect, Recipe(terms=[other, noise]))
        first = self.ask(self.measured(bare), selected="dust", look=Look(kind="term", layer="dust", index=0))
        second = self.ask(self.measured(more), selected="dust", look=Look(kind="term", layer="dust", index=1))
        self.assertEqual((len(first.where.terms), len(second.where.terms)), (1, 2))
        self.assertEqual(first.look.title, "dust: line 1")
        third = self.ask(self.measured(bare), selected="dust")
        self.assertEqual(len(third.where.terms), 1)

    def test_superseded_work_stops(self) -> None:
        def gone() -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            answer(self.measured(*STORY), Question(resolution=64), gone)

    def test_layers_by_id_or_name(self) -> None:
        self.assertEqual(
            layer_of(
                Scene(object=scene().object, layers=[Layer(id="a", name="The first", effect=Paint())]),
                "The first",
                "--layer",
            ),
            "a",
        )
        with self.assertRaisesRegex(InputError, "The scene has no layers: add one first"):
            layer_of(scene(), "x", "--layer")
