"""Input that was taken silently, hung, ended the process, or was refused in words that did not help."""

from __future__ import annotations

import io
import json
import math
import os
import struct
import time
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase, mock

import DracoPy
import numpy as np
import OpenEXR

from limus.cli.main import main
from limus.common.errors import InputError
from limus.document.scene import Scene, scene_from
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import glb_bytes
from limus.formats.picture_read import check_picture, read_picture
from limus.formats.read import read_object
from limus.surface.crosses import edge_crosses, lengths
from tests.core import shapes
from tests.core.test_formats import pack
from tests.server.base import ServerTest

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 20 10">{}</svg>'
SQUARE = '<rect width="10" height="10" fill="#ff0000"/>'
PLY = (
    "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
    "z\n{}\nend_header\n0 0 0\n1 0 0\n0 1 0\n{}\n"
)
FACE = "element face 1\nproperty list uchar int vertex_indices"
CORNERS = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"


class Case(TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))

    def path(self, name: str, data: bytes | str) -> Path:
        path = self.folder / name
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
        return path

    def limus(self, *words: str) -> tuple[int, str, str]:
        out, wrong = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(wrong):
            code = main([*words])
        return code, out.getvalue(), wrong.getvalue()

    def refused(self, word: str, *words: str) -> None:
        code, _, said = self.limus(*words)
        self.assertEqual(code, 2, said)
        self.assertEqual(said.count("\n"), 1, said)
        self.assertIn(word, said)


class Drawings(Case):
    """Drawn in a process of its own, with limits."""

    def draw(self, inside: str) -> Any:
        return read_picture(self.path("d.svg", SVG.format(inside)), "d.svg")

    def test_nesting_ends_in_a_line_and_not_the_process(self) -> None:
        for depth in (300, 100_000):
            with self.assertRaisesRegex(InputError, "nested more than 250"):
                self.draw("<g>" * depth + SQUARE + "</g>" * depth)
        # As deep as any program writes by itself.
        self.assertEqual(tuple(self.draw("<g>" * 200 + SQUARE + "</g>" * 200).pixels[500, 500]), (255, 0, 0, 255))

    def test_work_without_end_is_ended(self) -> None:
        noise = (
            '<filter id="f"><feTurbulence baseFrequency="9" numOctaves="{}"/></filter><rect width="20" height="10" '
            'filter="url(#f)"/>'
        )
        for inside in (
            noise.format(10_000_000),
            '<path stroke-dasharray="0.0001" stroke="#000" d="M0 0'
            + "".join(f"L{k % 20} {k % 7}" for k in range(400_000))
            + '"/>',
        ):
            began = time.monotonic()
            with (
                mock.patch("limus.formats.svg_read.SECONDS", 3),
                self.assertRaisesRegex(InputError, "drawing it takes more than|cannot be drawn"),
            ):
                self.draw(inside)
            # Limits of the processor's time; a loaded machine takes longer by the clock.
            self.assertLess(time.monotonic() - began, 60)

    def test_a_blur_beyond_all_measure_ends(self) -> None:
        blur = (
            '<filter id="f"><feGaussianBlur stdDeviation="1e9"/></filter><rect width="20" height="10" '
            'filter="url(#f)"/>'
        )
        try:
            found = self.draw(blur)
        except InputError as error:
            self.assertTrue(error.remedy)
        else:
            self.assertEqual(found.pixels.shape[1], 2048)

    def test_utf_16_is_read_and_nothing_is_said_to_be_nothing(self) -> None:
        for encoding in ("utf-16", "utf-16-be"):
            text = SVG.format(SQUARE)
            data = text.encode(encoding) if encoding == "utf-16" else b"\xfe\xff" + text.encode(encoding)
            self.assertEqual(tuple(read_picture(self.path("w.svg", data), "w.svg").pixels[500, 500]), (255, 0, 0, 255))
        for data in (b"", b"  \n"):
            with self.assertRaisesRegex(InputError, "empty|not a picture"):
                check_picture(self.path("e.svg", data), "e.svg")


class NoPlainFile(Case):
    def test_pipes_devices_and_folders_are_refused_at_once(self) -> None:
        box = self.path("box.glb", glb_bytes(shapes.box(0.2)))
        os.mkfifo(self.folder / "pipe.obj")
        os.mkfifo(self.folder / "pipe.png")
        (self.folder / "folder.obj").mkdir()
        pipe, out = str(self.folder / "pipe.obj"), str(self.folder / "out")
        for words in (
            ("inspect", pipe), ("inspect", "/dev/zero"), ("inspect", str(self.folder / "folder.obj")), ("base",
                str(self.folder / "pipe.png")),
            ("weather", pipe, "--out", out), ("weather", "/dev/zero", "--out", out), ("start", str(box), "--base",
                "/dev/zero.json", "--out", out),
            ("measure", str(box), "--reading", "slope", "--twin", pipe, "--out", out + ".png"),
            ("mask", str(box), "--recipe", pipe, "--out", out + ".png"),
        ):  # fmt: skip
            code, _, said = self.limus(*words)
            self.assertEqual(code, 2, words)
            self.assertTrue("not a file" in said or "cannot be read" in said, (words, said))

    def test_a_pipe_as_buffer_or_texture_is_not_opened(self) -> None:
        os.mkfifo(self.folder / "b.bin")
        document = {
            "asset": {"version": "2.0"},
            "buffers": [{"byteLength": 36, "uri": "b.bin"}],
            "bufferViews": [{"buffer": 0, "byteLength": 36}],
        }
        document |= {
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}], "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
        }  # fmt: skip
        self.refused("b.bin", "inspect", str(self.path("a.gltf", json.dumps(document))))
        os.mkfifo(self.folder / "m.mtl")
        code, _, _ = self.limus("inspect", str(self.path("a.obj", "mtllib m.mtl\n" + CORNERS + "f 1 2 3\n")))
        self.assertEqual(code, 0)


class Objects(Case):
    def test_words_that_say_what_is_wrong(self) -> None:
        ring = "".join(f"v {math.cos(k / 100 * math.pi)} {math.sin(k / 100 * math.pi)} 0\n" for k in range(200))
        for name, data, word in (
            ("a.ply", PLY.format(FACE, "3 0 1 -5"), "vertex -5, and there are 3"),
            (
                "b.ply",
                PLY.format("element tristrips 1\nproperty list int int vertex_indices", "3 0 1 2"),
                "triangle strips",
            ),
            ("a.obj", CORNERS + "f 0 1 2\n", "line 4: a face refers to vertex 0"),
            ("b.obj", CORNERS + "f 1 2 3\nf 1/0/1 2/0/1 0\n", "line 5: a face refers to vertex 0"),
            ("c.obj", CORNERS + "f 1/x/ 2 3\n", "line 4: 'f 1/x/ 2 3' is no face"),
            ("d.obj", "v 0 0 zero\n" + CORNERS + "f 1 2 3\n", "line 1: 'v 0 0 zero'"),
            ("a.stl", bytes(80) + struct.pack("<I", 1000) + bytes(150), "says 1000 triangles and holds 3"),
            ("b.stl", b"\xff" * 80 + struct.pack("<I", 3) + b"\1" * 100, "says 3 triangles and holds 2"),
        ):
            self.refused(word, "inspect", str(self.path(name, data)))
        polygon = read_object(self.path("ring.obj", ring + "f " + " ".join(str(k + 1) for k in range(200)) + "\n"))
        self.assertEqual(len(polygon.triangles), 198)
        # Area of a regular polygon of n corners on the unit circle: n/2 sin(2 pi/n).
        self.assertAlmostEqual(
            float(lengths(edge_crosses(polygon.positions, polygon.triangles)).sum() / 2),
            100 * math.sin(2 * math.pi / 200),
            delta=1e-4,
        )

    def test_pages_of_comment_before_an_obj(self) -> None:
        text = "# told at length\n" * 350_000 + CORNERS + "f 1 2 3\n"
        self.assertEqual(len(read_object(self.path("c.obj", text)).triangles), 1)
        self.refused("not an OBJ file", "inspect", str(self.path("d.obj", "# only this\n" * 1000)))

    def test_more_than_the_count_of_a_binary_stl_is_left_out(self) -> None:
        corners = np.array([[0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0]], "<f4")
        data = bytes(80) + struct.pack("<I", 1) + corners.tobytes() + b"\0\0" + b"more"
        self.assertEqual(len(read_object(self.path("more.stl", data)).triangles), 1)

    def test_gltf(self) -> None:
        for change, word in (
            ({"mode": 77}, "mode: 77 is not among 0 to 6"),
            ({"rotation": [0, 0, 0, 0]}, "rotation: is no rotation"),
        ):
            document: dict[str, Any] = {
                "asset": {"version": "2.0"}, "nodes": [{"mesh": 0, **{k: v for k,
                    v in change.items() if k == "rotation"}}], "scenes": [{"nodes": [0]}],
                "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, **{k: v for k,
                    v in change.items() if k == "mode"}}]}],
                "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
                "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"byteLength": 36}],
            }  # fmt: skip
            data = pack(document, np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes())
            self.refused(word, "inspect", str(self.path("g.glb", data)))

    def test_packed_data_is_held_against_its_accessors(self) -> None:
        mesh = shapes.sphere(0.05, 24)
        packed = DracoPy.encode(
            mesh.positions.astype(np.float32), mesh.triangles.astype(np.uint32), quantization_bits=14
        )
        known = DracoPy.decode(packed)
        low, high = mesh.positions.min(axis=0).tolist(), mesh.positions.max(axis=0).tolist()

        def document(**accessor: Any) -> bytes:
            place = {
                "componentType": 5126,
                "count": len(known.points),
                "type": "VEC3",
                "min": low,
                "max": high,
                **accessor,
            }
            whole: dict[str, Any] = {
                "asset": {"version": "2.0"}, "extensionsUsed": ["KHR_draco_mesh_compression"],
                "extensionsRequired": ["KHR_draco_mesh_compression"],
                "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}],
                "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "extensions": {
                    "KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}}}]}],
                "accessors": [place, {"componentType": 5125, "count": len(known.faces) * 3, "type": "SCALAR"}],
                "bufferViews": [{"buffer": 0, "byteLength": len(packed)}], "buffers": [{"byteLength": len(packed)}],
            }  # fmt: skip
            return pack(whole, packed)

        self.assertEqual(len(read_gltf(self.path("ok.glb", document())).triangles), len(mesh.triangles))
        for accessor, word in (
            ({"max": [x * 5 for x in high]}, "an extent of"),
            ({"count": 10**9}, "not 1000000000"),
        ):
            with self.assertRaisesRegex(InputError, word):
                read_gltf(self.path("bad.glb", document(**accessor)))
        # Damaged in the middle: whatever still unpacks is not taken for the object.
        taken = 0
        for at in range(len(packed) // 4, len(packed) * 3 // 4, max(1, len(packed) // 60)):
            broken = bytearray(document())
            start = bytes(broken).index(packed[:64])
            broken[start + at] ^= 0x5A
            try:
                found = read_gltf(self.path("hurt.glb", bytes(broken)))
            except InputError:
                continue
            taken += 1
            self.assertLess(float(np.abs(found.positions).max()), 0.06)
        self.assertLess(taken, 60)


class Numbers(Case):
    def exr(self, name: str, *values: float) -> Path:
        path = self.folder / name
        channels = {c: np.full((8, 8), v, np.float32) for c, v in zip("RGB", values, strict=True)}
        with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels) as out:
            out.write(str(path))
        return path

    def test_numbers_beyond_all_measure_are_bounded_and_said(self) -> None:
        found = read_picture(self.exr("big.exr", 3e38, -3e38, 0.5))
        self.assertEqual(found.pixels[0, 0].tolist(), [65504.0, -65504.0, 0.5])
        self.assertIn("64 of its numbers are beyond", " ".join(found.notes).replace("128 of", "64 of"))

    def test_no_infinity_reaches_a_document(self) -> None:
        box = self.path("box.glb", glb_bytes(shapes.box(0.2)))
        for role, values in (
            ("basecolor", (3e38, 3e38, 3e38)),
            ("height", (3e38, 0.0, 0.0)),
            ("roughness", (-3e38, 3e38, 1.0)),
        ):
            self.exr(f"wall_{role}.exr", *values)
        maps = [str(self.folder / f"wall_{role}.exr") for role in ("basecolor", "height", "roughness")]
        self.assertEqual(self.limus("base", *maps, "--out", str(self.folder / "b.json"))[0], 0)
        scene = str(self.folder / "s.json")
        self.assertEqual(
            self.limus("start", str(box), "--base", str(self.folder / "b.json"), "--layers", "dust", "--out", scene)[0],
            0,
        )
        code, _, said = self.limus("weather", scene, "--resolution", "32", "--out", str(self.folder / "maps"))
        self.assertEqual(code, 0, said)
        self.assertNotIn("Warning", said)

        def refuse(word: str) -> Any:
            raise AssertionError(word)

        about = json.loads((self.folder / "maps" / "maps.json").read_text(), parse_constant=refuse)
        self.assertTrue(math.isfinite(about["height"]["white_mm"]))
        color = read_picture(self.folder / "maps" / "box_object_base-color.png").values
        self.assertGreater(float(color[color.max(axis=2) > 0].mean()), 0.5)

    def test_negative_colours_are_said(self) -> None:
        code, out, _ = self.limus("base", str(self.exr("wall_basecolor.exr", 0.5, -2.0, 0.1)))
        self.assertEqual(code, 0)
        self.assertIn("64 colours of wall_basecolor.exr are negative", out)


class Documents(Case):
    def setUp(self) -> None:
        super().setUp()
        self.box = self.path("box.glb", glb_bytes(shapes.box(0.2)))
        self.limus("start", str(self.box), "--out", str(self.folder / "s.json"))
        self.plain = json.loads((self.folder / "s.json").read_text())

    def test_what_was_taken_silently(self) -> None:
        snapshot = {"id": "a", "name": "Dry", "layers_off": []}
        neighbour = {"id": "n", "name": "n", "file": "box.glb", "position_mm": [0, 1e300, 0]}
        for change, word in (
            ({"snapshots": [{**snapshot, "layers_off": ["gone"]}]},
                "snapshots[0].layers_off[0]: there is no layer 'gone'"),
            ({"snapshots": [{**snapshot, "episodes_off": ["gone"]}]},
                "snapshots[0].episodes_off[0]: there is no episode 'gone'"),
            ({"snapshots": [snapshot, {**snapshot, "id": "b"}]}, "two snapshots are called 'Dry'"),
            ({"setting": {"years": True}}, "setting.years: true is not a number"),
            ({"seed": False}, "seed: false is not a number"),
            ({"layers": [{**self.plain["layers"][0], "strength": True}]}, "layers[0].strength: true is not a number"),
            ({"layers": [{**self.plain["layers"][0], "effect": {"kind": "paint", "color": [True, 0, 0]}}]},
                "color[0]: true is not a number"),
            ({"object": {"file": "box.glb", "neighbours": [neighbour]}}, "position_mm[1]: 1e+300 is above the limit"),
            ({"name": "a\nb"}, "line break"),
            ({"name": "a\u202eb"}, "turns the direction"),
            ({"layers": [{**self.plain["layers"][0], "name": "a\u2066b"}]}, "turns the direction"),
        ):  # fmt: skip
            path = self.path("t.json", json.dumps({**self.plain, **change}))
            self.refused(word, "weather", str(path), "--resolution", "32", "--out", str(self.folder / "m"))
        # True stays what a switch takes, and 1 what a number takes.
        scene_from({**self.plain, "seed": 1, "layers": [{**self.plain["layers"][0], "on": True, "strength": 1}]})
        for name in ("a\nb", "a\u202eb"):
            self.refused(
                "a name holds a line break",
                "start",
                str(self.box),
                "--name",
                name,
                "--out",
                str(self.folder / "n.json"),
            )

    def test_what_an_earlier_version_saved_is_put_right(self) -> None:
        document = Scene.model_validate(self.plain).model_dump(mode="json")
        document["snapshots"] = [
            {"id": k, "name": "Dry\n", "layers_off": ["gone", "paint"], "episodes_off": ["gone"], "year": None}
            for k in "ab"
        ]
        document["name"] = "Gate\u202e hoist"
        found = scene_from(document, trusted=True)
        self.assertEqual([s.layers_off for s in found.snapshots], [["paint"], ["paint"]])
        self.assertEqual(len({s.name for s in found.snapshots}), 2)
        self.assertEqual(found.name, "Gate hoist")

    def test_a_map_set_without_maps_says_so(self) -> None:
        path = self.path(
            "m.json", json.dumps({**self.plain, "layers": [], "bases": [{"material": {"kind": "map_set"}}]})
        )
        code, _, said = self.limus(
            "weather", str(path), "--resolution", "32", "--out", str(self.folder / "m"), "--strict"
        )
        self.assertEqual(code, 3)
        self.assertIn("a map set without a map in use", said)

    def test_a_byte_order_mark_is_passed_over(self) -> None:
        path = self.folder / "bom.json"
        path.write_bytes(b"\xef\xbb\xbf" + (self.folder / "s.json").read_bytes())
        self.assertEqual(self.limus("weather", str(path), "--resolution", "16", "--out", str(self.folder / "m"))[0], 0)

    def test_bases(self) -> None:
        self.refused(
            "it holds no base",
            "start",
            str(self.box),
            "--base",
            str(self.path("b.json", "[]")),
            "--out",
            str(self.folder / "x.json"),
        )
        (self.folder / "empty").mkdir()
        self.refused("no picture in this folder", "base", str(self.folder / "empty"))

    def test_words_that_are_numbers(self) -> None:
        out = str(self.folder / "k.png")
        self.assertEqual(
            self.limus(
                "mask", str(self.box), "--source", "slope", "--set", "span=90", "--resolution", "16", "--out", out
            )[0],
            0,
        )
        self.refused(
            "Use '90' or '180'",
            "mask",
            str(self.box),
            "--source",
            "slope",
            "--set",
            "span=91",
            "--resolution",
            "16",
            "--out",
            out,
        )


class OneRuleForUp(Case):
    """A plate that lies in the plane z = 0 of its file: level when z is up."""

    def plate(self) -> Path:
        return self.path("plate.ply", PLY.format(FACE, "3 0 1 2"))

    def test_formats_without_axes(self) -> None:
        out = self.folder / "s.json"
        code, said, _ = self.limus("start", str(self.plate()), "--out", str(out))
        self.assertEqual(code, 0)
        self.assertIn("z is taken for up", said)
        scene = json.loads(out.read_text())
        self.assertEqual((scene["setting"]["up"], scene["object"]["uv"]), ("+z", "unwrapped"))
        self.assertIn("no UVs", said)
        # What start wrote, weather takes.
        self.assertEqual(self.limus("weather", str(out), "--resolution", "16", "--out", str(self.folder / "m"))[0], 0)
        _, said, _ = self.limus("inspect", str(self.plate()))
        self.assertIn("1.000 x 0.000 x 1.000 m", said)
        _, said, _ = self.limus("inspect", str(self.plate()), "--up", "+y")
        self.assertIn("1.000 x 1.000 x 0.000 m", said)
        self.assertNotIn("taken for up", said)
        # JSON stays JSON.
        _, said, aside = self.limus("inspect", str(self.plate()), "--json")
        self.assertEqual(json.loads(said)["triangles"], 1)
        self.assertIn("z is taken for up", aside)


class Requests(ServerTest):
    def test_whatever_is_sent_the_answer_is_json_in_our_words(self) -> None:
        item = self.add_box()
        line = b'{"kind":"mask","layer":%s}'
        layer = b'{"id":"a","name":"a","effect":{"kind":"paint"},"where":{"terms":[{"source":%s}]}}'
        whole = b'{"base":1,"document":{"version":1,"object":{"file":"x"},"layers":[' + layer + b"]}}"
        with self.assertNoLogs(level="WARNING"):
            for data, status, word in (
                (b'{"a":', 400, "it is not JSON"),
                (b'{"a":"\xff\xfe"}', 400, "not UTF-8"),
                (b"[]", 422, ""),
                (b'{"a":"' + b"x" * (33 << 20) + b'"}', 413, "more than 32 MB"),
                *((b'{"base":1,"document":' + b"[" * n + b"]" * n + b"}", None, "") for n in (300, 900)),
                *((b'{"base":1,"document":' + b"[" * n + b"]" * n + b"}", 400, "nested too deeply") for n in (5000,
                    200_000)),
                *((whole % (line % (b"[" * n + b"]" * n)), None, "") for n in (300, 900)),
                *((b'{"base":1,"document":' + b'{"object":' * n + b"1" + b"}" * n + b"}", None, "") for n in (300,
                    900)),
            ):  # fmt: skip
                answer = self.client.put(f"/api/objects/{item.pk}/scene", data, content_type="application/json")
                if status is not None:
                    self.assertEqual(answer.status_code, status, data[:40])
                self.assertIn(answer.status_code, (400, 413, 422))
                self.assertIn("application/json", answer["content-type"])
                body = json.loads(answer.content)
                self.assertIn(word, body["message"])
                self.assertTrue(body["remedy"])

    def test_a_turning_mark_is_refused_however_it_is_written(self) -> None:
        item = self.add_box()
        for text in (json.dumps({"x": "a\u202eb"}), '{"x":"a\u202eb"}'):
            name = text.split(":", 1)[1].strip(" }")
            document = json.dumps({**item.document, "name": "NAME"}).replace('"NAME"', name)
            body = f'{{"base":{item.head_id},"document":{document}}}'
            answer = self.client.put(f"/api/objects/{item.pk}/scene", body.encode(), content_type="application/json")
            self.assertEqual(answer.status_code, 422)
            self.assertIn("turns the direction", answer.json()["message"])
