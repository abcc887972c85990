"""What is taken away: names, ranges, and pixels that say what the surface is."""

from __future__ import annotations

import io
import json
import os
import struct
import tempfile
from dataclasses import replace
from typing import Any
from unittest import TestCase, mock

import numpy as np
from PIL import Image

from limus.common.colour import to_linear
from limus.common.errors import Cancelled, InputError
from limus.document.scene import Layer
from limus.effects.paint import Paint
from limus.masks.recipe import Recipe, term
from limus.masks.sources.even import Even
from limus.playing.session import Session
from limus.targets.delivery import Along, deliver, outlook
from limus.targets.kinds.gltf import gltf_maps
from limus.targets.kinds.maps import map_files
from limus.targets.masks import MaskAsked, mask_names, masks_asked
from limus.targets.written import file_stem, map_set_stems
from tests.core import shapes
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
        names = [f.name for f in deliver(Session.on(self.mesh, self.scene), target="maps", resolution=64)[0]]
        self.assertIn("pier-cap-no-4_object_base-color.png", names)
        self.assertEqual(
            [f.name for f in deliver(Session.on(self.mesh, self.scene), "gltf", 64)[0]], ["pier-cap-no-4.glb"]
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
        deliver(Session.on(self.mesh, self.scene), "gltf", 64, progress=lambda share, word: seen.append(share))
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1], 1.0)

        def stop(share: float, word: str) -> None:
            if share > 0.6:
                raise Cancelled

        with self.assertRaises(Cancelled):
            deliver(Session.on(self.mesh, self.scene), "gltf", 64, progress=stop)

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
        along = Along(masks, packed)
        files, _ = deliver(self.session, "maps", 64, along=along)
        names = [f.name for f in files]
        self.assertEqual(names, outlook(self.session, "maps", along).files)
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
        _, notes = deliver(session, "maps", 64, along=Along(("dust", "paint")))
        self.assertIn("dust: the mask is black everywhere", notes)
        self.assertFalse([note for note in notes if note.startswith("paint: the mask")])

    def test_none_are_asked_for(self) -> None:
        names = [f.name for f in deliver(self.session, "maps", 64)[0]]
        self.assertFalse([name for name in names if "mask" in name])
        self.assertEqual(mask_names("x", self.session.mesh, [], packed=True), [])

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
