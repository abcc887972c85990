"""The command line, as scripts use it."""

from __future__ import annotations

import contextlib
import io
import json
import os
import struct
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import numpy as np
import trimesh
from PIL import Image

from limus.catalogue.catalogue import catalogue_for
from limus.cli.main import main
from limus.common.object_size import ObjectSize
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import Chipping
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import write_glb
from limus.masks.recipe import SOURCES
from tests.core import shapes
from tests.core.test_formats import VALIDATOR, khronos
from tests.core.test_map_sets import normal_map, relief


class CommandLine(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        patch = mock.patch.dict(os.environ, {"LIMUS_CACHE": str(self.folder / "readings")})
        patch.start()
        self.addCleanup(patch.stop)
        self.object = self.folder / "box.glb"
        write_glb(self.object, shapes.box(0.2))
        layers = [
            Layer(id=k, name=k.title(), effect=e(), where=e.default_where())
            for k, e in (("paint", Paint), ("chips", Chipping), ("rust", Rust))
        ]
        self.scene = self.folder / "scene.json"
        self.scene.write_text(Scene(name="Box", object=ObjectFile(file="box.glb"), layers=layers).model_dump_json())

    def run_(self, *words: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(w) for w in words])
        return code, out.getvalue(), err.getvalue()

    def refused(self, *words: object) -> str:
        code, _, err = self.run_(*words)
        self.assertEqual(code, 2)
        self.assertEqual(err.count("\n"), 1, err)
        return err

    def test_inspect(self) -> None:
        code, out, _ = self.run_("inspect", self.object, "--json")
        report = json.loads(out)
        self.assertEqual(
            (code, report["triangles"], report["size_m"], report["uv"]["islands"]), (0, 12, [0.2, 0.2, 0.2], 6)
        )
        code, out, _ = self.run_("inspect", self.object)
        self.assertIn("12 triangles", out)

    def test_inspect_says_what_a_replacement_would_lose(self) -> None:
        newer = self.folder / "newer.obj"
        newer.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\no cup\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n")
        code, out, _ = self.run_("inspect", newer, "--replaces", self.scene)
        self.assertEqual(code, 0)
        for words in (
            "Carries over: 3 layers",
            "part box is gone",
            "New parts: cup",
            "Needs a look: The new model has no UVs",
        ):
            self.assertIn(words, out)
        code, out, _ = self.run_("inspect", newer, "--replaces", self.scene, "--json", "--unwrap")
        found = json.loads(out)
        self.assertEqual((found["replacement"]["new"], found["uv"]["overlapping"]), (["cup"], 0.0))

    def test_scale_axis_and_unwrapping(self) -> None:
        post = self.folder / "post.stl"
        trimesh.creation.box((100, 200, 1500)).export(post)
        _, out, _ = self.run_("inspect", post)
        self.assertIn("Problem: It is 1.52 km across", out)
        _, out, _ = self.run_("inspect", post, "--scale", 0.001, "--up", "+z", "--unwrap", "--json")
        found = json.loads(out)
        np.testing.assert_allclose(found["size_m"], [0.1, 1.5, 0.2], atol=1e-6)
        self.assertTrue(found["uv"]["present"])
        made = self.folder / "post.glb"
        self.assertEqual(self.run_("unwrap", post, "--scale", 0.001, "--up", "+z", "--out", made)[0], 0)
        self.assertIsNotNone(read_gltf(made).uv)
        self.assertIn(".glb", self.refused("unwrap", post, "--out", self.folder / "post.fbx"))
        self.assertIn("--scale", self.refused("inspect", post, "--scale", "0"))

    def test_measure_with_a_setting_and_components(self) -> None:
        path = self.folder / "r.npy"
        common = ("measure", self.object, "--resolution", 64, "--out", path)
        for wind, side in ((90, 0), (270, 1)):
            self.assertEqual(
                self.run_(
                    *common, "--reading", "rain", "--setting", f"wind_from_deg={wind}", "--setting", "wind_speed=8"
                )[0],
                0,
            )
            rain = np.load(path)
            normal = self.folder / "n.npy"
            self.run_(
                "measure",
                self.object,
                "--resolution",
                64,
                "--reading",
                "normal_world",
                "--component",
                "x",
                "--out",
                normal,
            )
            x = np.load(normal)
            towards, away = (x > 0.9, x < -0.9) if side == 0 else (x < -0.9, x > 0.9)
            self.assertGreater(float(rain[towards].mean()), 0.5)
            self.assertEqual(float(rain[away].max()), 0.0)
        for words, wanted in (
            (("--reading", "rain", "--setting", "wind"), "NAME=VALUE"), (("--reading", "rain", "--setting",
                "breeze=3"), "The fields are"),
            (("--reading", "sun", "--setting", "latitude=95"), "latitude"), (("--reading", "slope", "--component",
                "x"), "no component"),
            (("--reading", "vertex_colour", "--component", "R"), "no vertex colours"), (("--reading", "missed"),
                "no high-poly twin"),
            (("--reading", "proximity"), "no neighbours"),
        ):  # fmt: skip
            self.assertIn(wanted, self.refused(*common, *words), words)

    def test_measure_a_scene_with_twin_and_neighbours(self) -> None:
        write_glb(self.folder / "wall.glb", shapes.box(0.2, (0.3, 0, 0)))
        write_glb(self.folder / "high.glb", shapes.box(0.204))
        scene = json.loads(self.scene.read_text())
        scene["object"]["neighbours"] = [{"id": "wall", "name": "Wall", "file": "wall.glb"}]
        scene["setting"]["ground_hides"] = False
        around = self.folder / "around.json"
        around.write_text(json.dumps(scene))
        path = self.folder / "p.npy"
        self.assertEqual(
            self.run_("measure", around, "--reading", "proximity", "--reach", 500, "--resolution", 64, "--out", path)[
                0
            ],
            0,
        )
        self.assertAlmostEqual(float(np.nanmin(np.load(path))), 100.0, delta=0.5)
        self.assertEqual(
            self.run_(
                "measure",
                around,
                "--reading",
                "missed",
                "--twin",
                self.folder / "high.glb",
                "--twin-reach",
                1,
                "--resolution",
                64,
                "--out",
                path,
            )[0],
            0,
        )
        self.assertEqual(float(np.nanmin(np.load(path))), 1.0)
        write_glb(self.folder / "far.glb", shapes.box(0.2, (3.0, 0, 0)))
        self.assertIn(
            "does not lie where",
            self.refused("measure", around, "--reading", "missed", "--twin", self.folder / "far.glb", "--out", path),
        )

    def test_measure_npy_has_nan_where_there_is_no_texel(self) -> None:
        path = self.folder / "c.npy"
        self.assertEqual(
            self.run_(
                "measure", self.object, "--reading", "curvature", "--radius", 30, "--resolution", 128, "--out", path
            )[0],
            0,
        )
        image = np.load(path)
        self.assertEqual((image.shape, image.dtype), ((128, 128), np.dtype(np.float32)))
        self.assertTrue(np.isnan(image).any())
        self.assertAlmostEqual(float(np.nanmin(image)), 0.0, delta=0.01)
        self.assertGreater(float(np.nanmax(image)), 0.5)

    def test_measure_every_reading(self) -> None:
        for reading in ("curvature", "occlusion", "slope", "thickness", "height", "sky"):
            path = self.folder / f"{reading}.exr"
            self.assertEqual(
                self.run_(
                    "measure", self.object, "--reading", reading, "--resolution", 64, "--pairs", 8, "--out", path
                )[0],
                0,
                reading,
            )
            self.assertGreater(path.stat().st_size, 200)
        self.run_(
            "measure",
            self.object,
            "--reading",
            "slope",
            "--resolution",
            64,
            "--out",
            self.folder / "s.png",
            "--map-set",
            "object",
        )
        self.assertEqual(
            set(np.unique(np.asarray(Image.open(self.folder / "s.png")))) <= {0, 32767, 32768, 65535}, True
        )

    def test_weather_until_and_mask(self) -> None:
        out = self.folder / "maps"
        self.assertEqual(self.run_("weather", self.scene, "--resolution", 128, "--out", out)[0], 0)
        about = json.loads((out / "maps.json").read_text())
        self.assertEqual(set(about["files"]), {p.name for p in out.iterdir()} - {"maps.json"})
        self.assertEqual(about["files"]["box_object_normal.png"]["bits"], 16)
        rusty = np.asarray(Image.open(out / "box_object_base-color.png")).astype(int)
        self.assertEqual(self.run_("weather", self.scene, "--resolution", 128, "--until", "paint", "--out", out)[0], 0)
        painted = np.asarray(Image.open(out / "box_object_base-color.png")).astype(int)
        self.assertGreater(int(np.abs(rusty - painted).max()), 40)
        self.assertEqual(self.run_("weather", self.scene, "--resolution", 128, "--mask", "Chips", "--out", out)[0], 0)
        self.assertEqual(Image.open(out / "mask_chips_0.png").size, (128, 128))

    def test_export_is_valid_and_reads_back(self) -> None:
        out = self.folder / "out"
        self.assertEqual(self.run_("export", self.scene, "--to", "gltf", "--resolution", 128, "--out", out)[0], 0)
        self.assertEqual(len(read_gltf(out / "box.glb").triangles), 12)
        if VALIDATOR.exists():
            self.assertEqual(khronos(out / "box.glb")["numErrors"], 0)
        first = (out / "box.glb").read_bytes()
        self.run_("export", self.scene, "--to", "gltf", "--resolution", 128, "--out", out)
        self.assertEqual(first, (out / "box.glb").read_bytes())
        self.assertEqual(
            self.run_("export", self.scene, "--to", "maps", "--bits", 16, "--resolution", 64, "--out", out)[0], 0
        )
        self.assertEqual(Image.open(out / "box_object_roughness.png").mode, "I;16")

    def test_export_takes_masks_along(self) -> None:
        out = self.folder / "masks"
        words = ["export", self.scene, "--to", "maps", "--resolution", 64, "--out", out]
        self.assertEqual(self.run_(*words, "--masks", "rust, rust:acted", "--pack")[0], 0)
        about = json.loads((out / "masks.json").read_text())["files"]["box_object_mask-pack-1.png"]
        self.assertEqual([c["shows"] for c in about["channels"].values()], ["place", "acted"])
        self.assertEqual(Image.open(out / "box_object_mask-pack-1.png").mode, "RGBA")
        self.assertIn("'moss' is no mask", self.refused(*words, "--masks", "rust,moss"))

    def test_what_layers_say_is_printed_and_strict_makes_it_an_error(self) -> None:
        document = json.loads(self.scene.read_text())
        # Rust without a chip: no iron is exposed.
        document["layers"] = [document["layers"][0], document["layers"][2]]
        self.scene.write_text(json.dumps(document))
        for words in (
            ("weather", self.scene),
            ("export", self.scene, "--to", "gltf"),
            ("weather", self.scene, "--mask", "rust"),
        ):
            out = self.folder / "out"
            code, _, err = self.run_(*words, "--resolution", 64, "--out", out)
            self.assertEqual(
                (code, err),
                (0, "Rust: no iron is exposed in this place: chip the paint first, or widen the place.\n"),
                words,
            )
            self.assertTrue(any(out.iterdir()))
            self.assertEqual(self.run_(*words, "--resolution", 64, "--out", out, "--strict")[0], 3)
        mask = (
            "mask",
            self.object,
            "--source",
            "noise",
            "--set",
            "size_mm=0.1",
            "--resolution",
            64,
            "--out",
            self.folder / "n.png",
        )
        code, _, err = self.run_(*mask)
        self.assertEqual(code, 0)
        self.assertRegex(err, r"^line 1: At 0.1 mm it is finer than two texels.*\n$")
        self.assertEqual(self.run_(*mask, "--strict")[0], 3)
        # Nothing to say: nothing is said, and strict is content.
        code, _, err = self.run_(
            "mask", self.object, "--source", "edges", "--resolution", 64, "--out", self.folder / "e.png", "--strict"
        )
        self.assertEqual((code, err), (0, ""))

    def test_start_writes_a_document_that_works(self) -> None:
        there = self.folder / "work"
        there.mkdir()
        made = there / "box scene.json"
        code, out, err = self.run_("start", self.object, "--out", made)
        self.assertEqual((code, err), (0, ""))
        self.assertIn("sizes for an object of 0.35 m", out)
        document = json.loads(made.read_text())
        self.assertEqual(
            [layer["effect"]["kind"] for layer in document["layers"]], ["paint", "chipping", "rust", "dirt", "dust"]
        )
        self.assertEqual(document["object"]["file"], "../box.glb")
        # 6 mm at one metre, with the power 0.6 of the size.
        self.assertEqual(document["layers"][1]["effect"]["size_mm"], 3.2)
        code, _, err = self.run_("weather", made, "--resolution", 256, "--out", there / "maps", "--strict")
        self.assertEqual((code, err), (0, ""))
        code, _, _ = self.run_("start", self.object, "--base", "slate", "--layers", "dirt, dust,dirt", "--out", made)
        document = json.loads(made.read_text())
        self.assertEqual(
            (document["bases"][0]["material"]["kind"], [layer["id"] for layer in document["layers"]]),
            ("slate", ["dirt", "dust", "dirt-2"]),
        )
        self.assertIn("no effect 'magic'", self.refused("start", self.object, "--layers", "paint,magic", "--out", made))
        self.assertIn("--base", self.refused("start", self.object, "--base", "cheese", "--out", made))

    def test_base_from_files_and_from_the_store_room(self) -> None:
        folder = self.folder / "maps"
        folder.mkdir()
        height = relief(1, 64)
        for name, image in {
            "quay_albedo.png": np.stack([height * 200] * 3, axis=2).astype(np.uint8),
            "quay_normal.png": normal_map(height, 0.03, "down"),
            "quay_gloss.png": (height * 255).astype(np.uint8),
        }.items():  # fmt: skip
            Image.fromarray(image).save(folder / name)
        files = sorted(folder.iterdir())
        code, out, err = self.run_("base", *files, "--size", 40, "--out", folder / "quay.json")
        self.assertEqual((code, err), (0, ""))
        for words in (
            "Quay: 3 files, tile 40 cm",
            "Base color",
            "colour, sRGB",
            "green of quay_normal.png points down",
        ):
            self.assertIn(words, out)
        code, out, _ = self.run_("base", *files, "--json")
        found = json.loads(out)
        self.assertEqual({m["file"]: m["channel"] for m in found["maps"]}["quay_gloss.png"], "roughness")
        self.assertEqual(found["green"], "down")
        # The document lies elsewhere, and its maps are still found.
        there = self.folder / "scenes"
        there.mkdir()
        code, out, err = self.run_(
            "start", self.object, "--base", folder / "quay.json", "--layers", "", "--out", there / "s.json"
        )
        self.assertEqual((code, err), (0, ""))
        document = json.loads((there / "s.json").read_text())
        self.assertEqual(document["bases"][0]["material"]["maps"][0]["file"], "../maps/quay_albedo.png")
        code, _, err = self.run_("weather", there / "s.json", "--resolution", 64, "--out", there / "out")
        self.assertEqual((code, err), (0, ""))
        code, out, _ = self.run_("base", "--list", "--search", "zinc")
        self.assertEqual(out.split()[:2], ["galvanised", "steel"])
        self.assertEqual(self.run_("base", "oak", "--out", folder / "oak.mtlx")[0], 0)
        self.assertIn("open_pbr_surface", (folder / "oak.mtlx").read_text())
        for words, said in (
            (("base",), "no texture files are named"), (("base", folder / "none.png"), "cannot be read"), (("base",
                *files, "--size", 0), "not a width from"),
            (("base", *files, "--out", folder / "x.txt"), "cannot write"), (("start", self.object, "--base",
                folder / "no.json", "--out", there / "t.json"), "cannot be read"),
        ):  # fmt: skip
            self.assertIn(said, self.refused(*words))
        (folder / "odd.json").write_text('{"material": {"kind": "timber", "weathered": 9}}')
        self.assertIn(
            "odd.json: material.weathered: 9 is above the limit 1",
            self.refused("start", self.object, "--base", folder / "odd.json", "--out", there / "t.json"),
        )

    def test_the_second_of_two_map_sets_of_one_name_can_be_chosen(self) -> None:
        two = shapes.joined(shapes.box(0.1), shapes.sphere(0.05, 16))
        mesh = replace(
            two, parts=tuple(replace(p, map_set=k) for k, p in enumerate(two.parts)), uv_domains=("Steel", "Steel")
        )
        path = self.folder / "two.glb"
        write_glb(path, mesh)
        words = ("measure", path, "--reading", "slope", "--resolution", 32)
        for name, out in (("Steel", "a.npy"), ("Steel 2", "b.npy")):
            self.assertEqual(self.run_(*words, "--map-set", name, "--out", self.folder / out)[0], 0)
        self.assertFalse(np.array_equal(np.load(self.folder / "a.npy"), np.load(self.folder / "b.npy"), equal_nan=True))
        self.assertIn("Steel, Steel 2", self.refused(*words, "--map-set", "Brass", "--out", self.folder / "c.npy"))

    def test_schema(self) -> None:
        code, out, _ = self.run_("schema")
        self.assertEqual((code, json.loads(out)["title"]), (0, "Scene"))

    def test_catalogue(self) -> None:
        """The same on the command line as over the server, with defaults that grow with the object."""
        code, out, _ = self.run_("catalogue", "--size", 20)
        large = json.loads(out)
        self.assertEqual((code, {entry["kind"] for entry in large["effects"]}), (0, set(EFFECTS)))
        self.assertEqual(large, json.loads(catalogue_for(ObjectSize(20)).model_dump_json(by_alias=True)))
        small = json.loads(self.run_("catalogue", "--size", 0.05)[1])

        def size(found: dict[str, Any]) -> float:
            return next(e["defaults"]["size_mm"] for e in found["effects"] if e["kind"] == "chipping")  # type: ignore[no-any-return]

        self.assertGreater(size(large), 20 * size(small))
        self.assertIn("--size", self.refused("catalogue", "--size", "nan"))

    def test_bad_input_is_one_line_and_exit_2(self) -> None:
        bad = self.folder / "bad.glb"
        bad.write_bytes(b"glTF" + struct.pack("<II", 2, 999) + b"\0" * 20)
        self.assertIn("bad.glb", self.refused("inspect", bad))
        self.assertIn("missing.glb", self.refused("inspect", self.folder / "missing.glb"))
        self.assertIn(
            "--resolution",
            self.refused("measure", self.object, "--reading", "sky", "--resolution", 3, "--out", "x.npy"),
        )
        self.assertIn(
            "map set", self.refused("measure", self.object, "--reading", "sky", "--map-set", "no", "--out", "x.npy")
        )
        self.assertIn("invalid choice", self.refused("measure", self.object, "--reading", "mood", "--out", "x.npy"))
        self.assertIn(
            "cannot write",
            self.refused(
                "measure", self.object, "--reading", "slope", "--resolution", 32, "--out", self.folder / "x.jpg"
            ),
        )
        self.assertIn("no layer 'ghost'", self.refused("weather", self.scene, "--until", "ghost", "--out", self.folder))
        document = json.loads(self.scene.read_text())
        document["layers"][1]["effect"]["size_mm"] = 9999
        broken = self.folder / "broken.json"
        broken.write_text(json.dumps(document))
        self.assertIn(
            "broken.json: layers[1].effect.size_mm",
            self.refused("export", broken, "--to", "gltf", "--out", self.folder / "none"),
        )
        self.assertFalse((self.folder / "none").exists())
        self.assertIn("required", self.refused("export", self.scene, "--to", "gltf"))

    def test_mask_of_every_source(self) -> None:
        out = self.folder / "mask.npy"
        rest = ("--resolution", 64, "--out", out)
        drawn = self.folder / "stroke.json"
        drawn.write_text('{"points": [[0, 0.1, 0, 0, 1, 0, 1, 0, 0]], "brush": {"size_mm": 80, "hardness": 1}}')
        Image.fromarray(np.full((4, 4), 51, np.uint8)).save(self.folder / "grey.png")
        fields = {
            "strokes": ["--set", 'strokes=["stroke.json"]'],
            "picture": ["--set", "file=grey.png"],
            "coat": ["--set", "layer=paint"],
            "mask": ["--set", "layer=rust"],
            "acted": ["--set", "layer=paint"],
            "picks": ["--set", 'picks=[{"what": "polygon", "at": [0, 0.1, 0], "facing": [0, 1, 0]}]'],
            "proximity": ["--set", "to=parts", "--set", 'parts=["box"]'],
        }
        for kind in SOURCES:
            code, said, err = self.run_("mask", self.scene, "--source", kind, *fields.get(kind, []), *rest)
            self.assertEqual(code, 0, f"{kind}: {err}")
            self.assertIn("of the surface", said)
            self.assertEqual(np.load(out).shape, (64, 64), kind)
            if kind == "picks":
                self.assertAlmostEqual(float(said.split()[1].rstrip("%")), 100 / 6, delta=0.4)
            if kind == "picture":
                self.assertAlmostEqual(float(np.nanmean(np.load(out))), 0.2, places=3)
            if kind == "strokes":
                self.assertAlmostEqual(
                    float(said.split()[1].rstrip("%")) / 100, np.pi * 40**2 / (6 * 200**2), delta=0.003
                )

    def test_painted_vertex_colours_are_measured(self) -> None:
        (self.folder / "stroke.json").write_text(
            '{"points": [[0.1, 0.1, 0.1, 1, 1, 1, 1, 0, 0]], "brush": {"size_mm": 80}}'
        )
        document = {**json.loads(self.scene.read_text()), "vertex_paint": [{"file": "stroke.json", "channel": "B"}]}
        self.scene.write_text(json.dumps(document))
        out = self.folder / "b.npy"
        words = ("--reading", "vertex_colour", "--component", "B", "--resolution", 64, "--out", out)
        code, _, err = self.run_("measure", self.scene, *words)
        self.assertEqual(code, 0, err)
        self.assertGreater(float(np.nanmax(np.load(out))), 0.8)
        self.assertLess(float(np.nanmean(np.load(out))), 0.3)

    def test_mask_of_a_recipe(self) -> None:
        recipe = self.folder / "recipe.json"
        lines = [
            {"source": {"kind": "slope"}},
            {"source": {"kind": "noise", "size_mm": 0.1}, "combine": "screen", "amount": 0.0},
        ]
        recipe.write_text(json.dumps({"terms": lines, "cut": {"by": "coverage", "coverage": 0.1, "width": 0.01}}))
        png = self.folder / "mask.png"
        code, said, err = self.run_("mask", self.object, "--recipe", recipe, "--resolution", 128, "--out", png)
        self.assertEqual(code, 0, err)
        self.assertIn("line 2: At 0.1 mm it is finer", err)
        self.assertAlmostEqual(float(said.split()[1].rstrip("%")), 10.0, delta=0.7)
        self.assertEqual(Image.open(png).size, (128, 128))
        # Before a layer of the scene: bare iron only before the paint.
        shown = {}
        for layer in ("paint", "rust"):
            where = ("--source", "exposed", "--set", "what=iron", "--layer", layer)
            shown[layer] = float(
                self.run_("mask", self.scene, *where, "--resolution", 64, "--out", png)[1].split()[1].rstrip("%")
            )
        self.assertGreater(shown["paint"], 99.0)
        self.assertLess(shown["rust"], 30.0)

    def test_mask_refusals(self) -> None:
        out = ("--resolution", 64, "--out", self.folder / "x.npy")
        self.assertIn("either --source or --recipe", self.refused("mask", self.object, *out))
        self.assertIn("size_mm", self.refused("mask", self.object, "--source", "noise", "--set", "size_mm=0", *out))
        self.assertIn("NAME=VALUE", self.refused("mask", self.object, "--source", "noise", "--set", "size", *out))
        self.assertIn(
            "does not exist", self.refused("mask", self.scene, "--source", "mask", "--set", "layer=moss", *out)
        )
        self.assertIn(
            "cannot be read", self.refused("mask", self.scene, "--source", "picture", "--set", "file=gone.png", *out)
        )
        self.assertIn(
            "cannot be read", self.refused("mask", self.scene, "--source", "strokes", "--set", 'strokes=["gone"]', *out)
        )
        bad = self.folder / "recipe.json"
        bad.write_text("[")
        self.assertIn("not JSON", self.refused("mask", self.object, "--recipe", bad, *out))

    def test_no_uvs(self) -> None:
        mesh = shapes.box(0.2)
        write_glb(self.object, mesh.__class__(mesh.positions, mesh.normals, mesh.triangles, parts=mesh.parts))
        self.assertIn("TEXCOORD_0", self.refused("weather", self.scene, "--out", self.folder / "none"))
        code, out, _ = self.run_("inspect", self.object)
        self.assertEqual((code, "missing" in out), (0, True))

    def test_installed_as_a_command(self) -> None:
        done = subprocess.run(
            [Path(sys.executable).parent / "limus", "--version"], capture_output=True, text=True, check=True
        )
        self.assertTrue(done.stdout.startswith("limus 0."))
