"""Texture files: read as they stand, recognised, and turned into a base."""

from __future__ import annotations

import io
import struct
import tempfile
import zipfile
import zlib
from pathlib import Path
from unittest import TestCase

import numpy as np
import OpenEXR
import tifffile
from PIL import Image
from scipy.ndimage import gaussian_filter

from limus.bases.choice import BaseChoice
from limus.bases.from_maps import base_from_maps, set_name
from limus.bases.ground import Ground
from limus.bases.laying import finished
from limus.bases.materials.map_set import MapSet
from limus.bases.placing import Placing
from limus.common.colour import to_linear
from limus.common.errors import InputError
from limus.formats.bundle import unpack_pictures
from limus.formats.field import exr_bytes
from limus.formats.picture_read import MOST_PIXELS, read_picture
from limus.formats.png import png_bytes
from limus.map_sets.normal_map import green_of, integrated, range_from
from limus.map_sets.picture_level import level_of
from limus.map_sets.recognise import MapUse, Recognised, recognise
from limus.map_sets.roles import ROLES, by_name, green_by_name


def relief(seed: int, size: int = 128, wide: float = 4.0) -> np.ndarray:
    """(n, n) a repeating relief, 0..1."""
    plane = gaussian_filter(np.random.default_rng(seed).random((size, size)), wide, mode="wrap")
    return ((plane - plane.min()) / np.ptp(plane)).astype(np.float32)


def normal_map(height: np.ndarray, share: float, green: str = "up") -> np.ndarray:
    """(n, n, 3) uint8 of a relief whose white stands ``share`` widths above its black."""
    steep = share * height.shape[1]
    right = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2 * steep
    down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2 * steep
    # Seen with y up: down the picture is -y, and the normal leans away from the rise.
    n = np.stack([-right, down if green == "up" else -down, np.ones_like(height)], axis=2)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    return np.round((n * 0.5 + 0.5) * 255).astype(np.uint8)


class Files(TestCase):
    """A folder of textures."""

    def setUp(self) -> None:
        self.held = tempfile.TemporaryDirectory()
        self.addCleanup(self.held.cleanup)
        self.folder = Path(self.held.name)

    def put(self, name: str, image: np.ndarray, **more: object) -> str:
        Image.fromarray(image).save(self.folder / name, **more)  # type: ignore[arg-type]
        return name

    def look(self, *names: str) -> Recognised:
        return recognise([(n, n) for n in names], lambda n: self.folder / n)

    def roles(self, found: Recognised) -> dict[str, str]:
        return {f"{u.file}/{u.component}" if u.component != "all" else u.file: u.role for u in found.uses}


class Names(TestCase):
    def test_roles_as_files_are_called(self) -> None:
        # Words of the trade (common practice, no source).
        for name, role in {
            "OldWall_BaseColor.png": "base_color", "wall-diffuse-2k.jpg": "base_color", "wall_col_1.png": "base_color",
            "brushed_metal_roughness.png": "roughness", "smooth_concrete_albedo.png": "base_color",
            "T_rock_nrm.tga": "normal",
            "rock NormalGL.png": "normal", "plaster_disp_4k.exr": "height", "plaster.height.tif": "height",
            "a_ambientOcclusion.png": "occlusion",
            "x_gloss.png": "gloss", "iron_metallic.png": "metalness", "leaf_opacity.png": "opacity",
            "lamp_emissive.png": "emission",
            "skin_coat_roughness.png": "coat_roughness", "ground_bump.png": "bump", "DSC_0412.jpg": "",
            "стена_цвет.png": "", "壁.png": "",
        }.items():  # fmt: skip
            self.assertEqual(by_name(name)[0], role, name)

    def test_packed(self) -> None:
        self.assertEqual(by_name("door_ORM.png"), ("packed", ("occlusion", "roughness", "metalness")))
        # glTF 2.0: green roughness, blue metalness.
        self.assertEqual(by_name("door_metallicRoughness.png"), ("packed", ("", "roughness", "metalness")))

    def test_green(self) -> None:
        self.assertEqual(
            [green_by_name(n) for n in ("a_normal_gl.png", "a_NormalDX.png", "a_normal.png")], ["up", "down", ""]
        )

    def test_name_of_a_set(self) -> None:
        self.assertEqual(
            set_name(["old_brick_albedo.png", "old_brick_rough_2k.png", "old_brick_normal.png"]), "Old brick"
        )
        self.assertEqual(set_name(["albedo.png", "rough.png"]), "Albedo")

    def test_every_channel_has_a_role(self) -> None:
        from limus.materials.channels import CHANNELS

        self.assertEqual({r.channel for r in ROLES.values()} - {""}, set(CHANNELS))


class Reading(Files):
    def test_sixteen_bit_colour_keeps_its_bits(self) -> None:
        image = np.random.default_rng(0).integers(0, 65536, (37, 29, 3), dtype=np.uint16)
        (self.folder / "deep.png").write_bytes(png_bytes(image))
        np.testing.assert_array_equal(read_picture(self.folder / "deep.png").pixels, image)
        tifffile.imwrite(self.folder / "deep.tif", image, photometric="rgb")
        np.testing.assert_array_equal(read_picture(self.folder / "deep.tif").pixels, image)
        # What Pillow makes of the same file are the upper bytes.
        eight = np.asarray(Image.open(self.folder / "deep.png").convert("RGB"))
        self.assertLessEqual(int(np.abs(eight.astype(int) - (image >> 8).astype(int)).max()), 1)

    def test_every_filter_of_png(self) -> None:
        # Each row with another filter, written by hand (W3C PNG, 9.2), against the rows themselves.
        rows = np.random.default_rng(1).integers(0, 256, (10, 5 * 6), dtype=np.uint8)
        packed = b""
        before = np.zeros(rows.shape[1], int)
        for y, row in enumerate(rows.astype(int)):
            left = np.concatenate([np.zeros(6, int), row[:-6]])
            upper_left = np.concatenate([np.zeros(6, int), before[:-6]])
            estimate = left + before - upper_left
            away = [abs(estimate - x) for x in (left, before, upper_left)]
            paeth = np.where(
                (away[0] <= away[1]) & (away[0] <= away[2]), left, np.where(away[1] <= away[2], before, upper_left)
            )
            taken = [0 * row, left, before, (left + before) // 2, paeth][y % 5]
            packed += bytes([y % 5]) + ((row - taken) % 256).astype(np.uint8).tobytes()
            before = row

        def chunk(kind: bytes, data: bytes) -> bytes:
            return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

        head = struct.pack(">IIBBBBB", 5, 10, 16, 2, 0, 0, 0)
        data = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(packed)) + chunk(b"IEND", b"")
        (self.folder / "filters.png").write_bytes(data)
        got = read_picture(self.folder / "filters.png").pixels
        np.testing.assert_array_equal(got.astype(">u2").view(np.uint8).reshape(10, -1), rows)

    def test_exr(self) -> None:
        values = np.random.default_rng(2).random((9, 7)).astype(np.float32) * 3
        (self.folder / "h.exr").write_bytes(exr_bytes({"R": values, "G": values * 2, "B": values * 3}))
        found = read_picture(self.folder / "h.exr")
        np.testing.assert_allclose(found.pixels[:, :, 1], values * 2)
        self.assertEqual(found.gamma, 1.0)
        odd = values.copy()
        odd[0, 0], odd[1, 1] = np.nan, np.inf
        (self.folder / "odd.exr").write_bytes(exr_bytes({"G": odd}))
        found = read_picture(self.folder / "odd.exr")
        self.assertTrue(np.isfinite(found.pixels).all())
        self.assertIn("it holds only G", " ".join(found.notes))
        self.assertIn("2 of its numbers are not finite", " ".join(found.notes))

    def test_whole_numbers_of_32_bits(self) -> None:
        # Pillow writes them; what they go up to is not said in the file, so that small ones are those of 16 bits.
        for top, peak in ((65535, 65535), (2**31 - 1, 2**31 - 1), (2**31 - 1, 65536)):
            values = np.array([[0, peak // 2], [peak, -5]], np.int32)
            Image.fromarray(values).save(self.folder / "deep.tif")
            found = read_picture(self.folder / "deep.tif").pixels
            self.assertEqual(found.shape, (2, 2, 1))
            np.testing.assert_allclose(
                found[:, :, 0] / (1.0 if found.dtype.kind == "f" else np.iinfo(found.dtype).max),
                np.clip(values, 0, None) / top, rtol=1e-4,
            )  # fmt: skip

    def test_gamma_of_the_file(self) -> None:
        self.put("plain.png", np.full((4, 4, 3), 128, np.uint8))
        self.assertIsNone(read_picture(self.folder / "plain.png").gamma)
        data = (self.folder / "plain.png").read_bytes()

        def with_chunk(kind: bytes, body: bytes) -> bytes:
            made = struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
            return data[:33] + made + data[33:]

        (self.folder / "linear.png").write_bytes(with_chunk(b"gAMA", struct.pack(">I", 100000)))
        self.assertAlmostEqual(read_picture(self.folder / "linear.png").gamma or 0, 1.0)
        (self.folder / "usual.png").write_bytes(with_chunk(b"gAMA", struct.pack(">I", 45455)))
        self.assertAlmostEqual(read_picture(self.folder / "usual.png").gamma or 0, 2.2, places=2)

    def test_palette_cmyk_animated(self) -> None:
        image = Image.fromarray(np.random.default_rng(3).integers(0, 256, (16, 16, 3), dtype=np.uint8))
        image.convert("P").save(self.folder / "palette.png")
        self.assertEqual(read_picture(self.folder / "palette.png").pixels.shape, (16, 16, 3))
        image.convert("CMYK").save(self.folder / "print.jpg")
        self.assertIn("printing colours", read_picture(self.folder / "print.jpg").notes[0])
        image.save(self.folder / "film.webp", save_all=True, append_images=[image.rotate(90)], lossless=True)
        self.assertIn("several pictures", " ".join(read_picture(self.folder / "film.webp").notes))

    def test_what_is_broken_or_too_large_is_refused_in_a_sentence(self) -> None:
        good = io.BytesIO()
        Image.fromarray(np.zeros((64, 64, 3), np.uint8)).save(good, "PNG")

        def head(width: int, height: int, depth: int = 8, colour: int = 2) -> bytes:
            body = struct.pack(">IIBBBBB", width, height, depth, colour, 0, 0, 0)
            chunk = struct.pack(">I", 13) + b"IHDR" + body + struct.pack(">I", zlib.crc32(b"IHDR" + body))
            data = zlib.compress(b"\0" * 400)
            packed = struct.pack(">I", len(data)) + b"IDAT" + data + struct.pack(">I", zlib.crc32(b"IDAT" + data))
            return (
                b"\x89PNG\r\n\x1a\n"
                + chunk
                + packed
                + struct.pack(">I", 0)
                + b"IEND"
                + struct.pack(">I", zlib.crc32(b"IEND"))
            )

        for name, data, said in (
            ("nothing.png", b"", "is empty"),
            ("text.png", b"this is not a picture", "can be read"),
            ("cut.png", good.getvalue()[:60], "can be read"),
            ("none.png", head(0, 10), "can be read|no pixels"),
            ("wide.png", head(30000, 1), "30000 x 1 pixels"),
            ("vast.png", head(30000, 30000), "megapixels"),
            ("bomb.png", head(16000, 16000), "megapixels"),
            # Claims 8192 x 8192 in 16 bit, holds next to nothing.
            ("hollow.png", head(8192, 8192, 16), "claims more than the file can hold"),
            ("hollow8.png", head(8000, 8000), "claims more than the file can hold"),
            ("lying.exr", b"\x76\x2f\x31\x01" + b"\x02\0\0\0" + b"x" * 50, "can be read"),
        ):
            (self.folder / name).write_bytes(data)
            with self.assertRaisesRegex(InputError, said):
                read_picture(self.folder / name)
        self.assertEqual(MOST_PIXELS, 8192 * 8192)

    def test_an_exr_that_claims_more_than_it_holds(self) -> None:
        path = self.folder / "a.exr"
        path.write_bytes(exr_bytes({"Y": np.zeros((8, 8), np.float32)}))
        data = bytearray(path.read_bytes())
        # The data window is four 32-bit numbers: claim 8000 x 8000.
        at = data.index(b"dataWindow\0box2i\0") + len(b"dataWindow\0box2i\0") + 4
        data[at : at + 16] = struct.pack("<iiii", 0, 0, 7999, 7999)
        path.write_bytes(bytes(data))
        with self.assertRaisesRegex(InputError, "claims more than the file can hold"):
            read_picture(path)

    def test_what_packs_well_is_still_taken(self) -> None:
        # One colour all over packs to a thousandth.
        for name, image in (
            ("even.png", np.zeros((2048, 2048, 3), np.uint8)),
            ("even.tif", np.zeros((1024, 1024), np.uint8)),
        ):
            more = {"compression": "tiff_deflate"} if name.endswith("tif") else {"compress_level": 9}
            Image.fromarray(image).save(self.folder / name, **more)
            self.assertEqual(read_picture(self.folder / name).pixels.shape[:2], image.shape[:2])
        (self.folder / "even.exr").write_bytes(exr_bytes({k: np.zeros((1024, 1024), np.float32) for k in "RGBA"}))
        self.assertEqual(read_picture(self.folder / "even.exr").pixels.shape, (1024, 1024, 4))

    def test_light_is_averaged_as_light(self) -> None:
        self.put("half.png", np.array([[[0], [255]], [[255], [0]]], np.uint8).repeat(3, axis=2))
        picture = read_picture(self.folder / "half.png")
        self.assertAlmostEqual(float(level_of(picture, 2, gamma=2.2)[0, 0, 0]), 0.5, places=5)
        np.testing.assert_allclose(
            level_of(picture, 1, gamma=2.2)[:, :, 0], to_linear(picture.values[:, :, 0]), atol=1e-6
        )


class Normals(TestCase):
    def test_direction_of_green_on_twenty_surfaces_both_ways(self) -> None:
        for seed in range(20):
            height = relief(seed, 96 + 8 * (seed % 4), wide=1.5 + seed % 5)
            for green in ("up", "down"):
                pixels = normal_map(height, 0.02 + 0.01 * (seed % 4), green).astype(np.float32) / 255
                self.assertEqual(green_of(pixels).green, green, f"surface {seed}")

    def test_where_the_slopes_do_not_tell_the_height_map_does(self) -> None:
        # Ridges straight across: both readings are without curl.
        rows = np.sin(np.arange(64) / 64 * 2 * np.pi * 3)[:, None] * np.ones((1, 64))
        height = (rows * 0.5 + 0.5).astype(np.float32)
        for green in ("up", "down"):
            pixels = normal_map(height, 0.05, green).astype(np.float32) / 255
            self.assertLess(green_of(pixels).sure, 0.05)
            self.assertEqual(green_of(pixels, height).green, green)
            self.assertIn("height map", green_of(pixels, height).why)

    def test_integration_brings_the_relief_back(self) -> None:
        # Frankot and Chellappa, 1988.
        height = relief(5, 128, 5.0)
        for green in ("up", "down"):
            got = integrated(normal_map(height, 0.05, green).astype(np.float32) / 255, green)
            wanted = (height - height.mean()) * 0.05
            self.assertGreater(float(np.corrcoef(got.ravel(), wanted.ravel())[0, 1]), 0.999)
            self.assertAlmostEqual(float(got.std() / wanted.std()), 1.0, delta=0.03)

    def test_range_of_a_height_map_from_its_normals(self) -> None:
        height = relief(6)
        for share in (0.01, 0.04, -0.02):
            got = range_from(height, normal_map(height, share).astype(np.float32) / 255, "up")
            self.assertAlmostEqual(got, share, delta=0.03 * abs(share))
        self.assertEqual(range_from(height, normal_map(relief(7), 0.03).astype(np.float32) / 255, "up"), 0.0)


class Sets(Files):
    def usual(self, suffix: str = ".png") -> list[str]:
        height = relief(1)
        grey = (height * 255).astype(np.uint8)
        colour = np.stack([height * 200 + 30, height * 150 + 20, height * 90 + 10], axis=2).astype(np.uint8)
        return [
            self.put("brick_wall_albedo.png", colour),
            self.put("brick_wall_rough.png", 255 - grey),
            self.put("brick_wall_height.png", grey),
            self.put("brick_wall_normal" + suffix, normal_map(height, 0.03, "down")),
            self.put("brick_wall_ao.png", np.maximum(grey, 120)),
        ]

    def test_a_whole_set(self) -> None:
        found = self.look(*self.usual())
        self.assertEqual(
            sorted(self.roles(found).values()), ["base_color", "height", "normal", "occlusion", "roughness"]
        )
        self.assertEqual(found.green, "down")
        self.assertAlmostEqual(found.range_share, 0.03, delta=0.002)
        self.assertEqual({u.role: u.colour for u in found.uses}["base_color"], "srgb")
        self.assertEqual({u.role: u.colour for u in found.uses}["roughness"], "linear")
        base = base_from_maps(found, size_cm=40.0)
        self.assertEqual((base.name, base.substance.family), ("Brick wall", "mineral"))
        assert isinstance(base.material, MapSet)
        self.assertAlmostEqual(base.material.range_for(400.0), 12.0, delta=0.8)

    def test_without_names(self) -> None:
        names = [Path(n).name for n in self.usual()]
        moved = []
        for k, name in enumerate(names):
            (self.folder / f"{k}.png").write_bytes((self.folder / name).read_bytes())
            moved.append(f"{k}.png")
        roles = self.roles(self.look(*moved))
        self.assertEqual((roles["0.png"], roles["3.png"]), ("base_color", "normal"))
        self.assertIn("height", {roles["1.png"], roles["2.png"], roles["4.png"]})

    def test_packed_is_split(self) -> None:
        image = np.stack([relief(k) * 255 for k in range(3)], axis=2).astype(np.uint8)
        roles = self.roles(self.look(self.put("gate_orm.png", image)))
        self.assertEqual(
            roles, {"gate_orm.png/R": "occlusion", "gate_orm.png/G": "roughness", "gate_orm.png/B": "metalness"}
        )

    def test_what_is_odd_is_said_with_what_was_done(self) -> None:
        names = self.usual(".jpg")
        names.append(self.put("brick_wall_albedo_small.png", np.full((32, 32, 3), (90, 60, 40), np.uint8)))
        names.append(
            self.put("brick_wall_metalness.png", np.random.default_rng(0).integers(0, 255, (64, 64, 3), dtype=np.uint8))
        )
        names.append(self.put("brick_wall_opacity.png", np.full((64, 64), 255, np.uint8)))
        found = self.look(*names)
        said = "\n".join(found.findings)
        for words in (
            "packed with losses", "two files are base color: brick_wall_albedo.png is used",
            "has colour in it: its brightness is used",
            "sizes differ", "green of brick_wall_normal.jpg points down",
        ):  # fmt: skip
            self.assertIn(words, said)

    def test_mislabelled(self) -> None:
        height = relief(3)
        grey = (height * 255).astype(np.uint8)
        found = self.look(self.put("a_normal.png", grey), self.put("b_roughness.png", normal_map(height, 0.05)))
        self.assertEqual(self.roles(found), {"a_normal.png": "bump", "b_roughness.png": "normal"})
        self.assertIn("its pixels are no directions", "\n".join(found.findings))

    def test_missing_roles_and_other_scripts(self) -> None:
        found = self.look(self.put("Стена_цвет.png", np.full((16, 16, 3), (120, 80, 50), np.uint8)))
        self.assertEqual(self.roles(found), {"Стена_цвет.png": "base_color"})
        said = "\n".join(found.findings)
        self.assertIn("there is no roughness", said)
        self.assertIn("neither normal, height nor bump", said)

    def test_one_bad_file_does_not_lose_the_rest(self) -> None:
        names = self.usual()
        (self.folder / "bad.png").write_bytes(b"no")
        found = self.look(*names, "bad.png")
        self.assertEqual(len(found.files), 5)
        self.assertIn("left out: ", "\n".join(found.findings))
        with self.assertRaisesRegex(InputError, "can be read"):
            self.look("bad.png")
        with self.assertRaisesRegex(InputError, "65 files are more than a set"):
            self.look(*["bad.png"] * 65)

    def test_a_zip_of_many_files(self) -> None:
        path = self.folder / "many.zip"
        with zipfile.ZipFile(path, "w") as archive:
            for k in range(500):
                archive.writestr(f"{k}.png", b"x")
        (self.folder / "in").mkdir()
        with self.assertRaisesRegex(InputError, "500 files are more than the limit 200"):
            unpack_pictures(path, self.folder / "in", "many.zip")
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("readme.txt", b"x")
        with self.assertRaisesRegex(InputError, "no picture in it"):
            unpack_pictures(path, self.folder / "in", "many.zip")


class AsBase(Files):
    def lay(self, material: MapSet, placing: Placing | None = None, texel_mm: float = 1.0) -> tuple[object, Ground]:
        placing = placing or Placing(size_cm=10.0)
        x, y = np.meshgrid(np.arange(100) + 0.5, np.arange(100) + 0.5)
        points = np.stack([x.ravel(), -y.ravel(), np.zeros(10000)], axis=1).astype(np.float32) * np.float32(0.001)
        normals = np.tile(np.array([[0, 0, 1]], np.float32), (10000, 1))
        ground = Ground(points, normals, texel_mm, files=lambda n: self.folder / n, placing=placing)
        return material.lay(ground), ground

    def test_numbers_come_through(self) -> None:
        # A wall of 10 cm with one tile of 100 pixels: each texel is a pixel.
        random = np.random.default_rng(0)
        colour = random.integers(0, 256, (100, 100, 3), dtype=np.uint8)
        gloss = random.integers(0, 256, (100, 100), dtype=np.uint8)
        height = random.integers(0, 65536, (100, 100)).astype(np.uint16)
        self.put("c.png", colour), self.put("g.png", gloss), self.put("h.png", height)
        maps = [
            MapUse(file="c.png", role="base_color", colour="srgb"),
            MapUse(file="g.png", role="gloss"),
            MapUse(file="h.png", role="height"),
            MapUse(file="g.png", role="reflectance"),
        ]
        skin, _ = self.lay(MapSet(maps=maps, range_mm=4.0))
        np.testing.assert_allclose(
            skin.sheet["base_color"], to_linear(colour.reshape(-1, 3) / np.float32(255)), atol=1e-4
        )  # type: ignore[attr-defined]
        # Gloss is roughness turned round.
        np.testing.assert_allclose(skin.sheet["roughness"], np.clip(1 - gloss.ravel() / 255, 0.02, 1), atol=1e-4)  # type: ignore[attr-defined]
        # Signed middle: grey 0.5 is neither high nor low.
        np.testing.assert_allclose(skin.relief, (height.ravel() / 65535 - 0.5) * 4.0, atol=1e-3)  # type: ignore[attr-defined]
        # A level of 0.5 is 4 % reflectance is an index of 1.5 (Hecht, Optics).
        half = np.interp(0.5, np.sort(gloss.ravel() / 255), np.sort(skin.sheet["specular_ior"]))  # type: ignore[attr-defined]
        self.assertAlmostEqual(float(half), 1.5, delta=0.01)

    def test_relief_of_normals_alone_has_the_right_height(self) -> None:
        height = relief(2, 100, 4.0)
        self.put("n.png", normal_map(height, 0.05))
        skin, _ = self.lay(MapSet(maps=[MapUse(file="n.png", role="normal")]))
        # 5 % of a tile of 100 mm.
        wanted = (height.ravel() - height.mean()) * 5.0
        self.assertGreater(float(np.corrcoef(skin.relief, wanted)[0, 1]), 0.999)  # type: ignore[attr-defined]
        self.assertAlmostEqual(float(skin.relief.std() / wanted.std()), 1.0, delta=0.03)  # type: ignore[attr-defined]

    def test_bumps_and_dark_corners(self) -> None:
        random = np.random.default_rng(1)
        bump, corners = (random.integers(0, 256, (100, 100), dtype=np.uint8) for _ in range(2))
        self.put("b.png", bump), self.put("o.png", corners)
        maps = [MapUse(file="b.png", role="bump"), MapUse(file="o.png", role="occlusion")]
        skin, _ = self.lay(MapSet(maps=maps, bump_mm=2.0))
        # White stands 2 mm over black; grey 0.5 is neither high nor low.
        np.testing.assert_allclose(skin.relief, (bump.ravel() / 255 - 0.5) * 2.0, atol=1e-4)  # type: ignore[attr-defined]
        # What is dark in the map is closed in.
        np.testing.assert_allclose(skin.occlusion, 1 - corners.ravel() / 255, atol=1e-4)  # type: ignore[attr-defined]
        choice = BaseChoice.model_validate(
            {"material": MapSet(maps=maps, bump_mm=2.0).model_dump(mode="json"), "occlusion": 0.5, "relief": 0.25}
        )
        done = finished(choice, skin)  # type: ignore[arg-type]
        wanted = 0.5 * (1 - 0.5 * (1 - corners.ravel() / 255))
        np.testing.assert_allclose(done.sheet["base_color"], np.repeat(wanted[:, None], 3, axis=1), atol=1e-4)
        np.testing.assert_allclose(done.relief, skin.relief * 0.25, atol=1e-6)  # type: ignore[attr-defined]

    def test_wide_forms_from_the_height_and_fine_ones_from_the_normals(self) -> None:
        # Both describe one surface, a wave over the whole tile with twelve small ones across it, mm: in the height map
        # the small ones drown in steps of 8 bits (5 mm / 255 = 0.02), in the normal map the wide one wanders off.
        y, x = np.mgrid[:100, :100] / 100.0
        wide, fine = 2.0 * np.sin(2 * np.pi * x), 0.02 * np.sin(24 * np.pi * y)
        self.put("h.png", np.round((0.5 + (wide + fine) / 5.0) * 255).astype(np.uint8))
        # Of a tile of 100 mm.
        self.put("n.png", normal_map((wide + fine) / 100.0, 1.0))
        maps = [MapUse(file="h.png", role="height"), MapUse(file="n.png", role="normal")]

        def found(way: str) -> np.ndarray:
            skin, _ = self.lay(MapSet(maps=maps, relief_from=way, range_share=0.05))  # type: ignore[arg-type]
            return np.asarray(skin.relief).reshape(100, 100)  # type: ignore[attr-defined]

        def share(of: np.ndarray, wave: np.ndarray) -> float:
            return float((of * wave).mean() / (wave * wave).mean())

        both, height, normal = found("both"), found("height"), found("normal")
        self.assertAlmostEqual(share(both, wide), 1.0, delta=0.03)
        # Differences over two pixels see a twelfth of the tile 9 % too flat.
        self.assertAlmostEqual(share(both, fine), 0.91, delta=0.06)
        rest = [float((one - wide - fine - (one - wide - fine).mean()).std()) for one in (both, height, normal)]
        self.assertLess(rest[0], 0.7 * rest[1])
        self.assertLess(rest[0], 0.7 * rest[2])

    def test_light_is_averaged_after_it_was_decoded_whatever_its_exponent(self) -> None:
        # Black and white in turns: half the light, whatever it was encoded by; greys come through their exponent.
        turns = np.tile(np.array([[0, 255], [255, 0]], np.uint8), (8, 8))
        self.put("t.png", turns)
        picture = read_picture(self.folder / "t.png", "t.png")
        for gamma in (1.0, 1.8, 2.2):
            np.testing.assert_allclose(level_of(picture, 2, gamma=gamma), 0.5, atol=1e-3)
        self.put("g.png", np.full((8, 8), 128, np.uint8))
        grey = read_picture(self.folder / "g.png", "g.png")
        np.testing.assert_allclose(level_of(grey, 1, gamma=1.8), (128 / 255) ** 1.8, atol=1e-4)
        # IEC 61966-2-1 is no plain exponent.
        np.testing.assert_allclose(level_of(grey, 1, gamma=2.2), ((128 / 255 + 0.055) / 1.055) ** 2.4, atol=1e-4)

    def test_real_size(self) -> None:
        self.put("c.png", np.tile((np.arange(64) < 32).astype(np.uint8)[None, :] * 255, (64, 1)))
        for size_cm, periods in ((10.0, 1), (5.0, 2), (2.5, 4)):
            skin, _ = self.lay(MapSet(maps=[MapUse(file="c.png", role="roughness")]), Placing(size_cm=size_cm))
            row = skin.sheet["roughness"].reshape(100, 100)[50] > 0.5  # type: ignore[attr-defined]
            # The wall of 10 cm ends where it begins.
            changes = int(np.abs(np.diff(row.astype(int), append=int(row[0]))).sum())
            self.assertEqual(changes, 2 * periods)

    def test_a_role_twice_or_unknown_is_refused(self) -> None:
        for maps, said in (
            ([{"file": "a", "role": "height"}, {"file": "b", "role": "height"}], "two maps are 'height'"),
            ([{"file": "a", "role": "taste"}], "'taste' is not a role"),
            (
                [{"file": "a", "role": "gloss"}, {"file": "b", "role": "roughness"}],
                "there is a roughness and a gloss map",
            ),
        ):
            with self.assertRaisesRegex(ValueError, said):
                MapSet.model_validate({"maps": maps})

    def test_openexr_reads_what_we_read(self) -> None:
        values = relief(4, 32)
        (self.folder / "d.exr").write_bytes(exr_bytes({"R": values, "G": values, "B": values}))
        with OpenEXR.File(str(self.folder / "d.exr")) as file:
            other = np.asarray(file.channels()["RGB"].pixels)
        np.testing.assert_array_equal(read_picture(self.folder / "d.exr").pixels, other)
