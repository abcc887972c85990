"""The registry of channels, and what shows of coats in them."""

from __future__ import annotations

import itertools
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image, ImageChops

from limus.common.blending import MODES
from limus.common.kernel import fading, kernel
from limus.formats.gltf_write import glb_bytes
from limus.materials.channels import CHANNELS, CHANNELS_OF, VOICES, one
from limus.materials.encode import TIMES, encode_surface, in_use, pictures_of
from limus.materials.substance import Substance
from limus.playing.chronicle import Surface
from limus.strata.composite import Laid, Use, composited
from limus.strata.pile import Coat, Pile
from limus.surface.texels import Texels
from limus.targets.kinds.gltf import gltf_maps, left_out
from tests.core import shapes
from tests.core.fields import column
from tests.core.maps import map_files
from tests.core.test_formats import khronos

PAINT = Substance("coating", hide_um=10.0)
CLEAR = Substance("coating", hide_um=10.0, clear=True)


@kernel
def _fade(values, out):  # type: ignore[no-untyped-def]
    for i in range(len(values)):
        out[i] = fading(values[i])


class Registry(TestCase):
    def test_every_channel_that_openpbr_names_for_it(self) -> None:
        # OpenPBR Surface 1.1, parameter reference (from memory): the groups asked for, and their defaults.
        for name, default in {
            "specular_weight": 1.0, "specular_ior": 1.5, "coat_weight": 0.0, "coat_ior": 1.6, "fuzz_weight": 0.0,
            "fuzz_roughness": 0.5,
            "subsurface_weight": 0.0, "thin_film_weight": 0.0, "thin_film_ior": 1.4, "transmission_weight": 0.0,
            "transmission_depth": 0.0,
            "opacity": 1.0, "emission_luminance": 0.0,
        }.items():  # fmt: skip
            self.assertAlmostEqual(CHANNELS[name].default[0], default, msg=name)
        np.testing.assert_allclose(CHANNELS["subsurface_scale"].plain(), [1.0, 0.5, 0.25])

    def test_declared_whole(self) -> None:
        for name, channel in CHANNELS.items():
            self.assertTrue(channel.title and channel.about, name)
            self.assertIn(channel.voice, VOICES)
            self.assertIn(channel.width, (1, 3))
            self.assertTrue(all(channel.low <= x <= channel.high for x in channel.default), name)
            self.assertEqual(channel.ramp == "", channel.width > 1, name)
            self.assertTrue(channel.packed[0] or name in TIMES.values(), f"{name} is nowhere in the view")
        self.assertEqual(set(itertools.chain(*CHANNELS_OF.values())), set(CHANNELS))
        self.assertEqual(len({c.file for c in CHANNELS.values()}), len(CHANNELS))

    def test_no_two_channels_in_one_place_of_a_picture(self) -> None:
        taken: set[tuple[str, int]] = {("orm", 0)}
        for channel in CHANNELS.values():
            picture, first = channel.packed
            for k in range(channel.width if picture else 0):
                self.assertNotIn((picture, first + k), taken, channel.name)
                self.assertLess(first + k, 4)
                taken.add((picture, first + k))


class Compositing(TestCase):
    count = 70_001

    def setUp(self) -> None:
        self.random = np.random.default_rng(4)

    def field(self, *shape: int) -> np.ndarray:
        return self.random.uniform(0, 1, (self.count, *shape)).astype(np.float32)

    def test_fading_is_the_exponential(self) -> None:
        values = np.linspace(0, 90, 200_001, dtype=np.float32)
        out = np.empty_like(values)
        _fade(values, out)
        np.testing.assert_allclose(out, np.exp(-values.astype(np.float64)), atol=2e-7)
        self.assertEqual(float(out[0]), 1.0)

    def test_as_the_plain_formula_has_it(self) -> None:
        # v = 1 - exp(-t / t_hide), bottom up; whole and even values, blocks of any length.
        below = {"base_color": self.field(3), "metalness": one(1.0), "roughness": self.field()}
        layers: list[Any] = []
        wanted = {
            "base_color": below["base_color"].copy(),
            "metalness": np.ones(self.count),
            "roughness": below["roughness"].copy(),
        }
        for k in range(4):
            thick = self.field() * np.float32(20.0)
            color = self.field(3) if k % 2 else one((0.2, 0.4, 0.6))
            rough = one(0.3) if k % 2 else self.field()
            layers.append(
                Laid(
                    thick,
                    8.0,
                    [("base_color", color, Use()), ("metalness", one(0.0), Use()), ("roughness", rough, Use(0.5))],
                )
            )
            v = 1 - np.exp(-thick.astype(np.float64) / 8.0)
            wanted["base_color"] = wanted["base_color"] + v[:, None] * (color - wanted["base_color"])
            wanted["metalness"] = wanted["metalness"] * (1 - v)
            wanted["roughness"] = wanted["roughness"] + 0.5 * v * (rough - wanted["roughness"])
        got = composited(self.count, below, layers)
        for name, values in wanted.items():
            np.testing.assert_allclose(got[name], values, atol=3e-6, err_msg=name)

    def test_every_blend_mode_as_for_masks(self) -> None:
        # Pillow's ImageChops has the same modes for bytes (W3C Compositing Level 1, section 10).
        b = Image.fromarray(self.random.integers(0, 256, (64, 64), np.uint8).astype(np.uint8))
        s = Image.fromarray(self.random.integers(0, 256, (64, 64), np.uint8).astype(np.uint8))
        below, above = (np.asarray(x).ravel().astype(np.float32) / 255 for x in (b, s))
        for mode, chop in {
            "multiply": ImageChops.multiply, "screen": ImageChops.screen, "darken": ImageChops.darker,
            "lighten": ImageChops.lighter,
            "difference": ImageChops.difference, "add": ImageChops.add, "subtract": ImageChops.subtract,
        }.items():  # fmt: skip
            opaque = np.full(len(below), 1e4, np.float32)
            got = composited(
                len(below), {"roughness": below}, [Laid(opaque, 1.0, [("roughness", above, Use(1.0, MODES[mode]))])]
            )
            np.testing.assert_allclose(got["roughness"] * 255, np.asarray(chop(b, s)).ravel(), atol=1.01, err_msg=mode)

    def test_modes_work_in_a_channel_of_another_range(self) -> None:
        opaque = np.full(3, 1e4, np.float32)
        got = composited(
            3, {"specular_ior": one(2.0)}, [Laid(opaque, 1.0, [("specular_ior", one(1.5), Use(1.0, MODES["darken"]))])]
        )
        np.testing.assert_allclose(got["specular_ior"], 1.5, atol=1e-5)

    def test_even_stays_one_value_and_costs_nothing(self) -> None:
        below = {"base_color": self.field(3), "metalness": one(0.0)}
        got = composited(self.count, below, [Laid(self.field(), 4.0, [("metalness", one(0.0), Use())])])
        self.assertEqual(got["metalness"].shape, ())
        self.assertIs(got["base_color"], below["base_color"])


class Coats(TestCase):
    def setUp(self) -> None:
        self.texels = Texels.of(shapes.plane(0.1), 32)
        count = len(self.texels)
        self.thick = np.full(count, 1e4, np.float32)
        skin = np.zeros(count, np.float32)
        base = {"base_color": one((0.5, 0.4, 0.3)), "metalness": one(1.0), "roughness": one(0.4)}
        self.pile = Pile(self.texels, "made", base, (Substance("ferrous"),), np.zeros(count, np.uint8), skin)

    def coat(self, substance: Substance = PAINT, **sheet: Any) -> Coat:
        return Coat("x", "x", substance, self.thick, {k: one(v) for k, v in sheet.items()})

    def shown(self, pile: Pile, name: str) -> float:
        return float(column(pile.visible(), name, len(self.texels)).mean())

    def test_a_coat_that_hides_ends_what_was_below(self) -> None:
        # Paint over dust has no fuzz, and paint over metal no metalness, without saying so.
        dusty = self.pile.with_coat(self.coat(base_color=(0.3, 0.3, 0.3), fuzz_weight=0.8))
        self.assertAlmostEqual(self.shown(dusty, "fuzz_weight"), 0.8, places=5)
        painted = dusty.with_coat(self.coat(base_color=(0.1, 0.2, 0.1)))
        self.assertAlmostEqual(self.shown(painted, "fuzz_weight"), 0.0, places=5)
        self.assertAlmostEqual(self.shown(painted, "metalness"), 0.0, places=5)

    def test_a_clear_coat_leaves_alone_what_it_does_not_speak_in(self) -> None:
        wet = self.pile.with_coat(self.coat(CLEAR, coat_weight=1.0, coat_ior=1.33))
        for name, value in (("metalness", 1.0), ("roughness", 0.4), ("coat_weight", 1.0), ("coat_ior", 1.33)):
            self.assertAlmostEqual(self.shown(wet, name), value, places=5, msg=name)

    def test_a_hole_stays_a_hole_under_paint(self) -> None:
        cut = Pile(
            self.texels,
            "cut",
            {**self.pile.base, "opacity": one(0.0)},
            *(getattr(self.pile, k) for k in ("substances", "substance", "skin")),
        )
        self.assertAlmostEqual(
            self.shown(cut.with_coat(self.coat(base_color=(0.1, 0.1, 0.1))), "opacity"), 0.0, places=5
        )

    def test_only_what_is_used_is_there(self) -> None:
        painted = self.pile.with_coat(self.coat(base_color=(0.1, 0.2, 0.1), roughness=0.5))
        self.assertEqual(set(painted.visible()), {"base_color", "metalness", "roughness"})
        self.assertEqual(len(painted.coats[-1].sheet["roughness"].shape), 0)


class Carried(TestCase):
    """Every channel in the view's pictures, in maps and in a GLB."""

    def setUp(self) -> None:
        self.texels = Texels.of(shapes.box(0.1), 32)
        self.flat = np.tile(np.array([0, 0, 1], np.float32), (len(self.texels), 1))
        self.open = np.zeros(len(self.texels), np.float32)

    def surface(self, **sheet: Any) -> Surface:
        made = {name: np.asarray(value, np.float32) for name, value in sheet.items()}
        return Surface(made, self.open, self.flat, self.open)

    def every(self) -> Surface:
        values = {}
        for name, channel in CHANNELS.items():
            value = channel.low + 0.75 * (min(channel.high, channel.full) - channel.low)
            values[name] = (
                np.full((len(self.texels), 3), value) if channel.width > 1 else np.full(len(self.texels), value)
            )
        return self.surface(**values)

    def test_unused_pictures_are_not_made(self) -> None:
        usual = self.surface(
            base_color=np.full((len(self.texels), 3), 0.5), metalness=0.0, roughness=self.open + 0.4, coat_weight=0.0
        )
        self.assertEqual(set(pictures_of(usual.sheet)), {"base_color", "orm", "normal"})
        wet = encode_surface(
            self.texels,
            {**usual.sheet, "coat_weight": np.asarray(self.open + np.linspace(0, 1, len(self.open)), np.float32)},
            self.flat,
            self.open,
        )
        self.assertEqual(set(wet), {"base_color", "orm", "normal", "clear_coat"})

    def test_one_value_is_one_pixel(self) -> None:
        maps = encode_surface(
            self.texels, self.surface(coat_weight=0.6, coat_roughness=0.2).sheet, self.flat, self.open
        )
        self.assertEqual(maps["clear_coat"].shape, (1, 1, 1, 4))
        self.assertEqual(maps["clear_coat"][0, 0, 0, :2].tolist(), [153, 51])
        self.assertEqual(maps["base_color"].shape, (1, 32, 32, 4))

    def test_every_channel_comes_back_from_its_picture(self) -> None:
        surface = self.every()
        maps = encode_surface(self.texels, surface.sheet, self.flat, self.open)
        for name, channel in CHANNELS.items():
            if name in TIMES or not channel.packed[0]:
                continue
            picture, first = channel.packed
            got = maps[picture][0, 16, 16, first : first + channel.width].astype(float)
            value = float(surface.channel(name).ravel()[0])
            wanted = 255 * (1.055 * value ** (1 / 2.4) - 0.055) if channel.colour else 255 * value / channel.full
            np.testing.assert_allclose(got, wanted, atol=1.0, err_msg=name)
        # Fuzz is written times its weight, emission times its luminance.
        for color, weight in TIMES.items():
            linear = float(
                surface.channel(color).ravel()[0] * surface.channel(weight).ravel()[0] / CHANNELS[weight].full
            )
            self.assertAlmostEqual(
                float(maps[CHANNELS[color].packed[0]][0, 16, 16, 0]),
                255 * (1.055 * linear ** (1 / 2.4) - 0.055),
                delta=1.0,
            )

    def test_a_glb_with_every_channel_is_valid(self) -> None:
        # Khronos' glTF validator.
        import tempfile
        from pathlib import Path

        surface = self.every()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "every.glb"
            path.write_bytes(glb_bytes(self.texels.mesh, gltf_maps(self.texels, surface)))
            issues = khronos(path)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])
        lost = left_out(surface)
        self.assertEqual(set(lost), {c.title for c in in_use(surface.sheet) if not c.gltf})
        self.assertIn("Glints", lost)

    def test_maps_say_the_range_of_what_is_not_a_share(self) -> None:
        import json

        files = {f.name: f.data for f in map_files("thing", self.texels, self.every())}
        about = json.loads(files["maps.json"])["files"]
        ior = about["thing_object_specular-ior.png"]
        self.assertEqual((ior["black"], ior["unit"]), (1.0, ""))
        self.assertGreater(ior["white"], 1.0)
        self.assertEqual(about["thing_object_thin-film-thickness.png"]["unit"], "nm")
        self.assertNotIn("white", about["thing_object_metalness.png"])
        self.assertEqual(len(files), len(CHANNELS) + 4)
