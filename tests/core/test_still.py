"""Stills: light that is neither made nor lost, shadows where they fall, and the camera that the view begins with."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.bases.choice import from_stock
from limus.cli.main import main
from limus.document.scene import ObjectFile, Scene
from limus.formats.gltf_write import write_glb
from limus.playing.chronicle import Surface
from limus.stills.camera import Camera
from limus.stills.lights import SETUPS, panorama
from limus.stills.physical import Lighting, Points, exposed, shaded
from limus.stills.still import SHADOW, SURROUND, Light, still
from limus.stills.surround import Surround, directions
from limus.surface.texels import Texels
from tests.core import shapes

WEB = Path(__file__).resolve().parents[2] / "web"
UP = np.array([[0.0, 1.0, 0.0]], np.float32)


@cache
def even(level: float) -> Surround:
    """A room that is as bright all round."""
    return Surround.of(np.full((64, 128, 3), level, np.float32))


class Room(TestCase):
    def test_an_even_room_stays_even(self) -> None:
        room = even(0.7)
        way = directions(16)
        for rough in (0.0, 0.07, 0.3, 0.99, 1.0):
            np.testing.assert_allclose(room.seen(way, np.full(len(way), rough, np.float32)), 0.7, rtol=1e-4)

    def test_what_comes_in_under_half_a_sky(self) -> None:
        """Upwards all of it, sideways half, downwards nothing: the form factors of a hemisphere (1 + cos b) / 2."""
        sky = np.zeros((64, 128, 3), np.float32)
        sky[32:] = 1.0
        room = Surround.of(sky)
        for degrees in (0, 45, 90, 135, 180):
            b = np.radians(degrees)
            way = np.array([[np.sin(b) * 0.6, np.cos(b), np.sin(b) * 0.8]], np.float32)
            self.assertAlmostEqual(float(room.irradiance(way)[0, 0]), (1 + np.cos(b)) / 2, delta=0.02, msg=str(degrees))

    def test_rougher_mirrors_show_a_lamp_wider_and_weaker(self) -> None:
        lamp = np.zeros((64, 128, 3), np.float32)
        lamp[30:34, 62:66] = 10.0
        room = Surround.of(lamp)
        # Azimuth and elevation 0, on the equator in the middle of the picture: along +x.
        ahead, beside = np.array([[1.0, 0, 0]], np.float32), np.array([[np.cos(0.5), 0, np.sin(0.5)]], np.float32)
        seen = [float(room.seen(ahead, np.array([r]))[0, 0]) for r in (0.0, 0.2, 0.4, 0.8)]
        aside = [float(room.seen(beside, np.array([r]))[0, 0]) for r in (0.0, 0.2, 0.4, 0.8)]
        self.assertEqual(seen, sorted(seen, reverse=True))
        self.assertGreater(seen[0], 9.9)
        self.assertEqual(aside[0], 0.0)
        self.assertGreater(aside[3], 10 * aside[1])


class Energy(TestCase):
    """The white furnace: a white surface in an even room cannot be told from it (E. Heitz, 2014, as a test)."""

    def seen(self, cosine: float, rough: float, metal: float, **sheet: float) -> np.ndarray:
        view = np.array([[np.sqrt(1 - cosine**2), cosine, 0.0]], np.float32)
        one = np.ones(1, np.float32)
        fields = {
            "base_color": np.ones((1, 3), np.float32), "roughness": one * rough, "metalness": one * metal,
            **{name: one * value for name, value in sheet.items()},
        }  # fmt: skip
        points = Points(fields, UP, view, one, one, one * 0, one * 0)
        return shaded(points, Lighting(np.array([0, 1, 0], np.float32), np.zeros(3, np.float32), even(1.0), 1.0, 0.3))[
            0
        ]

    def test_white_stays_white(self) -> None:
        for metal in (0.0, 1.0):
            for rough in (0.1, 0.4, 0.7, 1.0):
                for cosine in (1.0, 0.7, 0.35):
                    with self.subTest(metal=metal, rough=rough, cosine=cosine):
                        np.testing.assert_allclose(self.seen(cosine, rough, metal), 1.0, atol=0.035)

    def test_a_coat_takes_no_light_away_from_white(self) -> None:
        for cosine in (1.0, 0.6):
            np.testing.assert_allclose(self.seen(cosine, 0.6, 0.0, coat_weight=1.0, coat_roughness=0.1), 1.0, atol=0.05)

    def test_a_matt_surface_under_the_key_light_alone(self) -> None:
        """Lambert: albedo / pi x irradiance x cosine; what it mirrors at an index of 1.5 comes on top, below 4 %."""
        one, way = np.ones(1, np.float32), np.array([0.0, np.cos(0.9), np.sin(0.9)], np.float32)
        fields = {"base_color": np.full((1, 3), 0.5, np.float32), "roughness": one, "metalness": one * 0}
        for lit in (0.0, 1.0):
            points = Points(fields, UP, UP, one, one * lit, one * 0, one * 0)
            found = shaded(points, Lighting(way, np.full(3, np.pi, np.float32), even(0.0), 1.0, 0.0))[0, 0]
            wanted = 0.5 * np.cos(0.9) * lit
            self.assertGreaterEqual(float(found), wanted - 1e-6)
            self.assertLessEqual(float(found), wanted + 0.04 * lit)

    def test_the_neutral_curve(self) -> None:
        """Khronos PBR Neutral: linear below 0.8 but for the 4 % of the mirror, below white for ever after."""
        grey = np.repeat(np.array([[0.1], [0.5], [0.79], [2.0], [100.0]], np.float32), 3, axis=1)
        out = exposed(grey, 1.0)[:, 0]
        np.testing.assert_allclose(out[:3], [0.06, 0.46, 0.75], atol=1e-6)
        self.assertTrue(0.76 < out[3] < out[4] < 1.0)
        self.assertEqual(float(exposed(np.zeros((1, 3), np.float32), 1.0).max()), 0.0)


class Drawn(TestCase):
    texels: Texels
    surface: Surface

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.texels = Texels.of(shapes.box(0.2), 64)
        n = len(cls.texels)
        flat = np.tile(np.array([0, 0, 1], np.float32), (n, 1))
        sheet = {"base_color": np.full((n, 3), 0.4, np.float32), "roughness": np.full(n, 0.8, np.float32)}
        cls.surface = Surface(sheet, np.zeros(n, np.float32), flat, np.zeros(n, np.float32))

    def test_a_shadow_lies_where_the_light_does_not_come(self) -> None:
        camera = Camera.around(self.texels.mesh.bounds, 1.5, elevation=50.0)
        from_left = still(self.texels, self.surface, camera, Light("noon", -55.0, 40.0), 240, 160)
        ground = from_left[..., :3].max(axis=2)
        dark = (ground < 255 * SURROUND * (1 - SHADOW) + 2) & (ground > 255 * SURROUND * (1 - SHADOW) - 2)
        self.assertGreater(int(dark.sum()), 300)
        # To the right of the middle, for the light comes from the left.
        self.assertGreater(float(np.nonzero(dark)[1].mean()), 130)
        other = still(self.texels, self.surface, camera, Light("noon", 125.0, 40.0), 240, 160)
        self.assertGreater(float(np.abs(other.astype(int) - from_left).mean()), 3.0)

    def test_clear_paper(self) -> None:
        camera = Camera.around(self.texels.mesh.bounds, 1.0)
        paper, grey = (
            still(self.texels, self.surface, camera, Light(), 96, 96, sub=1, clear=clear) for clear in (True, False)
        )
        self.assertEqual(int(paper[0, 0, 3]), 0)
        self.assertEqual(int(grey[..., 3].min()), 255)
        solid = paper[..., 3] == 255
        self.assertGreater(int(solid.sum()), 1500)
        np.testing.assert_array_equal(paper[solid], grey[solid])
        # Laid on the surround it is the other picture.
        share = paper[..., 3:].astype(float) / 255
        laid = paper[..., :3] * share + 255 * SURROUND * (1 - share)
        np.testing.assert_allclose(laid, grey[..., :3], atol=1.6)

    def test_cancelled(self) -> None:
        def stop(share: float) -> None:
            raise InterruptedError

        with self.assertRaises(InterruptedError):
            still(self.texels, self.surface, Camera.around(self.texels.mesh.bounds, 1.0), Light(), 64, 64, check=stop)

    def test_all_of_the_object_and_not_much_more(self) -> None:
        for seed, scale in ((1, 0.05), (2, 20.0)):
            rng = np.random.default_rng(seed)
            mesh = shapes.box(1.0)
            mesh = replace(mesh, positions=(mesh.positions * rng.uniform(0.2, 1, 3) * scale).astype(np.float32))
            for aspect in (0.5, 1.6):
                for turn in (0.0, 77.0):
                    camera = Camera.around(mesh.bounds, aspect, turn=turn)
                    away = mesh.positions - camera.eye
                    deep = -(away @ camera.back)
                    x = away @ camera.right / deep / camera.tall / aspect
                    y = away @ camera.up / deep / camera.tall
                    far = max(float(np.abs(x).max()), float(np.abs(y).max()))
                    self.assertLess(far, 1.0)
                    self.assertGreater(far, 0.7)


class SameAsThePage(TestCase):
    """The page has the set-ups of its own accord, for it begins before it has asked for anything."""

    def test_numbers(self) -> None:
        text = (WEB / "src" / "view3d" / "lights.ts").read_text()
        blocks = re.findall(r"\{\s+id: '([\w-]+)',(.*?)\n  \},", text, re.S)
        self.assertEqual([name for name, _ in blocks], list(SETUPS))
        for name, block in blocks:
            for field in ("around", "key", "exposure", "azimuth", "elevation"):
                found = re.search(rf"\b{field}: (-?[\d.]+)", block)
                assert found is not None
                self.assertEqual(float(found[1]), getattr(SETUPS[name], field), f"{name}.{field}")
            tint = re.search(r"tint: \[([^\]]+)\]", block)
            assert tint is not None
            self.assertEqual(tuple(float(x) for x in tint[1].split(",")), SETUPS[name].tint)
            self.assertIn(f"title: '{SETUPS[name].title}'", block)

    def test_skies(self) -> None:
        """web/tests/lights.test.ts compares the same file with what the page makes of it. Written anew by
        ``python -m tests.core.test_still``.
        """
        self.assertEqual(json.loads(SKIES.read_text()), skies())


SKIES = WEB / "tests" / "skies.json"


def skies() -> dict[str, list[list[float]]]:
    """Set-up -> azimuth, elevation and radiance at some places of its surroundings."""
    out = {}
    for name, setup in SETUPS.items():
        picture = panorama(setup, 64)
        rng = np.random.default_rng(5)
        rows, columns = rng.integers(0, 32, 60), rng.integers(0, 64, 60)
        out[name] = [
            [(x + 0.5) / 64 * 360 - 180, (y + 0.5) / 32 * 180 - 90, *(round(float(c), 5) for c in picture[y, x])]
            for x, y in zip(columns, rows, strict=True)
        ]
    return out


class Command(TestCase):
    def setUp(self) -> None:
        made = TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        write_glb(self.folder / "a.glb", shapes.box(0.1))
        scene = Scene(object=ObjectFile(file="a.glb"), bases=[from_stock("cast iron")])
        (self.folder / "scene.json").write_text(scene.model_dump_json())

    def still(self, *more: str, out: str = "a.png") -> int:
        given = ["--resolution", "64", "--out", str(self.folder / out), *more]
        return main(["still", str(self.folder / "scene.json"), *given])

    def test_a_picture_of_the_size_that_is_asked_for(self) -> None:
        self.assertEqual(self.still("--size", "120x80", "--light", "low-sun", "--turn", "40"), 0)
        with Image.open(self.folder / "a.png") as one:
            self.assertEqual((one.size, one.mode), ((120, 80), "RGBA"))
            first = np.asarray(one).astype(int)
        self.assertEqual(self.still("--size", "120x80", "--light", "low-sun", "--zoom", "2", "--clear", out="b.png"), 0)
        with Image.open(self.folder / "b.png") as other:
            near = np.asarray(other).astype(int)
        self.assertGreater(int((near[..., 3] == 255).sum()), 2 * int((first[..., :3] != 134).any(axis=2).sum()) // 3)

    def test_refusals(self) -> None:
        for more, out in (
            (("--size", "0x80"), "a.png"), (("--size", "90000x80"), "a.png"), (("--size", "12.5x80"), "a.png"),
            (("--at", "nan,0"), "a.png"), (("--zoom", "0"), "a.png"), (("--light", "moon"), "a.png"),
            (("--strength", "inf"), "a.png"), ((), "a.jpg"), (("--snapshot", "gone"), "a.png"),
            (("--resolution", "8192"), "a.png"),
        ):  # fmt: skip
            with self.subTest(more=more, out=out):
                self.assertEqual(self.still(*more, out=out), 2)
                self.assertEqual([p.name for p in self.folder.glob("a.[pj]*")], [])


if __name__ == "__main__":
    SKIES.write_text(json.dumps(skies()))
