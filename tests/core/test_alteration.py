"""Water and sun change whatever lies below them: what it is by now, not what it was then."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from limus.bases.choice import from_stock
from limus.effects.dust import Dust
from limus.effects.fading import Fading
from limus.effects.paint import Paint
from limus.effects.snow import Snow
from limus.effects.washing import Washing
from limus.effects.water import Water
from limus.effects.wetness import Wetness
from limus.masks.recipe import Recipe
from limus.materials.channels import one
from limus.materials.substance import DUST
from limus.playing.chronicle import Chronicle
from limus.strata.composite import FULL, Laid, Use, composited
from limus.strata.pile import Coat, Pile
from tests.core import shapes
from tests.core.test_effects import bench_for, layer, scene

WHITE_DUST = Dust(color=(0.9, 0.9, 0.9), thickness_um=400.0)


class Altered(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2), 96)

    def last(self, *layers: object) -> Pile:
        return self.bench.play(scene(*layers, bases=[from_stock("oak")]))[-1].pile  # type: ignore[arg-type]

    def test_what_is_washed_away_under_a_veil_leaves_no_colour_in_it(self) -> None:
        # Each of them over a thick white dust, all of which goes later: as if it had never been there.
        for effect in (Wetness(), Fading(), Water(by="world", above_mm=120.0), Snow(melt=1.0)):
            with self.subTest(effect.kind):
                pile = self.last(layer("dust", WHITE_DUST, Recipe()), layer("veil", effect, Recipe()))
                veils = [k for k, coat in enumerate(pile.coats) if coat.alters is not None]
                self.assertEqual(len(veils), 1)
                none = np.zeros(len(pile.skin), np.float32)
                clean = tuple(
                    replace(c, thickness=none) if k < veils[0] else c for k, c in enumerate(pile.coats) if k <= veils[0]
                )
                got = replace(pile, coats=clean).visible()
                alone = replace(pile, coats=clean[veils[0] :]).visible()
                np.testing.assert_array_equal(got["base_color"], alone["base_color"])
                # And the dust was to be seen through it before.
                dusty = replace(pile, coats=pile.coats[: veils[0] + 1]).visible()
                self.assertGreater(float(np.abs(dusty["base_color"] - got["base_color"]).mean()), 0.1)

    def test_dust_that_rain_washes_off_wet_wood_shows_wet_wood(self) -> None:
        rain = layer("rain", Washing(amount=1.0, coverage=0.7), Recipe())
        wet, dust = layer("wet", Wetness(amount=1.0), Recipe()), layer("dust", WHITE_DUST, Recipe())
        both, before = self.last(dust, wet, rain), self.last(dust, wet)
        left = next(c.thickness for c in both.coats if c.substance is DUST)
        was = next(c.thickness for c in before.coats if c.substance is DUST)
        gone = (was > 100.0) & (left < 1.0)
        self.assertGreater(int(gone.sum()), 50)
        shows = both.visible()["base_color"][gone]
        bare = replace(both, coats=()).visible()["base_color"][gone]
        # Wet is darker than dry (J. Lekner and M. Dorf, 1988), and dust was three times as light.
        self.assertTrue((shows <= bare + 0.02).all(), float((shows - bare).max()))
        self.assertGreater(float((bare - shows).mean()), 0.01)

    def test_by_voice_weight_and_blend(self) -> None:
        # The same composite by hand: half of what the veil makes of what is below.
        class Halved:
            reads = ("roughness",)
            speaks = ("roughness",)

            def values(self, below: dict[str, np.ndarray], here: slice) -> dict[str, np.ndarray]:
                return {"roughness": np.asarray(below["roughness"] * np.float32(0.5))}

            def at(self, rows: np.ndarray) -> Halved:
                return self

        thick = np.full(70000, 1e4, np.float32)
        rough = np.random.default_rng(1).random(70000, np.float32)
        coats = [
            Laid(thick, 1.0, [("roughness", rough, FULL)]),
            Laid(thick, 1.0, [("roughness", None, Use(0.5))], Halved()),
        ]
        got = composited(70000, {"roughness": one(0.2)}, coats)
        np.testing.assert_allclose(got["roughness"], 0.75 * rough, atol=1e-6)

    def test_at_chosen_texels(self) -> None:
        pile = self.last(
            layer("paint", Paint()),
            layer("sun", Fading(), Recipe()),
            layer("pond", Water(by="world", above_mm=120.0), Recipe()),
        )
        rows = np.arange(0, len(pile.skin), 7)
        whole, some = pile.visible(), pile.only(rows).visible()
        for name, value in some.items():
            wanted = whole[name][rows] if whole[name].shape[:1] == pile.skin.shape else whole[name]
            np.testing.assert_array_equal(value, wanted, err_msg=name)

    def test_it_says_what_it_changes(self) -> None:
        chapters = self.bench.play(scene(layer("paint", Paint()), layer("sun", Fading(), Recipe())))
        self.assertEqual(chapters[-1].speaks, ("base_color", "roughness"))
        self.assertIsInstance(chapters[-1].pile.coats[-1], Coat)
