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
from limus.common.errors import Cancelled
from limus.document.scene import Layer
from limus.effects.paint import Paint
from limus.masks.recipe import Recipe
from limus.playing.session import Session
from limus.targets.delivery import deliver
from limus.targets.kinds.gltf import gltf_maps
from limus.targets.kinds.maps import map_files
from limus.targets.written import file_stem, map_set_stems
from tests.core import shapes
from tests.core.test_effects import STORY, scene


class Deliveries(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        patch = mock.patch.dict(os.environ, {"LIMUS_CACHE": folder.name})
        patch.start()
        self.addCleanup(patch.stop)
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
