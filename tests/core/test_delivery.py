"""What is taken away: names, ranges, and pixels that say what the surface is."""

from __future__ import annotations

import errno
import gc
import io
import json
import os
import struct
import subprocess
import tempfile
import weakref
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import numpy as np
from PIL import Image

from limus.common.colour import to_linear
from limus.common.errors import Cancelled, InputError
from limus.document.scene import Layer
from limus.effects.paint import Paint
from limus.formats import rows
from limus.masks.recipe import Recipe, term
from limus.masks.sources.even import Even
from limus.playing.measuring import Say
from limus.playing.session import Session
from limus.targets import tiles
from limus.targets.delivery import deliver, delivery_room, outlook
from limus.targets.kinds.gltf import gltf_maps
from limus.targets.masks import MaskAsked, mask_names, masks_asked
from limus.targets.naming import Naming
from limus.targets.order import Order
from limus.targets.targets import TARGETS
from limus.targets.written import file_stem, map_set_stems
from tests.core import shapes
from tests.core.maps import map_files
from tests.core.test_effects import STORY, scene


class OwnReadings(TestCase):
    """What is measured stays in a folder of the test."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        patch = mock.patch.dict(os.environ, {"LIMUS_CACHE": folder.name})
        patch.start()
        self.addCleanup(patch.stop)


class Deliveries(OwnReadings):
    def setUp(self) -> None:
        super().setUp()
        self.mesh = shapes.box(0.2)
        self.scene = scene(*STORY, name="Pier cap No. 4")

    def maps(self, bits: int = 8) -> tuple[Any, Any, dict[str, np.ndarray], dict[str, Any]]:
        texels, surface, _ = Session.on(self.mesh, self.scene).finished(128)
        files = map_files(self.scene.name, texels, surface, bits)
        about = json.loads(files[-1].data)
        pictures = {about["files"][f.name]["channel"]: np.asarray(Image.open(io.BytesIO(f.data))) for f in files[:-1]}
        return texels, surface, pictures, about

    def test_names(self) -> None:
        self.assertEqual(file_stem("Pier cap No. 4"), "pier-cap-no-4")
        self.assertEqual(file_stem("  /..\\ "), "object")
        names = [f.name for f in deliver(Session.on(self.mesh, self.scene), Order(target="maps", resolution=64))[0]]
        self.assertIn("pier-cap-no-4_object_base-color.png", names)
        self.assertEqual(
            [f.name for f in deliver(Session.on(self.mesh, self.scene), Order(resolution=64))[0]],
            ["pier-cap-no-4.glb"],
        )

    def test_data_maps_are_linear_and_colour_is_srgb(self) -> None:
        texels, surface, pictures, _ = self.maps()
        flat = pictures["roughness"].ravel()[texels.pixel] / 255
        np.testing.assert_allclose(flat, surface.channel("roughness"), atol=0.003)
        np.testing.assert_allclose(
            pictures["metalness"].ravel()[texels.pixel] / 255, surface.channel("metalness"), atol=0.003
        )
        color = to_linear(pictures["base-color"].reshape(-1, 3)[texels.pixel] / 255)
        np.testing.assert_allclose(color, surface.channel("base_color"), atol=0.006)
        np.testing.assert_allclose(
            pictures["ambient-occlusion"].ravel()[texels.pixel] / 255, 1 - surface.occlusion, atol=0.003
        )

    def test_height_in_millimetres_comes_back(self) -> None:
        texels, surface, pictures, about = self.maps()
        low, high = about["height"]["black_mm"], about["height"]["white_mm"]
        back = pictures["height"].astype(float).ravel()[texels.pixel] / 65535 * (high - low) + low
        np.testing.assert_allclose(back, surface.relief, atol=(high - low) / 30000)

    def test_normals_in_sixteen_bit_are_unit_vectors(self) -> None:
        # Pillow reads 16-bit RGB as 8 bit, so the PNG is taken apart by hand: header, then rows through zlib.
        import zlib

        texels, surface, _ = Session.on(self.mesh, self.scene).finished(64)
        raw = next(f.data for f in map_files("x", texels, surface) if f.name.endswith("normal.png"))
        width, height, depth, kind = struct.unpack(">IIBB", raw[16:26])
        self.assertEqual((width, height, depth, kind), (64, 64, 16, 2))
        at = raw.index(b"IDAT")
        packed = raw[at + 4 : at + 4 + struct.unpack(">I", raw[at - 4 : at])[0]]
        rows = np.frombuffer(zlib.decompress(packed), np.uint8).reshape(64, -1)
        self.assertEqual(set(rows[:, 0]), {2})  # each row is stored as its difference from the one above
        values = (
            np.cumsum(rows[:, 1:].astype(np.uint64), axis=0).astype(np.uint8).view(">u2").reshape(-1, 3)[texels.pixel]
        )
        normal = values.astype(float) / 65535 * 2 - 1
        np.testing.assert_allclose(normal, surface.normal, atol=5e-5)
        np.testing.assert_allclose(np.linalg.norm(normal, axis=1), 1.0, atol=1e-4)

    def test_sixteen_bit_maps_have_finer_steps(self) -> None:
        coarse, fine = self.maps(8)[2]["roughness"], self.maps(16)[2]["roughness"]
        self.assertGreater(len(np.unique(fine)), 2 * len(np.unique(coarse)))

    def test_map_sets_never_write_over_each_other(self) -> None:
        # Two of one name, two that fold to one file name, two of which nothing is left.
        names = ("Steel 1", "steel.1", "Steel 1", "\u94a2", "\u9244")
        boxes = shapes.joined(*[shapes.box(0.1, (0.3 * k, 0, 0)) for k in range(5)])
        mesh = replace(boxes, parts=tuple(replace(p, map_set=k) for k, p in enumerate(boxes.parts)), uv_domains=names)
        texels, surface, _ = Session.on(mesh, self.scene).finished(32)
        files = {f.name: f.data for f in map_files("x", texels, surface)}
        about = json.loads(files.pop("maps.json"))["files"]
        self.assertEqual((len(files), len(about)), (5 * 9, 5 * 9))
        self.assertEqual(set(files), set(about))
        self.assertEqual(
            [entry["name_in_file"] for name, entry in about.items() if entry["channel"] == "base-color"], list(names)
        )
        # The third one is called 'Steel 1 2' by then, and keeps that.
        self.assertEqual(map_set_stems(mesh.uv_domains), ("steel-1", "steel-1-3", "steel-1-2", "map-set", "map-set-2"))

    def test_clear_coat_only_where_there_is_one(self) -> None:
        texels, surface, _ = Session.on(self.mesh, self.scene).finished(64)
        self.assertEqual(set(gltf_maps(texels, surface)[0].pictures), {"base_color", "orm", "normal", "fuzz"})
        shiny = scene(Layer(id="paint", name="p", effect=Paint(varnish=0.8), where=Recipe()))
        texels, surface, _ = Session.on(self.mesh, shiny).finished(64)
        found = gltf_maps(texels, surface)[0].pictures["clear_coat"]
        picture = np.asarray(Image.open(io.BytesIO(found))).reshape(-1, 3)[texels.pixel]
        self.assertAlmostEqual(float(picture[:, 0].mean()) / 255, 0.8, delta=0.02)
        self.assertIn(
            "clear-coat", {f.name.split("_")[-1].removesuffix(".png") for f in map_files("x", texels, surface)}
        )

    def test_off_the_surface_the_map_goes_on(self) -> None:
        _, _, pictures, _ = self.maps()
        # Nothing black or empty beside an island: the smallest roughness of the picture is that of the surface.
        self.assertGreater(int(pictures["roughness"].min()), 40)

    def test_progress_rises_to_one_and_may_cancel(self) -> None:
        seen: list[float] = []
        deliver(
            Session.on(self.mesh, self.scene),
            Order(resolution=64),
            progress=lambda share, word: seen.append(share),
        )
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1], 1.0)

        def stop(share: float, word: str) -> None:
            if share > 0.6:
                raise Cancelled

        with self.assertRaises(Cancelled):
            deliver(Session.on(self.mesh, self.scene), Order(resolution=64), progress=stop)

    def test_until_stops_there(self) -> None:
        _, painted, _ = Session.on(self.mesh, self.scene).finished(64, until="paint")
        _, today, _ = Session.on(self.mesh, self.scene).finished(64)
        self.assertGreater(float(np.abs(painted.channel("roughness") - today.channel("roughness")).max()), 0.3)

    def test_an_empty_chronicle_gives_the_bare_base(self) -> None:
        _, surface, _ = Session.on(self.mesh, scene()).finished(64)
        self.assertTrue((surface.channel("metalness") == 1).all())


class Masks(OwnReadings):
    """Masks that go along, read back by another library (Pillow)."""

    def setUp(self) -> None:
        super().setUp()
        self.scene = scene(*STORY, name="Pier cap")
        self.session = Session.on(shapes.box(0.2), self.scene)

    def taken(self, *masks: str, packed: bool = False) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
        order = Order(target="maps", resolution=64, masks=masks, packed=packed)
        files, _ = deliver(self.session, order)
        names = [f.name for f in files]
        self.assertEqual(names, outlook(self.session, order).files)
        about = json.loads(next(f for f in files if f.name == "masks.json").data)
        pictures = {f.name: np.asarray(Image.open(io.BytesIO(f.data))) for f in files if f.name in about["files"]}
        return pictures, about["files"]

    def test_each_is_what_it_is_named_for(self) -> None:
        pictures, about = self.taken("rust", "rust:acted", "rust:1", "paint:coat", "paint:coat/primer")
        self.assertEqual(
            list(pictures),
            [
                f"pier-cap_object_mask-{stem}.png"
                for stem in ("rust", "rust-acted", "rust-line-1", "paint-coat", "paint-coat-primer")
            ],
        )
        chronicle = self.session.exact(64)
        texels = chronicle.texels
        chapters = {c.layer.id: c for c in chronicle.play(self.scene)}
        rust = chapters["rust"]
        shown = {coat: field for coat, _, field in chronicle.exposures(list(chapters.values())[-1].pile)}
        before = chronicle.before(self.scene, "rust")
        line = rust.layer.where.terms[0].value(chronicle.scope(self.scene, before))
        of_paint = sum(field for coat, field in shown.items() if coat.split("/")[0] == "paint")
        wanted = [rust.mask, rust.shown, line, of_paint, shown["paint/primer"]]
        for (name, picture), field in zip(pictures.items(), wanted, strict=True):
            self.assertGreater(float(field.max()), 0.0, name)
            np.testing.assert_allclose(picture.ravel()[texels.pixel] / 255, field, atol=0.003, err_msg=name)
        # Where it may be is not where it acted.
        self.assertGreater(float(np.abs(rust.mask - rust.shown).max()), 0.1)
        self.assertEqual(
            about["pier-cap_object_mask-rust-line-1.png"]["channels"],
            {"L": {"layer": "rust", "name": rust.layer.name, "shows": "line", "line": 1}},
        )

    def test_four_to_a_file(self) -> None:
        single, _ = self.taken("paint", "chips", "rust", "dirt", "dust")
        packed, about = self.taken("paint", "chips", "rust", "dirt", "dust", packed=True)
        one, two = packed.values()
        self.assertEqual((one.shape, two.shape), ((64, 64, 4), (64, 64, 4)))
        for k, picture in enumerate(single.values()):
            np.testing.assert_array_equal((one if k < 4 else two)[..., k % 4], picture)
        # What is left over is black, and an alpha that nobody asked for hides nothing.
        self.assertEqual((int(two[..., 1:3].max()), int(two[..., 3].min())), (0, 255))
        first, second = about.values()
        self.assertEqual([c["layer"] for c in first["channels"].values()], ["paint", "chips", "rust", "dirt"])
        self.assertEqual(list(second["channels"]), ["R"])

    def test_a_black_one_says_so(self) -> None:
        dark = scene(*STORY)
        dark.layers[4].where = Recipe(terms=[term(Even(level=0.0))])
        session = Session.on(self.session.mesh, dark)
        _, notes = deliver(session, Order(target="maps", resolution=64, masks=("dust", "paint")))
        self.assertIn("dust: the mask is black everywhere", notes)
        self.assertFalse([note for note in notes if note.startswith("paint: the mask")])

    def test_none_are_asked_for(self) -> None:
        names = [f.name for f in deliver(self.session, Order(target="maps", resolution=64))[0]]
        self.assertFalse([name for name in names if "mask" in name])
        self.assertEqual(mask_names(Naming("", "x", self.session.mesh), 64, [], packed=True), [])

    def test_what_is_not_there_is_refused(self) -> None:
        off = scene(*STORY)
        off.layers[2].on = False
        lost = "chips:coat"
        for asked, where, said in (
            (["moss"], "masks[0]", "'moss' is no mask"),
            (["rust", "../x"], "masks[1]", "is no mask"),
            (["rust:9"], "masks[0]", "has no line 9"),
            (["rust:0"], "masks[0]", "has no line 0"),
            (["rust:seen"], "masks[0]", "is no mask"),
            (["paint:coat/gold"], "masks[0]", "leaves no such coat"),
            ([lost], "masks[0]", "leaves no such coat"),
            (["rust", "rust"], "masks[1]", "twice"),
            (["rust"] * 65, "masks", "64 at most"),
            ([""], "masks[0]", "is no mask"),
        ):
            with self.assertRaises(InputError) as caught:
                masks_asked(asked, self.scene)
            self.assertIn(said, caught.exception.line)
            self.assertIn(where, caught.exception.line)
        with self.assertRaisesRegex(InputError, "is off"):
            masks_asked(["rust"], off)
        with self.assertRaisesRegex(InputError, "add one first"):
            masks_asked(["rust"], scene())

    def test_a_name_with_a_colon_is_a_name(self) -> None:
        named = scene(*STORY)
        named.layers[2].name = "Rust: river side"
        self.assertEqual(masks_asked(["Rust: river side"], named), [MaskAsked("rust")])
        self.assertEqual(masks_asked(["rust:2"], named)[0].line, 1)


class InWindows(OwnReadings):
    """What is too large to be played at once: the same lines at sizes of a test."""

    SIZE = 256
    progress: Say | None = None

    @staticmethod
    def files(session: Session, **order: Any) -> dict[str, bytes]:
        return {f.name.split("_")[-1]: f.data for f in deliver(session, Order(resolution=128, **order))[0]}

    def setUp(self) -> None:
        super().setUp()
        self.mesh = shapes.box(0.2)
        self.scene = scene(*STORY, name="Pier cap")
        for name, value in (
            ("limus.targets.delivery.LARGEST_WHOLE", 64),
            ("limus.playing.needed._WHOLE", 64),
            ("limus.playing.needed.TILE_ROWS", 64),
            ("limus.playing.needed.TILE_TEXELS", 64 * 128),
        ):
            patch = mock.patch(name, value)
            patch.start()
            self.addCleanup(patch.stop)
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def delivered(self, target: str = "maps", **more: Any) -> dict[str, bytes]:
        order = Order(target=target, resolution=self.SIZE, **more)
        files, _ = deliver(Session.on(self.mesh, self.scene), order, progress=self.progress)
        return {f.name.split("_")[-1]: f.data for f in files}

    def at_once(self, target: str = "maps", **more: Any) -> dict[str, bytes]:
        with mock.patch("limus.targets.delivery.LARGEST_WHOLE", self.SIZE):
            return self.delivered(target, **more)

    @staticmethod
    def pixels(data: bytes) -> np.ndarray:
        return np.asarray(Image.open(io.BytesIO(data)))

    def test_maps_are_those_of_the_whole_at_that_size(self) -> None:
        windows, once = (
            self.delivered(masks=("rust", "rust:acted")),
            self.at_once(masks=("rust", "rust:acted")),
        )
        self.assertEqual(list(windows), list(once))
        texels = Session.on(self.mesh, self.scene).exact(self.SIZE).texels
        for name, data in once.items():
            if not name.endswith(".png"):
                continue
            one, other = self.pixels(data), self.pixels(windows[name])
            self.assertEqual((one.shape, one.dtype), (other.shape, other.dtype), name)
            if name in ("height.png", "normal.png"):
                continue
            flat = [a.reshape(self.SIZE * self.SIZE, -1)[texels.pixel].astype(float) / 255 for a in (one, other)]
            self.assertLess(float(np.abs(flat[0].mean(axis=0) - flat[1].mean(axis=0)).max()), 0.02, name)
        mask = [self.pixels(files["mask-rust.png"]).ravel()[texels.pixel].astype(float) for files in (windows, once)]
        self.assertLess(float(np.abs(mask[0] - mask[1]).mean()), 3.0)
        about = json.loads(windows["maps.json"])
        self.assertEqual(about["resolution"], self.SIZE)
        low, high = about["height"]["black_mm"], about["height"]["white_mm"]
        back = self.pixels(windows["height.png"]).ravel()[texels.pixel] / 65535 * (high - low) + low
        # Finer texels reach a little further than those that the range was taken from: hardly one is cut off.
        self.assertLess(float(((back <= low) | (back >= high)).mean()), 2e-3)
        self.assertAlmostEqual(float(back.mean()), self.mean_relief(), delta=0.02)
        masks = json.loads(windows["masks.json"])
        self.assertEqual(set(masks["files"]), {f"pier-cap_object_mask-rust{x}.png" for x in ("", "-acted")})

    def test_a_tile_is_let_go_before_the_next_is_drawn(self) -> None:
        """Surfaces take many times what their maps do; a band of 16384 pixels has sixteen of them."""
        drawn, make = list[weakref.ref[Any]](), tiles._tile
        alive = list[int]()

        def tile(*where: Any) -> Any:
            gc.collect()
            alive.append(sum(one() is not None for one in drawn))
            made = make(*where)
            drawn.append(weakref.ref(made.surface))
            return made

        with mock.patch("limus.playing.needed.TILE_TEXELS", 64 * 32), mock.patch.object(tiles, "_tile", tile):
            self.delivered(masks=("rust",))
        # Four rows of eight.
        self.assertEqual(len(alive), 32)
        self.assertEqual(max(alive), 0)

    def mean_relief(self) -> float:
        """mm, of the whole."""
        _, surface, _ = Session.on(self.mesh, self.scene).finished(256)
        return float(surface.relief.mean())

    def test_the_same_however_it_is_cut_and_again(self) -> None:
        once = self.delivered()
        self.assertEqual(once, self.delivered())
        with (
            mock.patch("limus.playing.needed.TILE_ROWS", 32),
            mock.patch("limus.playing.needed.TILE_TEXELS", 32 * 32),
        ):
            other = self.delivered()
        for name, data in once.items():
            if name.endswith(".png") and name != "normal.png":
                one, two = (self.pixels(x).astype(float) for x in (data, other[name]))
                span = 65535 if name == "height.png" else 255
                # Off the surface too: gutters go on over the borders of tiles.
                self.assertLess(float((np.abs(one - two) > 2 / 255 * span).mean()), 1e-3, name)

    def test_the_glb_holds_the_same_pictures(self) -> None:
        windows, once = self.delivered("gltf"), self.at_once("gltf")
        self.assertEqual(list(windows), list(once))
        heads = [json.loads(d[20 : 20 + struct.unpack("<I", d[12:16])[0]]) for x in (windows, once) for d in x.values()]
        self.assertEqual(heads[0]["materials"][0].keys(), heads[1]["materials"][0].keys())
        self.assertEqual(len(heads[0]["images"]), len(heads[1]["images"]))

    def test_floats_are_the_numbers_themselves(self) -> None:
        import OpenEXR
        import tifffile

        session = Session.on(self.mesh, self.scene)
        texels, surface, _ = session.finished(128)
        with mock.patch("limus.targets.delivery.LARGEST_WHOLE", 128):
            tiff, exr = (self.files(session, target=t, bits=32) for t in ("tiff", "exr"))
            half = self.files(session, target="exr", bits=16)
            whole = self.files(session, target="tiff", bits=16)
        for name, values in (("height", surface.relief), ("base-color", surface.channel("base_color")),
                             ("roughness", surface.channel("roughness"))):  # fmt: skip
            read = tifffile.imread(io.BytesIO(tiff[f"{name}.tif"]))
            np.testing.assert_array_equal(read.reshape(128 * 128, *values.shape[1:])[texels.pixel], values, name)
            path = self.folder / "x.exr"
            for data, close in ((exr[f"{name}.exr"], 0.0), (half[f"{name}.exr"], 1e-3)):
                path.write_bytes(data)
                with OpenEXR.File(str(path)) as file:
                    channel = file.channels()["RGB" if values.ndim > 1 else "Y"]
                    found = np.asarray(channel.pixels).reshape(128 * 128, *values.shape[1:])[texels.pixel]
                np.testing.assert_allclose(
                    found, values, atol=close * max(1.0, float(np.abs(values).max())), err_msg=name
                )
        self.assertEqual(tifffile.imread(io.BytesIO(whole["roughness.tif"])).dtype, np.uint16)
        self.assertEqual(
            json.loads(tiff["maps.json"])["files"]["pier-cap_object_height.tif"]["numbers"], "as they are, mm"
        )

    def test_told_how_long_and_stopped_at_once(self) -> None:
        said: list[tuple[float, str]] = []
        self.progress = lambda share, word: said.append((share, word))
        self.delivered()
        shares = [share for share, _ in said]
        self.assertEqual(shares, sorted(shares))
        words = [word for _, word in said if word.startswith("Drawing tile")]
        self.assertIn("Drawing tile 1 of 8", words)
        self.assertTrue(any("of 8, about" in word and word.endswith("left") for word in words))

        def stop(share: float, word: str) -> None:
            if word.startswith("Drawing tile 4"):
                raise Cancelled

        with self.assertRaises(Cancelled):
            deliver(
                Session.on(self.mesh, self.scene),
                Order(target="maps", resolution=self.SIZE),
                progress=stop,
                room=self.folder,
            )
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_full_disk_leaves_nothing(self) -> None:
        for target, writer in (("maps", "PngRows"), ("tiff", "TiffRows"), ("exr", "ExrRows")):
            kind = getattr(rows, writer)
            whole = kind.add

            def full(self: Any, some: np.ndarray, whole: Any = whole) -> None:
                if self.done >= 128:
                    raise OSError(errno.ENOSPC, "No space left on device")
                whole(self, some)

            with mock.patch.object(kind, "add", full), self.assertRaises(OSError):
                deliver(
                    Session.on(self.mesh, self.scene),
                    Order(target=target, resolution=self.SIZE, bits=TARGETS[target].depths[-1]), room=self.folder,
                )  # fmt: skip
            self.assertEqual(list(self.folder.iterdir()), [], target)

    def test_a_room_is_swept_when_its_owner_is_gone(self) -> None:
        gone = subprocess.Popen(["true"])
        gone.wait()
        left = self.folder / f".limus-{gone.pid}-abc"
        left.mkdir()
        (left / "0-0.png").write_bytes(b"half")
        alive = self.folder / f".limus-{os.getpid()}-xyz"
        alive.mkdir()
        with delivery_room(self.folder) as room:
            self.assertEqual({p.name for p in self.folder.iterdir()}, {alive.name, room.name})
        self.assertEqual(list(self.folder.iterdir()), [alive])

    def test_sizes_that_cannot_be_drawn(self) -> None:
        with self.assertRaises(InputError) as caught:
            deliver(Session.on(self.mesh, self.scene), Order(target="maps", resolution=129))
        self.assertIn("129 pixels along a side cannot be halved", caught.exception.line)
        self.assertIn("like 128 or 256", caught.exception.line)
