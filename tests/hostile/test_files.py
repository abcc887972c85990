"""Files that once took too much, ended in a traceback, or were taken for what they are not; each is refused or read
right.
"""

from __future__ import annotations

import io
import json
import os
import struct
import subprocess
import sys
import tempfile
import time
import zipfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import Any
from unittest import TestCase

import DracoPy
import numpy as np
from PIL import Image

from limus.cli.main import main
from limus.common.errors import InputError
from limus.document.scene import scene_from
from limus.effects.catalogue import EFFECTS
from limus.formats.draco_read import claimed
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import GltfMaps, glb_bytes, write_glb
from limus.formats.peek import claimed_triangles
from limus.formats.picture_read import read_picture
from limus.formats.png import png_bytes
from limus.formats.read import read_object
from limus.intake.inspection import inspection
from limus.materials.imported import lay_maps
from limus.surface.mesh import Mesh
from limus.surface.picture import Texture
from limus.surface.pyramid import texels_of
from limus.surface.texels import Texels
from limus.surface.unwrap import unwrapped
from limus.surface.uv_health import uv_health
from tests.core import shapes
from tests.core.stories import short_story
from tests.core.test_formats import khronos, pack, triangle
from tests.hostile import samples
from tests.hostile.test_fuzz import Hostile


def parsed(data: bytes) -> tuple[dict[str, Any], bytes]:
    """JSON and binary part of a GLB."""
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length]), data[28 + length :]


class Case(Hostile):
    def path(self, name: str, data: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def refused(self, name: str, data: bytes, *words: str) -> None:
        start = time.monotonic()
        with self.assertRaises(InputError) as caught:
            read_object(self.path(name, data))
        for word in words:
            self.assertIn(word, caught.exception.line)
        self.assertLess(time.monotonic() - start, 5.0)


class FarAway(Case):
    """A part of 0.3 x 0.18 x 0.2 m at site coordinates."""

    def far(self) -> Path:
        data = glb_bytes(shapes.box(0.2))
        document, blob = parsed(data)
        document["nodes"][0] |= {"translation": [500000.0, 5600000.0, 0.0], "scale": [1.5, 0.9, 1.0]}
        return self.path("far.glb", pack(document, blob))

    def test_it_keeps_its_shape_and_says_so(self) -> None:
        mesh = read_object(self.far())
        np.testing.assert_allclose(mesh.bounds[1] - mesh.bounds[0], [0.3, 0.18, 0.2], atol=1e-6)
        np.testing.assert_allclose(mesh.offset, [500000, 5600000, 0], atol=0.3)
        self.assertTrue(any("from the origin" in f["what"] for f in inspection(mesh)["findings"]))

    def test_other_formats(self) -> None:
        text = (
            "".join(f"v {500000 + x} {5600000 + y} 0\n" for x, y in ((0, 0), (0.3, 0), (0.3, 0.18), (0, 0.18)))
            + "f 1 2 3 4\n"
        )
        mesh = read_object(self.path("far.obj", text.encode()))
        np.testing.assert_allclose((mesh.bounds[1] - mesh.bounds[0])[:2], [0.3, 0.18], atol=1e-6)

    def test_exports_are_put_back(self) -> None:
        out = self.folder / "out.glb"
        write_glb(out, read_object(self.far()))
        again = read_object(out)
        whole = again.positions.astype(np.float64) + again.offset
        self.assertAlmostEqual(float(whole[:, 0].max()), 500000.15, places=5)
        self.assertAlmostEqual(float(whole[:, 1].min()), 5600000 - 0.09, places=5)
        self.assertEqual(khronos(out)["numErrors"], 0)
        # The view's own mesh stays about the origin.
        self.assertNotIn(b"translation", glb_bytes(read_object(self.far())))


class Bounded(Case):
    def test_an_accessor_without_data(self) -> None:
        document, blob = parsed(triangle())
        document["accessors"][0] = {"componentType": 5126, "count": 2**28, "type": "VEC3"}
        self.refused("a.glb", pack(document, blob), "without any data")
        document["accessors"][0]["count"] = 2**40
        self.refused("b.glb", pack(document, blob), "accessors[0]")
        document["accessors"][0]["count"] = 60_000_000
        self.refused("c.glb", pack(document, blob), "without any data")

    def test_nodes_are_trees(self) -> None:
        document, blob = parsed(triangle())
        document["nodes"] = [{"children": [k + 1, k + 1]} for k in range(24)] + [{"mesh": 0}]
        self.refused("a.glb", pack(document, blob), "trees")
        document["nodes"] = [{"children": [2]}, {"children": [2]}, {"mesh": 0}]
        document["scenes"] = [{"nodes": [0, 1]}]
        self.refused("b.glb", pack(document, blob), "trees")
        document["nodes"] = [{"mesh": 0}]
        document["scenes"] = [{"nodes": [0, 0]}]
        self.refused("c.glb", pack(document, blob), "named twice")
        document["nodes"] = [{"mesh": 0, "children": [1]}, {"children": [0]}]
        document["scenes"] = [{"nodes": [0]}]
        self.refused("d.glb", pack(document, blob), "loop")

    def test_a_deep_chain_is_read(self) -> None:
        document, blob = parsed(triangle())
        document["nodes"] = [{"children": [k + 1], "translation": [0.001, 0, 0]} for k in range(3000)] + [{"mesh": 0}]
        self.assertAlmostEqual(
            float(read_object(self.path("a.glb", pack(document, blob))).bounds[0, 0]), 3.0, delta=1e-4
        )

    def test_copies_count(self) -> None:
        data = glb_bytes(shapes.sphere(0.1, 180))
        document, blob = parsed(data)
        document["nodes"] = [{"mesh": 0, "translation": [k, 0, 0]} for k in range(60)]
        document["scenes"] = [{"nodes": list(range(60))}]
        path = self.path("many.glb", pack(document, blob))
        self.assertGreater(claimed_triangles(path) or 0, 60 * 30_000)
        self.refused("many.glb", path.read_bytes(), "many times over")

    def test_thousands_of_copies_on_shared_uvs(self) -> None:
        document, blob = parsed(glb_bytes(shapes.box(0.2)))
        document["nodes"] = [{"mesh": 0, "translation": [k % 60, k // 60, 0]} for k in range(3000)]
        document["scenes"] = [{"nodes": list(range(3000))}]
        path = self.path("many.glb", pack(document, blob))
        self.bounded(lambda: inspection(read_object(path)))
        self.assertGreater(uv_health(read_object(path)).overlapping, 0.9)

    def test_everything_meets_in_one_place(self) -> None:
        rng = np.random.default_rng(1)
        p = rng.random((20_000, 3)).astype(np.float32)
        index = rng.integers(0, 20_000, (40_000, 3))
        index[:, 0] = 0
        n = np.tile(np.float32([[0, 1, 0]]), (len(p), 1))
        self.bounded(
            lambda: inspection(Mesh(p, n, index.astype(np.int32), parts=(shapes.Part("all", 0, len(index), 0),)))
        )

    def test_a_zip_in_a_zip(self) -> None:
        inner = samples.zipped({"a.glb": glb_bytes(shapes.box(0.2))})
        self.refused("a.zip", samples.zipped({"a.glb": inner}), "a zip in a zip")

    def test_a_bomb(self) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("a.glb", b"\0" * (80 << 20))
        self.refused("a.zip", out.getvalue(), "unpack")

    def test_a_texture_of_many_pixels(self) -> None:
        out = io.BytesIO()
        Image.new("L", (13_000, 13_000)).save(out, "PNG")
        document, blob = samples.rich_document()
        document["images"] = [{"uri": "big.png"}]
        self.path("big.png", out.getvalue())
        path = self.path("a.gltf", b"")
        document["buffers"] = [{"byteLength": len(blob), "uri": "a.bin"}]
        self.path("a.bin", blob)
        path.write_text(json.dumps(document))
        held: list[Mesh] = []
        self.bounded(lambda: held.append(read_gltf(path)))
        self.assertTrue(any("13000 x 13000" in note for note in held[0].notes), held[0].notes)

    def test_pictures_are_not_held_unpacked(self) -> None:
        out = io.BytesIO()
        Image.new("RGB", (4096, 4096)).save(out, "PNG")
        document, blob = samples.rich_document()
        self.path("big.png", out.getvalue())
        document["images"], document["buffers"] = [{"uri": "big.png"}], [{"byteLength": len(blob), "uri": "a.bin"}]
        self.path("a.bin", blob)
        mesh = read_gltf(self.path("a.gltf", json.dumps(document).encode()))
        self.assertLess(mesh.held()[0], 4 << 20)
        self.assertEqual(mesh.base_maps[0].color.pixels.shape, (4096, 4096, 4))  # type: ignore[union-attr]

    def test_draco_that_claims_too_much(self) -> None:
        data = bytearray(DracoPy.encode(np.eye(3), np.array([[0, 1, 2]], np.uint32), preserve_order=True))
        self.assertEqual(claimed(bytes(data)), (1, 3))
        data[11:12] = b"\xff\xff\xff\xff\x7f"
        self.assertGreater(claimed(bytes(data))[0], 2**30)
        document, blob = samples.rich_document()
        view = document["bufferViews"][10]
        blob = blob[: view["byteOffset"]] + bytes(data)
        view["byteLength"] = len(data)
        document["buffers"][0]["byteLength"] = len(blob)
        self.refused("a.glb", pack(document, blob), "more than it can hold")

    def test_two_micrometres(self) -> None:
        mesh = shapes.box(2e-6)
        self.bounded(lambda: inspection(mesh))
        self.assertGreater(inspection(mesh)["suggested_scale"], 1)
        with self.assertRaisesRegex(InputError, "Give the unit"):
            texels_of(mesh, 64)

    def test_loose_triangles_unwrap_in_a_moment(self) -> None:
        rng = np.random.default_rng(0)
        p = rng.random((36, 3)).astype(np.float32)
        n = np.tile(np.float32([[0, 1, 0]]), (36, 1))
        mesh = Mesh(p, n, np.arange(36, dtype=np.int32).reshape(-1, 3), parts=(shapes.Part("loose", 0, 12, 0),))
        start = time.monotonic()
        health = uv_health(unwrapped(mesh))
        self.assertLess(time.monotonic() - start, 10.0)
        self.assertEqual((health.islands, health.overlapping), (12, 0.0))


class UnwrapApart(TestCase):
    def test_a_limit_a_chart_for_each_face_and_a_cancel(self) -> None:
        from limus.common.errors import Cancelled

        mesh = shapes.sphere(0.1, 64)
        os.environ["LIMUS_UNWRAP_SECONDS"] = "0"
        try:
            plain = unwrapped(mesh)
        finally:
            del os.environ["LIMUS_UNWRAP_SECONDS"]
        self.assertIn("a chart of its own", plain.notes[-1])
        health = uv_health(plain)
        self.assertEqual(health.overlapping, 0.0)
        self.assertLess(health.stretch, 1.01)
        self.assertLess(health.flipped, 1e-6)
        self.assertTrue(any("a chart of its own" in f["what"] for f in inspection(plain)["findings"]))
        said: list[float] = []

        def stop(share: float) -> None:
            said.append(share)
            if len(said) > 1:
                raise Cancelled

        with self.assertRaises(Cancelled):
            unwrapped(shapes.sphere(0.1, 400), stop)
        # It went on no further than to where it was told so.
        self.assertEqual(len(said), 2)


class OneLine(Case):
    """What once ended in a traceback."""

    def inspect(self, name: str, data: bytes | str) -> str:
        path = self.path(name, data if isinstance(data, bytes) else data.encode("utf-8", "surrogatepass"))
        done = subprocess.run(
            [sys.executable, "-m", "limus.cli", "inspect", str(path)], capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 2, done.stderr[-400:])
        self.assertEqual(done.stderr.count("\n"), 1)
        self.assertNotIn("fault of Limus", done.stderr)
        return done.stderr

    def test_on_the_command_line(self) -> None:
        self.inspect("list.gltf", '{"asset": ["2.0"]}')
        self.inspect("comma.gltf", '{"asset": {"version": "2.0"} "nodes": []}')
        self.inspect("short.obj", "v 0 0\nv 1 0\nv 0 1\nf 1 2 3\n")

    def test_in_files(self) -> None:
        document, blob = parsed(triangle())
        text = json.dumps(document)
        for broken in (
            text.replace('"mesh": 0', '"mesh": 0, "matrix": [1e400,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1]'),
            text.replace('"mesh": 0', '"mesh": 0, "scale": [1, 1e400, 1]'),
            text.replace('"count": 3', '"count": 1099511627776', 1),
            text.replace(
                '"count": 3',
                '"count": 3, "sparse": {"count": 1, "indices": {"bufferView": 0, "componentType": 5126}, "values": '
                '{"bufferView": 0}}',
                1,
            ),
        ):
            data = broken.encode()
            data += b" " * (-len(data) % 4)
            body = struct.pack("<I4s", len(data), b"JSON") + data + struct.pack("<I4s", len(blob), b"BIN\0") + blob
            self.refused("a.glb", struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body)

    def test_in_zips(self) -> None:
        good = samples.zipped({"box.obj": samples.objects()["box.obj"]})
        self.refused("dot.zip", samples.zipped({".": b"x"}))
        lzma = io.BytesIO()
        with zipfile.ZipFile(lzma, "w", zipfile.ZIP_LZMA) as archive:
            archive.writestr("box.obj", samples.objects()["box.obj"])
        broken = bytearray(lzma.getvalue())
        broken[45:80] = b"\xff" * 35
        self.refused("lzma.zip", bytes(broken))
        # The flag for UTF-8 names, and a name that is none.
        names = good.replace(b"box.obj", b"\xff\xfe\xfd.obj"[:7])
        at = names.index(b"PK\x01\x02")
        marked = names[: at + 8] + struct.pack("<H", 0x800) + names[at + 10 :]
        self.refused("names.zip", marked)

    def test_names(self) -> None:
        document, blob = parsed(triangle())
        document["nodes"][0]["name"] = "lever\ud800\n\x07arm"
        mesh = read_object(self.path("a.glb", pack(document, blob)))
        self.assertEqual(mesh.parts[0].name, "lever arm")
        text = json.dumps(inspection(mesh), ensure_ascii=False)
        text.encode("utf-8")

    def test_paths(self) -> None:
        for name in ("a\0b.glb", "x" * 5000):
            err = io.StringIO()
            with redirect_stderr(err):
                self.assertEqual(main(["inspect", name]), 2)
            self.assertLessEqual(len(err.getvalue()), 301)
            self.assertNotIn("fault of Limus", err.getvalue())

    def test_bars_in_names(self) -> None:
        document = short_story().model_dump(mode="json")
        one, two = document["layers"][0], document["layers"][1]
        one["name"], two["name"] = "a|b", "c|d|e"
        line = {"source": {"kind": "mask", "layer": two["id"]}}
        back = {"source": {"kind": "mask", "layer": one["id"]}}
        one["where"], two["where"] = {"terms": [line]}, {"terms": [back]}
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        self.assertIn("loop: a|b → c|d|e", caught.exception.problem)
        self.assertEqual(caught.exception.where, "scene: layers[0].where")
        one["where"] = {"terms": [{"source": {"kind": "exposed", "what": two["id"]}}]}
        two["where"] = {"terms": []}
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        self.assertIn("a|b", caught.exception.line)

    def test_structure_of_a_refusal(self) -> None:
        document = short_story().model_dump(mode="json")
        document["layers"][0]["strength"] = 7
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        found = caught.exception
        self.assertEqual((found.where, found.value, found.accepted), ("scene: layers[0].strength", "7", "up to 1"))

    def test_long_lines_and_control_characters(self) -> None:
        error = InputError("x\x1b[31m" * 500, where="y\n" * 300, remedy="z" * 500)
        self.assertLessEqual(len(error.line), 300)
        self.assertTrue(error.line.isprintable())

    def test_a_closed_pipe(self) -> None:
        done = subprocess.run(
            f"{sys.executable} -m limus.cli schema | head -c 10",
            shell=True,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.stderr, "")

    def test_the_schema_has_default_recipes(self) -> None:
        out = io.StringIO()
        with redirect_stdout(out):
            main(["schema"])
        definitions = json.loads(out.getvalue())["$defs"]
        self.assertIn("terms", definitions["Chipping"]["defaultRecipe"])
        self.assertEqual(sum("defaultRecipe" in d for d in definitions.values()), len(EFFECTS))


class Garbage(Case):
    def test_an_infinite_size(self) -> None:
        p = np.array([[0, 0, 0], [3e38, 0, 0], [0, 3e38, 0]])
        self.refused("a.glb", triangle(p), "beyond all measure")
        self.assertEqual(main(["inspect", str(self.path("b.glb", triangle())), "--scale", "inf"]), 2)

    def test_normals_without_a_length(self) -> None:
        document, blob = parsed(triangle())
        normals = np.zeros((3, 3), np.float32).tobytes()
        document["bufferViews"].append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(normals)})
        document["accessors"].append({"bufferView": 3, "componentType": 5126, "count": 3, "type": "VEC3"})
        document["buffers"][0]["byteLength"] = len(blob) + len(normals)
        document["meshes"][0]["primitives"][0]["attributes"]["NORMAL"] = 3
        mesh = read_object(self.path("a.glb", pack(document, blob + normals)))
        np.testing.assert_allclose(mesh.normals, np.tile([0, 0, 1], (3, 1)), atol=1e-6)
        self.assertTrue(any("no length" in note for note in mesh.notes))
        out = self.folder / "out.glb"
        write_glb(out, mesh)
        self.assertEqual(khronos(out)["numErrors"], 0)

    def test_uvs_that_are_no_numbers(self) -> None:
        ply = (
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
            "z\nproperty float s\nproperty float t\n"
        )
        ply += (
            "element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0 nan 0\n1 0 0 1 0\n0 1 0 0 "
            "1\n3 0 1 2\n"
        )
        mesh = read_object(self.path("a.ply", ply.encode()))
        self.assertTrue(any("not numbers" in note for note in mesh.notes), mesh.notes)

    def test_kinds_of_pictures(self) -> None:
        eps = b"%!PS-3.0 EPSF-3.0\n%%BoundingBox: 0 0 8 8\n%%EndComments\nshowpage\n"
        with self.assertRaises(InputError):
            read_picture(self.path("a.png", eps))


class ReadRight(Case):
    """glTF as the standard has it."""

    def textured(self, texture: dict[str, Any], uv1: np.ndarray) -> Mesh:
        document, blob = parsed(glb_bytes(shapes.plane(1.0)))
        count = document["accessors"][0]["count"]
        # Left half black, right half white.
        pixels = np.zeros((8, 8, 3), np.uint8)
        pixels[:, 4:] = 255
        for piece in (uv1.astype(np.float32).tobytes(), png_bytes(pixels)):
            document["bufferViews"].append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(piece)})
            blob += piece + b"\0" * (-len(piece) % 4)
        document["accessors"].append(
            {"bufferView": len(document["bufferViews"]) - 2, "componentType": 5126, "count": count, "type": "VEC2"}
        )
        document["buffers"][0]["byteLength"] = len(blob)
        document["images"], document["textures"] = (
            [{"bufferView": len(document["bufferViews"]) - 1, "mimeType": "image/png"}],
            [{"source": 0}],
        )
        document["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0, **texture}}}]
        document["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_1"] = len(document["accessors"]) - 1
        return read_object(self.path("a.glb", pack(document, blob)))

    def white(self, mesh: Mesh) -> float:
        sheet = {name: np.float32(0.5) for name in ("roughness", "metalness")} | {
            "base_color": np.float32([0.5, 0.5, 0.5])
        }
        texels = Texels.of(mesh, 64)
        lay_maps(texels, sheet)
        return texels.share(np.ascontiguousarray(sheet["base_color"][:, 0]))

    def test_the_second_uv_set(self) -> None:
        count = len(read_object(self.path("p.glb", glb_bytes(shapes.plane(1.0)))).positions)
        right = np.full((count, 2), 0.75)
        self.assertAlmostEqual(self.white(self.textured({"texCoord": 1}, right)), 1.0, places=3)
        self.assertAlmostEqual(self.white(self.textured({}, right)), 0.5, delta=0.1)

    def test_transforms_of_textures(self) -> None:
        count = len(read_object(self.path("p.glb", glb_bytes(shapes.plane(1.0)))).positions)
        still = np.zeros((count, 2))

        def moved(**how: Any) -> float:
            return self.white(self.textured({"extensions": {"KHR_texture_transform": how}}, still))

        self.assertAlmostEqual(moved(scale=[0.25, 1], offset=[0.6, 0]), 1.0, places=2)
        self.assertAlmostEqual(moved(scale=[0.25, 1], offset=[0.1, 0]), 0.0, places=2)
        # The formula of the extension's own text (Khronos KHR_texture_transform, from memory): turned counter-clockwise
        # about the origin.
        u, v = (
            Texture.of(np.zeros((1, 1, 3), np.uint8))
            .__class__(samples_picture(), offset=(0.1, 0.2), rotation=np.pi / 2, scale=(2.0, 3.0))
            .placed(np.array([0.5]), np.array([0.25]))
        )
        np.testing.assert_allclose([u[0], v[0]], [0.1 + 0.75, 0.2 - 1.0], atol=1e-9)

    def test_required_extensions(self) -> None:
        document, blob = parsed(triangle())
        self.refused("a.glb", pack({**document, "extensionsRequired": ["VENDOR_something"]}, blob), "VENDOR_something")
        for where in ("extensionsRequired", "extensionsUsed"):
            self.refused("b.glb", pack({**document, where: ["EXT_meshopt_compression"]}, blob), "meshopt")
        read_object(
            self.path(
                "c.glb",
                pack({**document, "extensionsRequired": ["KHR_materials_clearcoat", "KHR_mesh_quantization"]}, blob),
            )
        )

    def test_draco(self) -> None:
        # Packed by the library, with its own order of points: the same surface and the same UVs come back.
        mesh = shapes.sphere(0.1, 24)
        assert mesh.uv is not None
        data = DracoPy.encode(
            mesh.positions.astype(np.float64),
            mesh.triangles.astype(np.uint32),
            tex_coord=mesh.uv.astype(np.float64),
            quantization_bits=16,
        )
        document = {
            "asset": {"version": "2.0"},
            "extensionsUsed": ["KHR_draco_mesh_compression"],
            "extensionsRequired": ["KHR_draco_mesh_compression"],
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
            "meshes": [
                {
                    "primitives": [
                        {
                            "attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2,
                            "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0,
                                "attributes": {"TEXCOORD_0": 0, "POSITION": 1}}},
                        }
                    ]
                }
            ],
            "accessors": [
                {"componentType": 5126, "count": len(mesh.positions), "type": "VEC3"},
                {"componentType": 5126, "count": len(mesh.positions), "type": "VEC2"},
                {"componentType": 5125, "count": mesh.triangles.size, "type": "SCALAR"},
            ],
            "bufferViews": [{"buffer": 0, "byteLength": len(data)}],
            "buffers": [{"byteLength": len(data)}],
        }  # fmt: skip
        found = read_object(self.path("a.glb", pack(document, data)))
        self.assertAlmostEqual(float(found.areas.sum()), float(mesh.areas.sum()), delta=1e-4)
        self.assertAlmostEqual(uv_health(found).used, uv_health(mesh).used, delta=0.01)

    def test_colours_packed_as_shares(self) -> None:
        # glTF 2.0, 3.6.2.2: a normalized unsigned byte c stands for c / 255. A corner's red counts up with its x.
        mesh = shapes.box(0.1)
        x = mesh.positions[:, 0]
        red = np.round((x - x.min()) / np.ptp(x) * 200).astype(np.uint8)
        colours = np.stack([red, np.full_like(red, 51), np.full_like(red, 255)], axis=1)
        data = DracoPy.encode(mesh.positions.astype(np.float64), mesh.triangles.astype(np.uint32), colors=colours)
        known = DracoPy.decode(data)
        numbers = {a["attribute_type"]: a["unique_id"] for a in known.attributes}

        def document(**more: Any) -> bytes:
            content = {
                "asset": {"version": "2.0"},
                "extensionsUsed": ["KHR_draco_mesh_compression"],
                "extensionsRequired": ["KHR_draco_mesh_compression"],
                "nodes": [{"mesh": 0}],
                "scenes": [{"nodes": [0]}],
                "meshes": [{"primitives": [{
                    "attributes": {"POSITION": 0, "COLOR_0": 1}, "indices": 2,
                    "extensions": {"KHR_draco_mesh_compression": {"bufferView": 0,
                        "attributes": {"POSITION": numbers[0], "COLOR_0": numbers[2]}}},
                }]}],
                "accessors": [
                    {"componentType": 5126, "count": len(known.points), "type": "VEC3"},
                    {"componentType": 5121, "count": len(known.points), "type": "VEC3", **more},
                    {"componentType": 5125, "count": known.faces.size, "type": "SCALAR"},
                ],
                "bufferViews": [{"buffer": 0, "byteLength": len(data)}],
                "buffers": [{"byteLength": len(data)}],
            }  # fmt: skip
            return pack(content, data)

        found = read_object(self.path("shares.glb", document(normalized=True)))
        assert found.colours is not None
        x = found.positions[:, 0]
        np.testing.assert_allclose(found.colours[:, 0], (x - x.min()) / np.ptp(x) * 200 / 255, atol=0.005)
        np.testing.assert_allclose(found.colours[:, 1], 0.2, atol=1e-6)
        np.testing.assert_allclose(found.colours[:, 2], 1.0, atol=1e-6)

    def test_what_is_no_number_beside_the_places_is_set_to_nothing_and_told(self) -> None:
        # Places that are none are refused; what can be had anew or done without is not worth losing an object for.
        corners = np.float32([[0, 0, 0], [1, 0, 0], [0, 1, 0]])
        normals = np.float32([[0, 0, 1], [np.nan, 0, 1], [0, 0, 1]])
        uv = np.float32([[0, 1], [1, 1], [np.inf, 0]])
        colour = np.float32([[1, 0.5, 0], [1, np.nan, 0], [1, 0.5, 1e30]])
        pieces = [v.tobytes() for v in (corners, normals, uv, colour)]
        starts = np.cumsum([0, *map(len, pieces)]).tolist()
        content = {
            "asset": {"version": "2.0"},
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
            "meshes": [{"primitives": [{
                "attributes": {"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2, "COLOR_0": 3},
            }]}],
            "accessors": [
                {"bufferView": k, "componentType": 5126, "count": 3, "type": "VEC2" if k == 2 else "VEC3"}
                for k in range(4)
            ],
            "bufferViews": [
                {"buffer": 0, "byteOffset": starts[k], "byteLength": len(piece)} for k, piece in enumerate(pieces)
            ],
            "buffers": [{"byteLength": starts[-1]}],
        }  # fmt: skip
        found = read_object(self.path("numbers.glb", pack(content, b"".join(pieces))))
        notes = " ".join(found.notes)
        for name, count in (("NORMAL", 1), ("TEXCOORD_0", 1), ("COLOR_0", 2)):
            self.assertIn(f"{count} entries of {name} were not numbers and were set to 0", notes)
        order = np.lexsort((found.positions[:, 1], found.positions[:, 0]))
        assert found.uv is not None and found.colours is not None
        self.assertEqual(found.uv[order].tolist(), [[0, 1], [0, 0], [1, 1]])
        self.assertEqual(found.colours[order][:, :3].tolist(), [[1, 0.5, 0], [1, 0.5, 0], [1, 0, 0]])
        np.testing.assert_allclose(found.normals, [[0, 0, 1]] * 3, atol=1e-6)

    def test_skins_stand_in_their_rest_pose(self) -> None:
        document, blob = samples.rich_document()
        document["nodes"][1]["translation"] = [5, 0, 0]
        mesh = read_object(self.path("a.glb", pack(document, blob)))
        part = mesh.parts[mesh.part_index("bent")]
        x = mesh.positions[mesh.triangles[part.first : part.first + part.count].ravel(), 0]
        self.assertAlmostEqual(float(x.min()), 5.0, places=5)
        self.assertTrue(any("rest pose" in note for note in mesh.notes))
        document["meshes"][0]["primitives"][0]["targets"] = [{"POSITION": 0}]
        self.assertTrue(any("morph" in note for note in read_object(self.path("b.glb", pack(document, blob))).notes))

    def test_textures_of_other_kinds(self) -> None:
        document, blob = samples.rich_document()
        webp = samples.picture("WEBP", lossless=True)
        document["bufferViews"].append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(webp)})
        document["buffers"][0]["byteLength"] = len(blob) + len(webp)
        document["images"].append({"bufferView": 11, "mimeType": "image/webp"})
        document["textures"] = [{"extensions": {"EXT_texture_webp": {"source": 1}}}]
        mesh = read_object(self.path("a.glb", pack(document, blob + webp)))
        assert mesh.base_maps[0] is not None and mesh.base_maps[0].color is not None
        np.testing.assert_array_equal(mesh.base_maps[0].color.pixels[:, :, :3], samples.PIXELS)
        document["textures"] = [{"extensions": {"KHR_texture_basisu": {"source": 0}}}]
        mesh = read_object(self.path("b.glb", pack(document, blob + webp)))
        self.assertTrue(any("KHR_texture_basisu" in note for note in mesh.notes), mesh.notes)
        self.assertIsNone(mesh.base_maps[0].color if mesh.base_maps[0] else None)

    def test_pictures_keep_their_place_when_it_is_unwrapped(self) -> None:
        pixels = np.zeros((64, 64, 3), np.uint8)
        pixels[:, :, 0] = np.arange(64)[None, :] * 4
        pixels[:, :, 1] = np.arange(64)[:, None] * 4
        maps = GltfMaps(
            {"base_color": png_bytes(pixels, srgb=True), "orm": png_bytes(pixels), "normal": png_bytes(pixels)}
        )
        mesh = read_object(self.path("a.glb", glb_bytes(shapes.box(0.2), [maps])))
        again = unwrapped(mesh)
        seen = []
        for one in (mesh, again):
            texels = Texels.of(one, 128)
            sheet = {name: np.array(0.5, np.float32) for name in ("roughness", "metalness")}
            sheet["base_color"] = np.array([0.5, 0.5, 0.5], np.float32)
            lay_maps(texels, sheet)
            seen.append((texels.position, sheet["base_color"]))
        # The colour at a place is the same, whichever way the texels lie.
        from scipy.spatial import cKDTree

        distance, row = cKDTree(seen[0][0]).query(seen[1][0][::37])
        near = distance < 0.002
        self.assertGreater(int(near.sum()), 50)
        off = np.abs(seen[0][1][row[near]] - seen[1][1][::37][near])
        self.assertLess(float(np.median(off)), 0.02)

    def test_neighbours_far_from_the_origin(self) -> None:
        from limus.intake.object_file import Neighbour, ObjectFile
        from limus.intake.preparation import prepared, surroundings
        from limus.readings.setting import Setting

        for name, x in (("one.glb", 500000.0), ("two.glb", 500001.0)):
            document, blob = parsed(glb_bytes(shapes.box(0.2)))
            document["nodes"][0]["translation"] = [x, 5600000.0, 0.0]
            self.path(name, pack(document, blob))

        def find(name: str) -> Path:
            return self.folder / name

        wanted = ObjectFile(file="one.glb", neighbours=[Neighbour(id="two", name="Two", file="two.glb")])
        mesh = prepared(wanted, Setting(), find)
        near = surroundings(wanted, Setting(), mesh, find).neighbours
        assert near is not None
        self.assertAlmostEqual(float(near.bounds.mean(axis=0)[0] - mesh.bounds.mean(axis=0)[0]), 1.0, places=4)

    def test_a_second_uv_set_can_be_chosen(self) -> None:
        from limus.intake.object_file import ObjectFile
        from limus.intake.preparation import prepared
        from limus.readings.setting import Setting

        path = self.path("a.glb", pack(*samples.rich_document()))
        self.assertTrue(inspection(read_object(path))["second_uv"])
        own = prepared(ObjectFile(file=path.name), Setting(), lambda name: self.folder / name)
        second = prepared(ObjectFile(file=path.name, uv="second"), Setting(), lambda name: self.folder / name)
        assert own.uv is not None and second.uv is not None
        np.testing.assert_allclose(own.uv.max(axis=0), 2 * second.uv.max(axis=0), atol=1e-6)
        out = io.StringIO()
        with redirect_stdout(out):
            self.assertEqual(main(["inspect", str(path), "--second-uv", "--json"]), 0)
        self.assertTrue(json.loads(out.getvalue())["second_uv"])
        plain = self.path("b.glb", triangle())
        with self.assertRaises(InputError):
            prepared(ObjectFile(file=plain.name, uv="second"), Setting(), lambda name: self.folder / name)


def samples_picture() -> Any:
    """A picture to lay on."""
    return Texture.of(np.zeros((1, 1, 3), np.uint8)).picture


class Temporary(TestCase):
    def test_nothing_is_left(self) -> None:
        before = set(os.listdir(tempfile.gettempdir()))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.zip"
            path.write_bytes(samples.zipped({"box.obj": b"v 0 0 0\n"}))
            with self.assertRaises(InputError):
                read_object(path)
        left = {n for n in set(os.listdir(tempfile.gettempdir())) - before if n.startswith("tmp")}
        self.assertFalse({n for n in left if Path(tempfile.gettempdir(), n, "box.obj").exists()})
