"""What a surface is made of, texel by texel, and what of it shows."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from pydantic import ValidationError

from limus.bases.choice import from_stock
from limus.bases.store_room import STOCK
from limus.common.errors import InputError
from limus.document.scene import scene_from
from limus.effects.chipping import Chipping
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.masks.recipe import Recipe, term
from limus.masks.sources.coat import CoatSource
from limus.masks.sources.exposed import Exposed
from limus.materials.substance import FAMILIES, thinned
from limus.materials.substance import PAINT as FILM
from tests.core import shapes
from tests.core.test_effects import bench_for, layer, scene


class Families(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.joined(shapes.box(0.2), shapes.box(0.2, (0.5, 0, 0))), 128)
        cls.parts = [p.name for p in cls.bench.texels.mesh.parts]
        cls.bases = [from_stock("cast iron"), from_stock("brass", parts=[cls.parts[1]])]

    def test_one_index_per_texel_into_a_small_table(self) -> None:
        made = self.bench.as_made(scene(bases=self.bases))
        self.assertEqual([s.family for s in made.substances], ["ferrous", "copper alloy"])
        self.assertEqual((made.substance.dtype, made.substance.shape), (np.uint8, (len(self.bench.texels),)))
        np.testing.assert_array_equal(made.exposed("copper alloy") > 0.5, self.bench.texels.part == 1)
        self.assertTrue(made.has("ferrous") and not made.has("zinc"))

    def test_what_shows_adds_up_over_the_families(self) -> None:
        story = (
            layer("paint", Paint()),
            layer("chips", Chipping(coverage=0.3)),
            layer("rust", Rust(years=0.2)),
            layer("dust", Dust()),
        )
        pile = self.bench.play(scene(*story, bases=self.bases))[-1].pile
        total = np.sum([pile.exposed(family) for family in FAMILIES], axis=0)
        np.testing.assert_allclose(total, 1.0, atol=2e-5)
        for family in ("ferrous", "copper alloy", "coating", "oxide", "loose"):
            self.assertGreater(self.bench.texels.share(pile.exposed(family)), 0.001, family)

    def test_every_base_has_a_family_that_can_be_asked_for(self) -> None:
        for name, entry in STOCK.items():
            self.assertIn(entry.substance.family, FAMILIES, name)

    def test_the_source_offers_families_and_coats(self) -> None:
        names = Exposed.model_json_schema()["properties"]["what"]["names"]
        self.assertEqual(set(names), {"base", *(f"family:{f}" for f in FAMILIES)})
        pile = self.bench.play(
            scene(layer("paint", Paint()), layer("chips", Chipping(coverage=0.2, depth=0.3)), bases=self.bases)
        )[-1].pile
        whole, primer, topcoat = (pile.exposure_of(w) for w in ("paint", "paint/primer", "paint/topcoat"))
        np.testing.assert_allclose(whole, primer + topcoat, atol=1e-5)
        self.assertGreater(self.bench.texels.share(primer), 0.03)
        np.testing.assert_allclose(
            pile.coat_thickness("paint"),
            pile.coat_thickness("paint/primer") + pile.coat_thickness("paint/topcoat"),
            rtol=1e-5,
        )

    def test_words_of_older_documents(self) -> None:
        self.assertEqual(Exposed(what="iron").what, "family:ferrous")
        self.assertEqual(Exposed(what="coating").what, "family:coating")

    def test_a_family_that_is_none_is_refused(self) -> None:
        with self.assertRaisesRegex(ValidationError, "no family of substances"):
            Exposed(what="family:cheese")

    def test_a_coat_that_its_layer_does_not_leave_is_refused(self) -> None:
        def document(what: str, source: str = "exposed") -> dict[str, object]:
            line = Exposed(what=what) if source == "exposed" else CoatSource(layer=what)
            made = scene(layer("paint", Paint()), layer("dust", Dust(), Recipe(terms=[])))
            out = made.model_dump(mode="json")
            out["layers"][1]["where"]["terms"] = [term(line).model_dump(mode="json")]
            return out

        scene_from(document("paint/primer"))
        with self.assertRaisesRegex(
            InputError,
            r"layers\[1\].where.terms\[0\].source.what: 'paint' leaves no coat called 'varnish'. Choose one of "
            r"primer, undercoat, topcoat",
        ):
            scene_from(document("paint/varnish"))
        with self.assertRaisesRegex(InputError, "does not exist"):
            scene_from(document("lacquer/primer", "coat"))

    def test_a_share_taken_away_shows_as_that_share(self) -> None:
        # A coat of ten hiding thicknesses with half of the texel gone must cover half, not all but a hundredth.
        thick = np.full(5, 120.0, np.float32)
        gone = np.array([0.0, 0.25, 0.5, 0.99, 1.0], np.float32)
        left = 1 - np.exp(-thinned(thick, gone, FILM) / FILM.hide_um)
        np.testing.assert_allclose(left, (1 - gone) * (1 - np.exp(-120.0 / FILM.hide_um)), atol=1e-5)
        self.assertEqual(float(thinned(thick, gone, FILM)[0]), 120.0)
