"""glTF in and out."""

from __future__ import annotations

import json
import struct
import subprocess
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase, skipUnless

import numpy as np
import trimesh

from demo import gate_hoist
from limus.common.errors import InputError
from limus.formats.field import write_field
from limus.formats.files import write_whole
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import GltfMaps, glb_bytes
from limus.formats.png import png_bytes
from limus.targets.kinds.gltf import _PATHS
from tests.core import shapes

ROOT = Path(__file__).resolve().parents[2]
VALIDATOR = ROOT / "web" / "node_modules" / "gltf-validator"
_SCRIPT = """
const validator = require(process.argv[1]); const fs = require('fs')
const bytes = new Uint8Array(fs.readFileSync(process.argv[2]))
validator.validateBytes(bytes, {maxIssues: 20}).then(r => console.log(JSON.stringify(r.issues)))
"""


def khronos(path: Path) -> dict[str, Any]:
    """Issues that the Khronos glTF validator finds."""
    done = subprocess.run(
        ["node", "-e", _SCRIPT, str(VALIDATOR), str(path)], capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)  # type: ignore[no-any-return]


def pack(document: dict[str, Any], binary: bytes = b"") -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    body = (
        struct.pack("<I4s", len(text), b"JSON")
        + text
        + (struct.pack("<I4s", len(binary), b"BIN\0") + binary if binary else b"")
    )
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def triangle(
    positions: np.ndarray | None = None, index: np.ndarray | None = None, uv: bool = True, **node: Any
) -> bytes:
    p = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32) if positions is None else positions.astype(np.float32)
    i = np.array([0, 1, 2], np.uint16) if index is None else index.astype(np.uint16)
    t = np.array([[0, 1], [1, 1], [0, 0]], np.float32)
    blob = p.tobytes() + t.tobytes() + i.tobytes()
    attributes = {"POSITION": 0, **({"TEXCOORD_0": 1} if uv else {})}
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, **node}],
        "meshes": [{"primitives": [{"attributes": attributes, "indices": 2}]}],
        "buffers": [{"byteLength": len(blob)}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": p.nbytes},
            {"buffer": 0, "byteOffset": p.nbytes, "byteLength": t.nbytes},
            {"buffer": 0, "byteOffset": p.nbytes + t.nbytes, "byteLength": i.nbytes},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(p), "type": "VEC3"},
            {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5123, "count": len(i), "type": "SCALAR"},
        ],
    }
    return pack(document, blob)


class Reading(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, data: bytes, name: str = "cup.glb") -> Any:
        (self.folder / name).write_bytes(data)
        return read_gltf(self.folder / name)

    def test_whole_numbers_that_stand_for_shares(self) -> None:
        """glTF 2.0, 3.11 (animations) and KHR_mesh_quantization: unsigned c / max; signed max(c / max, -1)."""
        p = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)
        places = np.array([[0, 65535], [65535, 32768], [13107, 0]], np.uint16)
        colours = np.array([[255, 0, 51, 255], [128, 255, 0, 255], [0, 0, 0, 0]], np.uint8)
        normals = np.array([[0, 0, 127, 0], [0, 0, -128, 0], [0, 0, 127, 0]], np.int8)
        blob = p.tobytes() + places.tobytes() + colours.tobytes() + normals.tobytes()
        views, at = [], 0
        for block, stride in ((p, None), (places, None), (colours, None), (normals, 4)):
            view = {"buffer": 0, "byteOffset": at, "byteLength": block.nbytes}
            views.append(view | ({"byteStride": stride} if stride else {}))
            at += block.nbytes
        document = {
            "asset": {"version": "2.0"},
            "extensionsUsed": ["KHR_mesh_quantization"],
            "extensionsRequired": ["KHR_mesh_quantization"],
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0}],
            "meshes": [
                {"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1, "COLOR_0": 2, "NORMAL": 3}}]}
            ],
            "buffers": [{"byteLength": len(blob)}],
            "bufferViews": views,
            "accessors": [
                {
                    "bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0],
                    "max": [1, 1, 0],
                },
                {"bufferView": 1, "componentType": 5123, "count": 3, "type": "VEC2", "normalized": True},
                {"bufferView": 2, "componentType": 5121, "count": 3, "type": "VEC4", "normalized": True},
                {"bufferView": 3, "componentType": 5120, "count": 3, "type": "VEC3", "normalized": True},
            ],
        }  # fmt: skip
        data = pack(document, blob)
        (self.folder / "whole.glb").write_bytes(data)
        self.assertEqual([one for one in khronos(self.folder / "whole.glb")["messages"] if one["severity"] == 0], [])
        mesh = self.read(data)
        np.testing.assert_allclose(mesh.uv, [[0, 1], [1, 32768 / 65535], [0.2, 0]], atol=1e-6)
        np.testing.assert_allclose(mesh.colours, [[1, 0, 0.2, 1], [128 / 255, 1, 0, 1], [0, 0, 0, 0]], atol=1e-6)
        np.testing.assert_allclose(mesh.normals, [[0, 0, 1], [0, 0, -1], [0, 0, 1]], atol=1e-6)

    def refused(self, data: bytes, *words: str, name: str = "cup.glb") -> None:
        with self.assertRaises(InputError) as caught:
            self.read(data, name)
        line = caught.exception.line
        self.assertTrue(line.startswith(name), line)
        self.assertNotIn("\n", line)
        for word in words:
            self.assertIn(word, line)

    def test_a_primitive_without_material_keeps_its_uvs(self) -> None:
        mesh = self.read(triangle())
        np.testing.assert_allclose(mesh.uv, [[0, 1], [1, 1], [0, 0]])
        np.testing.assert_allclose(mesh.normals, np.tile([0, 0, 1], (3, 1)))  # flat, as the standard asks

    def test_node_transforms(self) -> None:
        mesh = self.read(triangle(translation=[1, 2, 3], rotation=[0, 0, 0.70710678, 0.70710678], scale=[2, 2, 2]))
        np.testing.assert_allclose(mesh.positions, [[1, 2, 3], [1, 4, 3], [-1, 2, 3]], atol=1e-6)
        mirrored = self.read(triangle(scale=[-1, 1, 1]))
        np.testing.assert_allclose(mirrored.face_normals, [[0, 0, 1]], atol=1e-6)

    def test_bad_files(self) -> None:
        self.refused(b"solid cup", "cut short")
        self.refused(b"PK\x03\x04" + b"\0" * 40, "not a GLB")
        self.refused(b"glTF" + struct.pack("<II", 2, 400) + b"\0" * 40, "cut short")
        self.refused(triangle()[:-30], "cut short")
        self.refused(struct.pack("<4sII", b"glTF", 1, 20) + b"\0" * 8, "version 1")
        self.refused(pack({"asset": {"version": "2.0"}}), "empty")
        self.refused(b"", "cut short")
        self.refused(b"not json", "not a glTF", name="cup.gltf")

    def test_bad_meshes(self) -> None:
        nan = np.array([[0, 0, 0], [1, 0, 0], [0, np.nan, 0]])
        self.refused(triangle(nan), "meshes[0].primitives[0].attributes.POSITION", "NaN")
        self.refused(triangle(index=np.array([0, 1, 9])), "meshes[0].primitives[0].indices", "9 of 3")
        self.refused(triangle(np.zeros((3, 3))), "degenerate")
        self.refused(triangle(index=np.array([0, 1])), "whole triangles")
        empty = pack({"asset": {"version": "2.0"}, "nodes": [{"mesh": 0}], "meshes": [{"primitives": []}]})
        self.refused(empty, "empty")
        loop = pack({"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"children": [0]}]})
        self.refused(loop, "loop")

    def test_bad_references(self) -> None:
        self.refused(pack({"asset": {"version": "2.0"}, "nodes": [{"mesh": 3}]}), "meshes[3]")
        outside = {"asset": {"version": "2.0"}, "nodes": [{"mesh": 0}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
                   "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
                   "bufferViews": [{"buffer": 0, "byteLength": 36}],
                   "buffers": [{"uri": "../secret.bin", "byteLength": 36}]}  # fmt: skip
        self.refused(json.dumps(outside).encode(), "points outside", name="cup.gltf")
        outside["buffers"] = [{"uri": "gone.bin", "byteLength": 36}]
        self.refused(json.dumps(outside).encode(), "missing", name="cup.gltf")

    def test_some_degenerate_triangles_are_left_out_and_said(self) -> None:
        p = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 1, 0], [0, 1, 0]])
        data = triangle(p[:3], np.array([0, 1, 2, 2, 2, 2]))
        mesh = self.read(data)
        self.assertEqual(len(mesh.triangles), 1)
        self.assertIn("1 degenerate", mesh.notes[0])

    def test_against_trimesh(self) -> None:
        # A general-purpose library writes the file; we read the same surface.
        shape = trimesh.creation.torus(0.3, 0.1)
        mesh = self.read(trimesh.exchange.gltf.export_glb(shape))
        self.assertAlmostEqual(float(mesh.areas.sum()), shape.area, places=4)
        self.assertIsNone(mesh.uv)


class Writing(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def maps(self, **more: Any) -> GltfMaps:
        flat = png_bytes(np.full((8, 8, 3), 128, np.uint8))
        pictures = {"base_color": flat, "orm": flat, "normal": flat, **more.pop("pictures", {})}
        return GltfMaps(pictures, **more)

    def test_round_trip_keeps_the_surface(self) -> None:
        mesh = gate_hoist.build()
        path = self.folder / "hoist.glb"
        path.write_bytes(glb_bytes(mesh, [self.maps()]))
        back = read_gltf(path)
        self.assertEqual(len(back.triangles), len(mesh.triangles))
        np.testing.assert_allclose(back.areas, mesh.areas, rtol=1e-5, atol=1e-12)
        self.assertEqual([p.name for p in back.parts], [p.name for p in mesh.parts])
        assert back.uv is not None and mesh.uv is not None
        np.testing.assert_array_equal(back.uv[back.triangles], mesh.uv[mesh.triangles])
        self.assertIsNotNone(back.tangents)
        self.assertEqual(back.uv_domains, ("hoist",))
        # The same triangles again: the file is a fixed point.
        self.assertEqual(glb_bytes(back), glb_bytes(read_gltf(path)))

    @skipUnless(VALIDATOR.exists(), "the Khronos validator is installed with the front end")
    def test_khronos_validator(self) -> None:
        cases = {
            "bare": glb_bytes(shapes.box()),
            "hoist": glb_bytes(gate_hoist.build(), [self.maps()]),
            "coated": glb_bytes(
                shapes.sphere(0.1, 24),
                [
                    self.maps(
                        pictures={"clear_coat": png_bytes(np.zeros((8, 8, 3), np.uint8))},
                        slots={
                            "KHR_materials_clearcoat.clearcoatTexture": "clear_coat",
                            "KHR_materials_clearcoat.clearcoatNormalTexture": "normal",
                        },
                    )
                ],
            ),
            "everything": glb_bytes(
                shapes.sphere(0.1, 24),
                [
                    self.maps(
                        pictures=dict.fromkeys(
                            ("clear_coat", "fuzz", "specular", "film", "transmission", "emission"),
                            png_bytes(np.zeros((8, 8, 4), np.uint8)),
                        ),
                        slots=_PATHS,
                        numbers={
                            "KHR_materials_ior.ior": 1.33,
                            "KHR_materials_iridescence.iridescenceIor": 1.4,
                            "KHR_materials_volume.thicknessFactor": 0.0,
                            "KHR_materials_iridescence.iridescenceThicknessMaximum": 2000.0,
                            "KHR_materials_volume.attenuationDistance": 0.02,
                            "KHR_materials_volume.attenuationColor": [0.8, 0.9, 1.0],
                            "KHR_materials_emissive_strength.emissiveStrength": 1000.0,
                        },
                    )
                ],
            ),
            "clear": glb_bytes(shapes.joined(shapes.box(), shapes.box(0.5, (2, 0, 0))), [self.maps(opaque=False)]),
        }
        for name, data in cases.items():
            path = self.folder / f"{name}.glb"
            path.write_bytes(data)
            issues = khronos(path)
            self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), f"{name}: {issues['messages']}")

    def test_the_validator_does_find_faults(self) -> None:
        if not VALIDATOR.exists():
            self.skipTest("not installed")
        path = self.folder / "bad.glb"
        path.write_bytes(triangle(index=np.array([0, 1, 9])))
        self.assertGreater(khronos(path)["numErrors"], 0)

    def test_fields(self) -> None:
        import OpenEXR
        from PIL import Image

        image = np.array([[0.25, np.nan], [1.0, -0.5]], np.float32)
        for suffix in (".npy", ".exr", ".png"):
            write_field(self.folder / f"f{suffix}", image, low=-1.0, high=1.0)
        np.testing.assert_array_equal(np.load(self.folder / "f.npy"), image)
        with OpenEXR.File(str(self.folder / "f.exr")) as exr:
            np.testing.assert_array_equal(exr.channels()["Y"].pixels, np.nan_to_num(image))
        grey = np.asarray(Image.open(self.folder / "f.png")).astype(float) / 65535
        np.testing.assert_allclose(grey, [[0.625, 0.0], [1.0, 0.25]], atol=1e-4)
        with self.assertRaises(InputError):
            write_field(self.folder / "f.jpg", image)

    def test_written_whole_or_not_at_all(self) -> None:
        path = self.folder / "keep.txt"
        write_whole(path, b"first")
        with self.assertRaises(TypeError):
            write_whole(path, "text")  # type: ignore[arg-type]
        self.assertEqual(path.read_bytes(), b"first")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["keep.txt"])


class BaseNormals(TestCase):
    def test_a_normal_texture_comes_along(self) -> None:
        from limus.surface.base_normal import base_normal
        from limus.surface.texels import Texels

        # A map that leans by 30 degrees to the right everywhere.
        lean = np.array([np.sin(np.radians(30)), 0.0, np.cos(np.radians(30))])
        image = np.broadcast_to(np.round((lean + 1) * 127.5), (16, 16, 3)).astype(np.uint8)
        flat = png_bytes(np.full((8, 8, 3), 128, np.uint8))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lean.glb"
            path.write_bytes(
                glb_bytes(shapes.box(0.1), [GltfMaps({"base_color": flat, "orm": flat, "normal": png_bytes(image)})])
            )
            mesh = read_gltf(path)
            self.assertEqual(mesh.normal_maps[0].pixels.shape, (16, 16, 3))  # type: ignore[union-attr]
            got = base_normal(Texels.of(mesh, 32))
            assert got is not None
            np.testing.assert_allclose(got, np.broadcast_to(lean, got.shape), atol=0.01)
            path.write_bytes(
                glb_bytes(shapes.box(0.1), [GltfMaps({"base_color": flat, "orm": flat, "normal": b"no picture"})])
            )
            spoilt = read_gltf(path)
            self.assertEqual(spoilt.normal_maps, ())
            self.assertIn("normalTexture could not be read", spoilt.notes[0])


class DemoObject(TestCase):
    def test_hoist(self) -> None:
        from limus.surface.uv_health import uv_health

        mesh = gate_hoist.build()
        self.assertTrue(20_000 <= len(mesh.triangles) <= 60_000)
        size = mesh.bounds[1] - mesh.bounds[0]
        self.assertTrue(0.9 < size[1] < 1.2)
        self.assertAlmostEqual(float(mesh.bounds[0, 1]), 0.0, places=4)
        self.assertLess(
            float((np.einsum("ij,ij->i", mesh.face_normals, mesh.normals[mesh.triangles].mean(axis=1)) < 0).mean()),
            1e-3,
        )
        health = uv_health(mesh, 512)
        self.assertLess(health.overlapping, 0.005)
        self.assertLess(health.flipped, 0.005)
        self.assertEqual(health.outside, 0.0)
        self.assertLess(health.density_high / health.density_low, 1.5)
        self.assertEqual(mesh.key, gate_hoist.build().key)
