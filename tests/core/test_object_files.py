"""OBJ, PLY, STL, glTF and zips: what is read of them, and what is refused.

Files are written here by hand or by the general-purpose library trimesh, so that our readers do not check themselves.
"""

from __future__ import annotations

import io
import json
import struct
import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import trimesh

from limus.common.errors import InputError
from limus.formats.beside import beside
from limus.formats.bundle import Limits, object_in, unpack
from limus.formats.peek import claimed_triangles
from limus.formats.png import png_bytes
from limus.formats.read import format_of, read_object, unit_known
from limus.surface.base_maps import sample
from limus.surface.mesh import distinct
from tests.core.test_formats import pack, triangle

SQUARE = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"


class Case(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, name: str, data: bytes | str) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data.encode() if isinstance(data, str) else data)
        return path

    def refused(self, path: Path, *words: str) -> str:
        with self.assertRaises(InputError) as caught:
            read_object(path)
        line = caught.exception.line
        self.assertIn(path.name, line)
        self.assertNotIn("\n", line)
        for word in words:
            self.assertIn(word, line)
        self.assertTrue(caught.exception.remedy, line)
        return line


class OneShapeInFourFormats(Case):
    def test_same_surface(self) -> None:
        shape = trimesh.creation.torus(0.3, 0.1, major_sections=24, minor_sections=12)
        areas, sums, triangles = [], [], []
        for suffix in (".obj", ".ply", ".stl", ".glb"):
            path = self.folder / f"ring{suffix}"
            shape.export(path)
            mesh = read_object(path)
            areas.append(float(mesh.areas.sum()))
            sums.append(mesh.positions[np.unique(mesh.triangles)].astype(np.float64))
            triangles.append(len(mesh.triangles))
            # Whoever has no normals gets smooth ones: a torus of 24 x 12 bends less than the crease at every edge.
            n = mesh.normals[mesh.triangles].mean(axis=1)
            self.assertGreater(float((n * mesh.face_normals).sum(axis=1).min()), 0.9, suffix)
            self.assertEqual(len(np.unique(mesh.welded[mesh.triangles])), 24 * 12, suffix)
        self.assertEqual(set(triangles), {len(shape.faces)})
        np.testing.assert_allclose(areas, shape.area, rtol=1e-5)

    def test_same_readings(self) -> None:
        # The four files, unwrapped in one way, give the same readings: the surface is compared at points, not texel by
        # texel.
        from scipy.spatial import cKDTree

        from limus.readings.ray_pass import RayPlan, measure_rays
        from limus.surface.texels import Texels
        from limus.surface.unwrap import unwrapped

        shape = trimesh.creation.annulus(0.06, 0.12, 0.05, sections=32)
        found = []
        for suffix in (".obj", ".ply", ".stl", ".glb"):
            path = self.folder / f"ring{suffix}"
            shape.export(path)
            mesh = unwrapped(read_object(path))
            texels = Texels.of(mesh, 192)
            found.append((texels, measure_rays(texels, RayPlan((8.0, 32.0), (32.0,), 64.0, 64))))
        reference, table = found[0]
        tree = cKDTree(np.concatenate([reference.position, reference.normal * 0.02], axis=1))
        for texels, other in found[1:]:
            gap, near = tree.query(np.concatenate([texels.position, texels.normal * 0.02], axis=1))
            close = gap < 0.0012  # a texel is about as wide
            self.assertGreater(float(close.mean()), 0.15)
            change = np.abs(other[close] - table[near[close]])
            self.assertLess(float(np.median(change[:, :4], axis=0).max()), 0.02)
            self.assertLess(float(np.quantile(change[:, 3], 0.95)), 0.08)
            for k in range(4):
                self.assertAlmostEqual(
                    float(np.average(other[:, k], weights=texels.area)),
                    float(np.average(table[:, k], weights=reference.area)),
                    delta=0.01,
                )


class Obj(Case):
    def test_parts_materials_uvs_and_quads(self) -> None:
        text = (
            f"mtllib tin.mtl\n{SQUARE}o lid\nusemtl tin\nf 1/1 2/2 3/3 4/4\n"
            "v 0 0 1\nv 1 0 1\nv 0 1 1\no floor\nusemtl clay\nf 5 6 7\nf -3 -2 -1\n"
        )
        self.write("tin.mtl", "newmtl tin\nKd 1 0 0\nmap_Kd tin.png\nnewmtl clay\nKd 0.5 0.5 0.5\nPr 0.25\nPm 1\n")
        self.write("tin.png", png_bytes(np.full((4, 4, 3), 200, np.uint8)))
        mesh = read_object(self.write("cup.obj", text))
        self.assertEqual({p.name for p in mesh.parts}, {"lid", "floor"})
        self.assertEqual(set(mesh.uv_domains), {"tin", "clay"})
        lid = next(p for p in mesh.parts if p.name == "lid")
        self.assertEqual(lid.count, 2)
        # OBJ counts v from the bottom: its lower left corner is at the bottom of the picture, v = 1 in glTF.
        assert mesh.uv is not None
        corner = mesh.triangles[lid.first : lid.first + 2].ravel()
        at = dict(zip(map(tuple, mesh.positions[corner].tolist()), map(tuple, mesh.uv[corner].tolist()), strict=True))
        self.assertEqual(at[(0.0, 0.0, 0.0)], (0.0, 1.0))
        self.assertEqual(at[(1.0, 1.0, 0.0)], (1.0, 0.0))
        self.assertEqual(mesh.without_uv, ("floor",))
        maps = dict(zip(mesh.uv_domains, mesh.base_maps, strict=True))
        assert maps["tin"] is not None and maps["tin"].color is not None and maps["clay"] is not None
        self.assertEqual(maps["tin"].color.pixels.shape[:2], (4, 4))
        # sRGB 0.5 is 0.214 linear (IEC 61966-2-1).
        np.testing.assert_allclose(maps["clay"].color_factor[:3], 0.214, atol=2e-3)
        self.assertEqual((maps["clay"].roughness, maps["clay"].metalness), (0.25, 1.0))

    def test_vertex_colours(self) -> None:
        mesh = read_object(self.write("c.obj", "v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nf 1 2 3\n"))
        assert mesh.colours is not None
        np.testing.assert_allclose(np.sort(mesh.colours[:, :3].sum(axis=1)), 1.0, atol=0.01)

    def test_references_that_lead_out_or_are_missing_are_left_out_and_said(self) -> None:
        inside = self.folder / "in"
        inside.mkdir()
        self.write("secret.mtl", "newmtl tin\nKd 1 0 0\n")
        for name in ("../secret.mtl", "/etc/passwd", "gone.mtl"):
            path = inside / "cup.obj"
            path.write_text(f"mtllib {name}\n{SQUARE}usemtl tin\nf 1/1 2/2 3/3\n")
            mesh = read_object(path)
            self.assertTrue(all(m is None for m in mesh.base_maps))
            self.assertTrue(any("not found" in note for note in mesh.notes), mesh.notes)

    def test_a_picture_of_an_mtl_cannot_lead_out(self) -> None:
        inside = self.folder / "in"
        inside.mkdir()
        self.write("secret.png", png_bytes(np.full((4, 4, 3), 200, np.uint8)))
        (inside / "a.mtl").write_text("newmtl tin\nmap_Kd ../secret.png\n")
        (inside / "cup.obj").write_text(f"mtllib a.mtl\n{SQUARE}usemtl tin\nf 1/1 2/2 3/3\n")
        mesh = read_object(inside / "cup.obj")
        self.assertTrue(all(m is None or m.color is None for m in mesh.base_maps))

    def test_bad(self) -> None:
        self.refused(self.write("a.obj", f"{SQUARE}"), "empty")
        self.refused(self.write("b.obj", "v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n"), "finite")
        self.refused(self.write("c.obj", "v 0 0 0\nv 0 0 0\nv 0 0 0\nf 1 2 3\n"), "degenerate")
        self.refused(self.write("d.obj", "hello\nthere\n"), "not an OBJ")
        self.refused(self.write("e.obj", f"{SQUARE}f 1 2 99\n"))


class Ply(Case):
    def ply(self, faces: str = "3 0 1 2\n", count: int = 1) -> str:
        return (
            "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
            "z\nproperty float s\nproperty float t\n"
            "property uchar red\nproperty uchar green\nproperty uchar blue\n"
            f"element face {count}\nproperty list uchar int vertex_indices\nend_header\n"
            f"0 0 0 0 0 255 0 0\n1 0 0 1 0 0 255 0\n0 1 0 0 1 0 0 255\n{faces}"
        )

    def test_uvs_and_colours(self) -> None:
        mesh = read_object(self.write("c.ply", self.ply()))
        assert mesh.uv is not None and mesh.colours is not None
        rows = np.argsort(mesh.positions @ [1, 2, 0])
        np.testing.assert_allclose(mesh.uv[rows], [[0, 1], [1, 1], [0, 0]])
        np.testing.assert_allclose(mesh.colours[rows], [[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1]], atol=1e-3)

    def test_points_only(self) -> None:
        self.refused(self.write("p.ply", self.ply("", 0)), "points only")

    def test_bad(self) -> None:
        self.refused(self.write("a.ply", "ply\nformat ascii 1.0\n"))
        self.refused(self.write("b.ply", self.ply().replace("1 0 0 1 0 0 255 0\n", "")))


class Stl(Case):
    def binary(self, triangles: np.ndarray, header: bytes = b"made by hand") -> bytes:
        out = [header.ljust(80, b"\0"), struct.pack("<I", len(triangles))]
        for corners in triangles.astype("<f4"):
            out.append(b"\0" * 12 + corners.tobytes() + b"\0\0")
        return b"".join(out)

    def test_binary_text_and_a_header_that_says_solid(self) -> None:
        p = np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]])
        for data in (
            self.binary(p),
            self.binary(p, b"solid but binary"),
            b"solid cup\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
            b"0\nendloop\nendfacet\nendsolid cup\n",
        ):
            mesh = read_object(self.write("cup.stl", data))
            self.assertEqual((len(mesh.triangles), mesh.uv, mesh.colours), (1, None, None))
            np.testing.assert_allclose(mesh.normals, np.tile([0, 0, 1], (3, 1)), atol=1e-6)

    def test_cut_short(self) -> None:
        data = self.binary(np.random.default_rng(1).random((40, 3, 3)))
        self.refused(self.write("cup.stl", data[:-300]), "cut short")

    def test_a_box_gets_square_edges(self) -> None:
        shape = trimesh.creation.box((1, 1, 1))
        path = self.folder / "box.stl"
        shape.export(path)
        mesh = read_object(path)
        self.assertEqual(len(mesh.positions), 24)
        np.testing.assert_allclose(np.abs(mesh.normals).max(axis=1), 1.0, atol=1e-6)
        self.assertIn("normals were made here", mesh.notes[0])


class Gltf(Case):
    def test_with_files_beside_it(self) -> None:
        blob = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        document = {
            "asset": {"version": "2.0"}, "nodes": [{"mesh": 0}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
            "bufferViews": [{"buffer": 0, "byteLength": 36}], "buffers": [{"uri": "my%20data.bin", "byteLength": 36}],
        }  # fmt: skip
        path = self.write("cup.gltf", json.dumps(document))
        self.refused(path, "missing", "drop both, or zip them")
        self.write("my data.bin", blob)
        self.assertEqual(len(read_object(path).triangles), 1)
        document["buffers"] = [{"uri": "C:\\work\\my data.bin", "byteLength": 36}]
        self.assertEqual(len(read_object(self.write("cup.gltf", json.dumps(document))).triangles), 1)
        document["buffers"] = [{"uri": "https://example.org/my.bin", "byteLength": 36}]
        self.refused(self.write("cup.gltf", json.dumps(document)))

    def test_paths_that_lead_out(self) -> None:
        inside = self.folder / "in"
        inside.mkdir()
        self.write("secret.bin", b"\0" * 36)
        (inside / "link.bin").symlink_to(self.folder / "secret.bin")
        for name in (
            "../secret.bin",
            "%2e%2e/secret.bin",
            "..\\secret.bin",
            "/etc/passwd",
            "link.bin",
            "a/../../secret.bin",
        ):
            with self.assertRaises(InputError) as caught:
                beside(inside, name, "cup.gltf")
            self.assertNotIn("secret.bin is", caught.exception.line)

    def test_textures_become_maps_of_the_base(self) -> None:
        from limus.formats.gltf_write import GltfMaps, glb_bytes
        from tests.core import shapes

        red = png_bytes(np.broadcast_to(np.array([255, 0, 0], np.uint8), (8, 8, 3)).copy())
        orm = png_bytes(np.broadcast_to(np.array([255, 64, 255], np.uint8), (8, 8, 3)).copy())
        flat = png_bytes(np.broadcast_to(np.array([128, 128, 255], np.uint8), (8, 8, 3)).copy())
        mesh = read_object(
            self.write(
                "red.glb", glb_bytes(shapes.box(0.1), [GltfMaps({"base_color": red, "orm": orm, "normal": flat})])
            )
        )
        (maps,) = mesh.base_maps
        assert maps is not None and maps.color is not None and maps.orm is not None
        half = np.array([0.5], np.float32)
        np.testing.assert_allclose(sample(maps.color.pixels, half, half)[0, :3], [1, 0, 0], atol=1e-3)
        np.testing.assert_allclose(sample(maps.orm.pixels, half, half)[0, 1:], [64 / 255, 1.0], atol=1e-3)


class Names(Case):
    def test_a_part_without_a_name_is_called_by_its_file_and_never_by_a_folder(self) -> None:
        corner = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\n"
        plain = self.write("pier cap.obj", f"{corner}f 1 2 3\n".encode())
        self.assertEqual([p.name for p in read_object(plain).parts], ["pier cap"])
        two = self.write("two.obj", f"{corner}usemtl a\nf 1 2 3\nusemtl b\nf 1 3 4\n".encode())
        for part in read_object(two).parts:
            self.assertTrue(part.name.startswith("two"), part.name)
            self.assertNotIn("/", part.name)

    def test_map_sets_of_one_name_are_told_apart(self) -> None:
        from limus.formats.gltf_write import glb_bytes
        from tests.core import shapes

        box = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.3, 0, 0)), shapes.box(0.1, (0.6, 0, 0)))
        parts = tuple(replace(p, map_set=k) for k, p in enumerate(box.parts))
        mesh = read_object(
            self.write(
                "steel.glb",
                glb_bytes(replace(box, parts=parts, uv_domains=("Steel", "Steel 2", "Steel"), uv_titles=())),
            )
        )
        self.assertEqual(len(set(mesh.uv_domains)), 3)
        self.assertEqual(distinct(["Steel", "Steel 2", "Steel"]), ("Steel", "Steel 2", "Steel 3"))
        # The same again gives the same: names are stable.
        self.assertEqual(replace(mesh, source="again").uv_domains, mesh.uv_domains)
        self.assertEqual(
            replace(box, parts=parts, uv_domains=("Steel", "Steel", "Rim"), uv_titles=()).uv_titles,
            ("Steel", "Steel", "Rim"),
        )


class Kinds(Case):
    def test_told_by_content(self) -> None:
        mesh = read_object(self.write("really.obj", triangle()))
        self.assertIn("the name ends in .obj, but the content is .glb", mesh.notes[-1])
        self.assertEqual(format_of(self.write("x", b"PK\x03\x04....")), ".zip")
        self.assertEqual(format_of(self.write("x.stl", b"ply\nformat")), ".ply")
        self.assertTrue(unit_known(self.write("a.glb", triangle())))
        self.assertFalse(unit_known(self.write("a.obj", SQUARE)))

    def test_nothing_and_nonsense(self) -> None:
        self.refused(self.write("cup.glb", b""), "0 bytes")
        self.refused(self.write("cup.jpg", b"\xff\xd8\xff\xe0" + b"\0" * 200), "not an object file", ".glb")
        self.refused(self.write("cup.zip", b"no zip"), "not a zip")
        self.refused(self.folder / "gone.obj", "cannot be read")

    def test_triangles_by_the_headers_alone(self) -> None:
        # The same number that reading gives, from a file whose bulk is missing where the format allows to look.
        shape = trimesh.creation.icosphere(3)
        for suffix in (".glb", ".ply", ".stl"):
            path = self.folder / f"ball{suffix}"
            shape.export(path)
            self.assertEqual(claimed_triangles(path), len(shape.faces), suffix)
        shape.export(self.folder / "ball.obj")
        self.assertIsNone(claimed_triangles(self.folder / "ball.obj"))
        self.assertIsNone(claimed_triangles(self.write("bad.gltf", b"{ not json")))
        self.assertIsNone(claimed_triangles(self.write("bad.glb", pack({"meshes": "no", "accessors": 7}))))


class Zips(Case):
    def zip(self, entries: dict[str, bytes], **more: Any) -> Path:
        raw = io.BytesIO()
        with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as out:
            for name, data in entries.items():
                info = zipfile.ZipInfo(name)
                info.compress_type = zipfile.ZIP_DEFLATED
                info.external_attr = more.get("attr", 0o644) << 16
                out.writestr(info, data)
        return self.write("pack.zip", raw.getvalue())

    def test_a_good_one(self) -> None:
        mesh = read_object(
            self.zip(
                {"a/cup.obj": f"{SQUARE}f 1/1 2/2 3/3\n".encode(), "__MACOSX/a/cup.obj": b"junk", "a/readme.txt": b"hi"}
            )
        )
        self.assertEqual((len(mesh.triangles), mesh.source), (1, "pack.zip"))

    def test_the_most_telling_kind_wins(self) -> None:
        self.zip({"b.stl": b"x", "a/b.glb": triangle()})
        out = self.folder / "out"
        self.assertEqual(unpack(self.folder / "pack.zip", out, "pack.zip").name, "b.glb")

    def test_names_that_lead_out(self) -> None:
        for name in ("../evil.obj", "/evil.obj", "a/../../evil.obj", "..\\evil.obj", "C:evil.obj"):
            self.refused(self.zip({name: b"v 0 0 0"}), "leads out")
        self.assertFalse((self.folder.parent / "evil.obj").exists())

    def test_links_encryption_and_damage(self) -> None:
        self.refused(self.zip({"cup.obj": b"/etc/passwd"}, attr=0o120777), "link")
        path = self.zip({"cup.obj": SQUARE.encode()})
        data = bytearray(path.read_bytes())
        where = data.index(b"PK\x01\x02")
        data[where + 8] |= 1
        self.refused(self.write("pack.zip", bytes(data)), "encrypted")
        path = self.zip({"cup.obj": SQUARE.encode() * 50})
        data = bytearray(path.read_bytes())
        data[60] ^= 0xFF
        self.refused(self.write("pack.zip", bytes(data)), "cannot be read")
        self.refused(self.write("pack.zip", path.read_bytes()[:-30]), "zip")

    def test_bombs(self) -> None:
        with self.assertRaises(InputError) as caught:
            unpack(self.zip({"cup.obj": b"\0" * (65 << 20)}), self.folder / "a", "pack.zip")
        self.assertIn("would unpack", caught.exception.line)
        # A header that lies about the size is caught while writing: zipfile stops at what the header says.
        data = bytearray(self.zip({"cup.obj": b"\0" * (65 << 20)}).read_bytes())
        for mark, offset in ((b"PK\x01\x02", 24), (b"PK\x03\x04", 22)):
            where = data.index(mark)
            data[where + offset : where + offset + 4] = struct.pack("<I", 100)
        with self.assertRaises(InputError):
            unpack(self.write("pack.zip", bytes(data)), self.folder / "b", "pack.zip")
        self.assertLess(sum(p.stat().st_size for p in (self.folder / "b").rglob("*") if p.is_file()), 1 << 20)
        with self.assertRaises(InputError) as caught:
            unpack(self.zip({f"{k}.png": b"" for k in range(30)}), self.folder / "c", "pack.zip", Limits(files=20))
        self.assertIn("30 files", caught.exception.line)
        with self.assertRaises(InputError):
            unpack(self.zip({"cup.obj": SQUARE.encode()}), self.folder / "d", "pack.zip", Limits(size=10))

    def test_none_or_several_objects(self) -> None:
        self.refused(self.zip({"readme.txt": b"hi"}), "no object")
        self.refused(self.zip({"a.obj": b"", "b.obj": b""}), "2 objects", "one by one")
        self.refused(self.zip({}), "no object")
        self.write("deep/er/x.ply", b"ply")
        self.write("x.ply", b"ply")
        self.assertEqual(object_in(self.folder, "all"), self.folder / "x.ply")
