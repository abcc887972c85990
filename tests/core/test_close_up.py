"""Tiles for a view that has come near: the pixels of a window, ready to be read between."""

from __future__ import annotations

import os
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import ClassVar
from unittest import TestCase, mock

import numpy as np
from scipy.ndimage import zoom

from limus.common.errors import Cancelled, InputError
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.looks.answer import Question
from limus.looks.answering import answer
from limus.looks.close import BORDER, TILE, CloseQuestion, TileAsked, close_up, densest
from limus.looks.gallery import Blob
from limus.looks.look import Look
from limus.materials.encode import encode_texels, pictures_of
from limus.playing.chronicle import Chapter, Chronicle
from limus.playing.session import Session
from limus.playing.windows import Windows
from limus.surface.texels import Texels
from limus.surface.window import Window, tile_blocks
from limus.targets.masks import MaskTaker, masks_asked
from tests.core import shapes
from tests.core.test_effects import STORY, scene

SIDE = TILE + 2 * BORDER


class Tiles(TestCase):
    """On one object that is measured once; what was played for one test is there for the next."""

    DENSITY, SIZE = 1024, 128
    session: ClassVar[Session]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        folder = TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        patch = mock.patch.dict(os.environ, {"LIMUS_CACHE": folder.name})
        patch.start()
        cls.addClassCleanup(patch.stop)
        cls.session = Session.on(shapes.box(0.2), scene(*STORY), store=Store(256 << 20), good=128)
        cls.session.measure("good", lambda share, word: None)

    def asked(
        self, *places: tuple[int, int], **more: object
    ) -> tuple[dict[tuple[int, int], dict[str, np.ndarray]], float]:
        question = CloseQuestion(
            density=self.DENSITY, resolution=self.SIZE, tiles=[TileAsked(page=0, x=x, y=y) for x, y in places], **more
        )  # type: ignore[arg-type]
        found = close_up(self.session, question)
        assert found is not None
        out, blobs = found

        def pixels(name: str, blob: Blob) -> np.ndarray:
            if name == "relief":
                return np.frombuffer(blob.data, np.float16).astype(np.float32).reshape(SIDE, SIDE, 1)
            flat = np.frombuffer(blob.data, np.uint8).reshape(-1, 4)
            return flat.reshape(SIDE, SIDE, 4) if len(flat) > 1 else np.broadcast_to(flat, (SIDE, SIDE, 4))

        return {
            (tile.x, tile.y): {name: pixels(name, blobs[named]) for name, named in tile.pictures.items()}
            for tile in out.tiles
        }, out.texel_mm

    def test_they_are_the_pixels_of_a_window(self) -> None:
        found, texel_mm = self.asked((1, 1))
        readings = self.session.measuring.best()
        assert readings is not None
        player = self.session.chronicle(readings.measured, self.SIZE, weather=self.session.scene.asks_for_weather)
        windows = Windows(player, self.DENSITY, Store(64 << 20))
        record = windows.record(self.session.scene)
        cut = self.DENSITY // self.SIZE
        wide = TILE // cut
        window, surface = windows.draw(
            self.session.scene, record, tile_blocks(windows.whole, 0, wide, wide, wide, wide)
        )
        self.assertAlmostEqual(texel_mm, window.texel_mm, places=9)
        core = window.core
        x, y = window.pixel[core] % self.DENSITY - TILE + BORDER, window.pixel[core] // self.DENSITY - TILE + BORDER
        self.assertEqual(set(found[1, 1]), {*pictures_of(record.surface.sheet), "relief"})
        # The relief in mm, to what a half float tells apart.
        np.testing.assert_allclose(found[1, 1]["relief"][y, x, 0], surface.relief[core], rtol=1e-3, atol=1e-6)
        self.assertGreater(float(np.ptp(surface.relief[core])), 0.01)
        for name, held in pictures_of(record.surface.sheet).items():
            wanted = encode_texels(name, held, surface.sheet, surface.normal, surface.occlusion)
            if len(wanted) > 1:
                off = np.abs(found[1, 1][name][y, x].astype(int) - wanted[core]).max(axis=1)
                self.assertLess(float((off > 2).mean()), 1e-3, name)

    def test_after_an_edit_only_what_changed_is_played_again(self) -> None:
        places = ((0, 0), (1, 0))
        *earlier, last = self.session.scene.layers
        edited = self.session.scene.model_copy(
            update={"layers": [*earlier, last.model_copy(update={"strength": 0.5 * last.strength})]}
        )
        played: list[str] = []
        own = Chronicle._happen

        def happen(chronicle: Chronicle, layer: Layer, *rest: object) -> Chapter:
            if isinstance(chronicle.texels, Window):
                played.append(layer.id)
            return own(chronicle, layer, *rest)  # type: ignore[arg-type]

        before = self.session
        self.addCleanup(setattr, type(self), "session", before)
        self.asked(*places)
        with mock.patch.object(Chronicle, "_happen", happen):
            type(self).session = before.showing(edited)
            found, _ = self.asked(*places)
            self.assertEqual(played, [last.id])
            # The same bytes as where nothing was there.
            played.clear()
            before.store.clear()
            cold, _ = self.asked(*places)
            self.assertEqual(played, [layer.id for layer in edited.layers if edited.plays(layer)])
            type(self).session = before
        for place, pictures in found.items():
            for name, pixels in pictures.items():
                np.testing.assert_array_equal(pixels, cold[place][name], name)
        self.assertTrue(any((found[0, 0][n] != self.asked(*places)[0][0, 0][n]).any() for n in found[0, 0]))

    def test_the_border_is_what_the_next_tile_begins_with(self) -> None:
        """Each drawn by itself, in a window of its own; off the surface each shows what lies nearest to it."""
        density, found = self.DENSITY, {}
        for place in ((1, 0), (2, 0), (1, 1)):
            self.session.store.clear()
            found |= self.asked(place)[0]
        surface = (Texels.of(self.session.mesh, density).index >= 0).reshape(density, density)
        there = {
            "right": surface[:TILE, 2 * TILE - BORDER : 2 * TILE + BORDER],
            "below": surface[TILE - BORDER : TILE + BORDER, TILE : 2 * TILE],
        }
        self.assertGreater(min(float(one.mean()) for one in there.values()), 0.2)
        for name, left in found[1, 0].items():
            for off, (one, other) in {
                "right": (left[BORDER:-BORDER, -2 * BORDER :], found[2, 0][name][BORDER:-BORDER, : 2 * BORDER]),
                "below": (left[-2 * BORDER :, BORDER:-BORDER], found[1, 1][name][: 2 * BORDER, BORDER:-BORDER]),
            }.items():
                # Of the relief a hundredth of a millimetre counts as a step of the others.
                apart = np.abs(one.astype(float) - other).max(axis=2)[there[off]] * (100 if name == "relief" else 1)
                self.assertLess(float((apart > 2).mean()), 5e-3, f"{name} {off}")

    def test_they_are_finer_than_the_maps(self) -> None:
        found, _ = self.asked((1, 1))
        texels = self.session.texels(self.SIZE)
        readings = self.session.measuring.best()
        assert readings is not None
        player = self.session.chronicle(readings.measured, self.SIZE, weather=self.session.scene.asks_for_weather)
        surface = player.finish(player.play(self.session.scene)[-1].pile)
        coarse = texels.image(encode_texels("base_color", pictures_of(surface.sheet)["base_color"], surface.sheet,
            surface.normal, surface.occlusion))[0, 32:64, 32:64, :3].astype(float)  # fmt: skip
        fine = found[1, 1]["base_color"][BORDER:-BORDER, BORDER:-BORDER, :3].astype(float)
        blocks = fine.reshape(32, 8, 32, 8, 3)
        # Within a texel of the maps there is something to see, and on the mean it is the same surface.
        smooth = zoom(coarse, (8, 8, 1), order=1, grid_mode=True, mode="nearest").reshape(32, 8, 32, 8, 3)
        own, drawn_out = (float(a.std(axis=(1, 3)).mean()) for a in (blocks, smooth))
        self.assertGreater(own, 1.5 * drawn_out)
        self.assertLess(float(np.abs(blocks.mean(axis=(1, 3)) - coarse).mean()), 12.0)
        self.assertLess(float(np.abs(fine.mean(axis=(0, 1)) - coarse.mean(axis=(0, 1))).max()), 5.0)

    def test_only_the_pictures_that_are_asked_for_and_made_once(self) -> None:
        found, _ = self.asked((1, 1), pictures=["orm"])
        self.assertEqual(set(found[1, 1]), {"orm"})
        misses = self.session.store.misses
        again, _ = self.asked((1, 1), pictures=["base_color"])
        self.assertEqual(set(again[1, 1]), {"base_color"})
        # The record and the tile are there; nothing of the story is played again.
        self.assertLess(self.session.store.misses - misses, 4)
        self.assertEqual(set(self.asked((1, 1), pictures=["relief", "orm"])[0][1, 1]), {"relief", "orm"})

    def test_off_the_surface_and_at_the_edge_of_the_picture(self) -> None:
        across = self.DENSITY // TILE
        found, _ = self.asked((0, 0), (across - 1, across - 1))
        for pictures in found.values():
            self.assertGreater(int(pictures["orm"][:, :, 1].min()), 20)

    def test_the_moment_that_is_looked_at(self) -> None:
        made, _ = self.asked((1, 1), until="")
        now, _ = self.asked((1, 1))
        self.assertGreater(float(np.abs(made[1, 1]["base_color"].astype(int) - now[1, 1]["base_color"]).mean()), 5.0)

    def test_a_look_through_is_as_fine(self) -> None:
        """The mask of a layer, taken from a window as a delivery takes it; black 0, white 255."""
        found, _ = self.asked((1, 1), look={"kind": "mask", "layer": "rust"})
        self.assertEqual(set(found[1, 1]), {"look"})
        readings = self.session.measuring.best()
        assert readings is not None
        player = self.session.chronicle(readings.measured, self.SIZE, weather=self.session.scene.asks_for_weather)
        windows, cut = Windows(player, self.DENSITY, Store(64 << 20)), self.DENSITY // self.SIZE
        taker = MaskTaker(self.session.scene, masks_asked(["rust"], self.session.scene))
        record, wide = windows.record(self.session.scene), TILE // cut
        blocks = tile_blocks(windows.whole, 0, wide, wide, wide, wide)
        window, _ = windows.draw(self.session.scene, record, blocks, watch=taker)
        core, (mask,) = window.core, taker.fields.values()
        x, y = window.pixel[core] % self.DENSITY - TILE + BORDER, window.pixel[core] // self.DENSITY - TILE + BORDER
        off = np.abs(found[1, 1]["look"][y, x, 0].astype(float) - mask[core] * 255.0)
        self.assertLess(float((off > 2.0).mean()), 1e-3)
        self.assertGreater(float(mask[core].std()), 0.05)

    def test_every_look_is_the_one_that_is_seen_at_large(self) -> None:
        """Colors within a tile have the mean of those of the picture that the tile lies over."""
        apart = {}
        for look in (
            {"kind": "mask", "layer": "rust"}, {"kind": "acted", "layer": "chips"}, {"kind": "acted", "layer": "dust"},
            {"kind": "term", "layer": "rust", "index": 0}, {"kind": "coat", "index": 0},
            {"kind": "channel", "name": "roughness"}, {"kind": "channel", "name": "relief"},
            {"kind": "channel", "name": "normal"}, {"kind": "reading", "name": "curvature", "size_mm": 8.0},
            {"kind": "reading", "name": "rain"}, {"kind": "reading", "name": "slope"},
        ):  # fmt: skip
            question = Question(resolution=self.SIZE, look=Look.model_validate(look))
            answered = answer(self.session, question)
            assert answered is not None
            assert answered.answer.look is not None
            data = answered.pictures[answered.answer.look.maps[0]].data
            large = np.frombuffer(data, np.uint8).reshape(self.SIZE, self.SIZE, 4)[32:64, 32:64, :3]
            found, _ = self.asked((1, 1), look=look)
            tile = found[1, 1]["look"][BORDER:-BORDER, BORDER:-BORDER, :3].reshape(32, 8, 32, 8, 3)
            off = np.abs(tile.mean(axis=(1, 3)) - large)
            apart[str(look)] = (
                round(float(off.mean()), 1),
                round(float(np.abs(tile.mean(axis=(0, 1, 2, 3)) - large.mean(axis=(0, 1))).max()), 1),
            )
        far = {look: found for look, found in apart.items() if found[0] > 20.0 or found[1] > 6.0}
        self.assertEqual(far, {}, apart)

    def test_a_look_at_an_earlier_moment(self) -> None:
        """A mask is that of its layer whenever one looks; a channel is that of the moment."""
        looks = {"mask": {"kind": "mask", "layer": "rust"}, "color": {"kind": "channel", "name": "base_color"}}
        same = {}
        for name, look in looks.items():
            made, now = (self.asked((1, 1), look=look, until=until)[0][1, 1]["look"] for until in ("", None))
            same[name] = bool((made == now).all())
        self.assertEqual(same, {"mask": True, "color": False})

    def test_looks_that_are_refused(self) -> None:
        for look, where in (
            ({"kind": "facing", "eye": (0, 0, 1)}, "look.kind"), ({"kind": "uv", "name": "stretch"}, "look.kind"),
            ({"kind": "mask", "layer": "gone"}, "look.layer"), ({"kind": "term", "layer": "rust", "index": 99}, "look"),
        ):  # fmt: skip
            with self.subTest(look), self.assertRaises(InputError) as caught:
                self.asked((1, 1), look=look)
            self.assertIn(where, caught.exception.where)

    def test_refusals(self) -> None:
        for density, tile, words in (
            (1000, (0, 0, 0), "no power of two"),
            (1024, (0, 4, 0), "4 x 4 tiles"),
            (1024, (1, 0, 0), "map set 1"),
            (65536, (0, 0, 0), ""),
        ):
            page, x, y = tile
            question = CloseQuestion(density=density, resolution=128, tiles=[TileAsked(page=page, x=x, y=y)])
            if not words:
                continue
            with self.assertRaises(InputError) as caught:
                close_up(self.session, question)
            self.assertIn(words, caught.exception.line)

        def stop() -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            close_up(
                self.session, CloseQuestion(density=2048, resolution=128, tiles=[TileAsked(page=0, x=0, y=0)]), stop
            )

    def test_not_measured_yet(self) -> None:
        fresh = Session.on(shapes.box(0.21), Scene(object=ObjectFile(file="a.glb")), lambda name: Path(name),
            store=Store(32 << 20))  # fmt: skip
        self.assertIsNone(close_up(fresh, CloseQuestion(density=1024, tiles=[TileAsked(page=0, x=0, y=0)])))


class HowDense(TestCase):
    def test_down_to_a_twentieth_of_a_millimetre(self) -> None:
        # 1.2 mm at 1024: 0.075 at 16384, and 0.0375 would be finer than anybody asks for.
        self.assertEqual(densest(1.2, 1024), 16384)
        self.assertEqual(densest(0.8, 1024), 16384)
        self.assertEqual(densest(0.06, 1024), 1024)
        self.assertEqual(densest(60.0, 1024), 65536)
