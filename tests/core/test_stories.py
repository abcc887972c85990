"""Episodes, years and treatments: what belongs together, when it was, and using it again."""

from __future__ import annotations

import json
from typing import Any
from unittest import TestCase

import numpy as np

from demo.scenario import gate_hoist_scene
from limus.commands.draft import Ground
from limus.commands.edit import changed, command_of
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.episode import Episode
from limus.document.scene import Layer, Scene, scene_from
from limus.document.treatment import Treatment, treated, treatment_from, treatment_of
from limus.document.treatments import shipped
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import Chipping
from limus.effects.dirt import Dirt
from limus.effects.dust import Dust
from limus.effects.paint import Paint
from limus.effects.rust import EXPONENT, Rust
from limus.masks.recipe import Recipe, Term, term
from limus.masks.sources.even import Even
from limus.masks.sources.exposed import Exposed
from limus.masks.sources.noise import Noise
from limus.masks.sources.parts import Parts
from limus.playing.ageing import aged, at_year, grown
from limus.playing.session import Session
from limus.readings.setting import Setting
from limus.review.glimpse import Glimpse, glimpse
from tests.core import shapes
from tests.core.test_effects import bench_for, layer, oxide_of, scene

HALF = Recipe(terms=[Term(source=Even(level=0.5))])
EVEN = Recipe(terms=[Term(source=Even())])


def story(**episode: Any) -> Scene:
    """Paint; dirt and dust in one episode."""
    inside = {"episode": "use"}
    return scene(
        layer("paint", Paint()),
        layer("dirt", Dirt(runs_mm=0.0), EVEN, **inside),
        layer("dust", Dust(), EVEN, **inside),
        episodes=[Episode(id="use", name="In use", **episode)],
    )


class Episodes(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2), 96)

    def films(self, made: Scene) -> dict[str, float]:
        return {c.layer: float(c.thickness.mean()) for c in self.bench.play(made)[-1].pile.coats}

    def test_strength_and_place_multiply_into_those_of_its_layers(self) -> None:
        whole, weak, half = self.films(story()), self.films(story(strength=0.5)), self.films(story(where=HALF))
        for name in ("dirt", "dust"):
            self.assertAlmostEqual(weak[name], 0.5 * whole[name], delta=0.01 * whole[name])
            self.assertAlmostEqual(half[name], 0.5 * whole[name], delta=0.01 * whole[name])
        self.assertAlmostEqual(weak["paint"], whole["paint"])

    def test_off_switches_all_of_it_off(self) -> None:
        self.assertEqual([c.layer.id for c in self.bench.play(story(on=False))], ["paint"])
        self.assertIn("strength of its episode", self.bench.play(story(strength=0.0))[-1].note)

    def test_folding_and_renaming_make_nothing_again(self) -> None:
        first = self.bench.play(story())[-1]
        again = story(folded=True).model_copy(update={"episodes": [Episode(id="use", name="Other", folded=True)]})
        self.assertIs(self.bench.play(again)[-1].pile, first.pile)

    def test_the_mask_of_a_layer_is_that_within_its_episode(self) -> None:
        from limus.masks.sources.mask import MaskSource

        made = story(where=HALF)
        reader = layer("chips", Chipping(), Recipe(terms=[Term(source=MaskSource(layer="dirt"))]))
        made = made.model_copy(update={"layers": [*made.layers, reader]})
        self.assertAlmostEqual(
            float(self.bench.play(scene_from(made.model_dump(mode="json")))[-1].mask.mean()), 0.5, delta=0.01
        )

    def refused(self, change: Any) -> str:
        document = story().model_dump(mode="json")
        change(document)
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        return caught.exception.line

    def test_refusals(self) -> None:
        self.assertIn("there is no episode 'ghost'", self.refused(lambda d: d["layers"][0].update(episode="ghost")))
        self.assertIn("two episodes have the id", self.refused(lambda d: d["episodes"].append(d["episodes"][0])))
        apart = self.refused(lambda d: d["layers"].insert(2, {**d["layers"][0], "id": "between"}))
        self.assertIn("do not stand next to each other", apart)
        line = {"source": {"kind": "exposed", "what": "dust"}}
        ahead = self.refused(lambda d: d["episodes"][0]["where"].update(terms=[line]))
        self.assertIn("episodes[0].where.terms[0].source.what", ahead)
        self.assertIn("leaves no coat before", ahead)
        loop = {"source": {"kind": "mask", "layer": "dirt"}}
        self.assertIn("loop", self.refused(lambda d: d["episodes"][0]["where"].update(terms=[loop])))

    def test_an_episode_may_look_back(self) -> None:
        where = Recipe(terms=[Term(source=Exposed(what="family:coating"))])
        films = self.films(story(where=where))
        self.assertGreater(films["dirt"], 1.0)
        # Where dirt hides the paint, dust finds less of it.
        self.assertLess(films["dust"], 0.6 * self.films(story())["dust"])

    def test_it_names_what_it_needs(self) -> None:
        from limus.masks.sources.rain import Rain

        self.assertFalse(story().asks_for_weather)
        self.assertTrue(story(where=Recipe(terms=[Term(source=Rain())])).asks_for_weather)


class Years(TestCase):
    def test_laws(self) -> None:
        for law, quarter in (("at once", 1.0), ("even", 0.25), ("root", 0.5), ("late", 0.0625)):
            self.assertAlmostEqual(grown(law, 0.25), quarter)
            self.assertEqual((grown(law, 1.0), grown(law, 7.0)), (1.0, 1.0))

    def test_every_effect_is_less_when_it_is_younger_and_whole_today(self) -> None:
        """By whichever law it declares: its strength, or its own years."""
        for kind, effect in EFFECTS.items():
            with self.subTest(kind):
                own = Layer(id=kind, name=kind, effect=effect(), since=2.0, strength=0.8)
                young, today = at_year(own, 7.0, 12.0), at_year(own, 12.0, 12.0)
                self.assertEqual(today, own)
                self.assertFalse(at_year(own, 1.0, 12.0).on)
                if effect.law == "at once":
                    self.assertEqual(young, own)
                elif effect.law == "years":
                    self.assertAlmostEqual(young.effect.years, own.effect.years / 2)  # type: ignore[attr-defined]
                    self.assertEqual(young.strength, 0.8)
                else:
                    self.assertTrue(0.1 < young.strength < 0.7, young.strength)

    def test_a_layer_begins_grows_and_may_be_held(self) -> None:
        dust = layer("dust", Dust(), since=4.0, strength=0.8)
        self.assertFalse(at_year(dust, 3.9, 10.0).on)
        self.assertAlmostEqual(at_year(dust, 7.0, 10.0).strength, 0.4)
        self.assertIs(at_year(dust, 10.0, 10.0), dust)
        self.assertIs(at_year(dust.model_copy(update={"fixed": True}), 7.0, 10.0).fixed, True)
        self.assertEqual(at_year(dust.model_copy(update={"fixed": True}), 7.0, 10.0).strength, 0.8)
        self.assertEqual(at_year(layer("paint", Paint()), 0.0, 10.0).strength, 1.0)

    def test_rust_grows_by_its_standard(self) -> None:
        # ISO 9224: D = r t^b. At a quarter of its years rust is 0.25^b as deep.
        bench = bench_for(shapes.plane(0.2), 64)
        rust = layer("rust", Rust(years=12.0, flecks=0.0), EVEN)
        films = []
        for year in (None, 3.0):
            made = scene(rust, setting=Setting(years=12.0), year=year)
            films.append(float(oxide_of(bench.play(made)[-1].pile).thickness.mean()))
        self.assertAlmostEqual(films[1] / films[0], 0.25**EXPONENT, delta=0.01)

    def test_the_story_plays_from_bare_to_today(self) -> None:
        made = gate_hoist_scene()
        counts = [
            sum(one.on for one in aged(made.model_copy(update={"year": year})).layers) for year in (0.0, 1.0, 5.0, 10.0)
        ]
        self.assertEqual(counts, sorted(counts))
        self.assertEqual(counts[-1], len(made.layers))
        self.assertLess(counts[0], counts[-1])
        self.assertIs(aged(made), made)

    def test_a_year_of_the_document_is_kept(self) -> None:
        document = scene(layer("dust", Dust()), year=3.5).model_dump(mode="json")
        self.assertEqual(scene_from(document).year, 3.5)
        for wrong in (-1, 1000, "now"):
            with self.assertRaises(InputError):
                scene_from({**document, "year": wrong})


class Treatments(TestCase):
    def test_the_shelf(self) -> None:
        self.assertGreaterEqual(len(shipped()), 12)
        self.assertEqual(len({t.name for t in shipped().values()}), len(shipped()))
        for key, found in shipped().items():
            self.assertTrue(found.about, key)
            self.assertEqual(treatment_from(found.model_dump_json().encode(), key), found)
            # Each on an object that it was not made for, small and large.
            for size in (0.05, 20.0):
                made = treated(gate_hoist_scene(), found, ObjectSize(size))
                self.assertEqual(len(made.layers), len(found.layers))
                self.assertEqual(made.notes, [])
        self.assertEqual(shipped()["river-iron"].families, ["ferrous"])
        self.assertIn("rays", shipped()["river-iron"].needs)
        kinds = {layer.effect.kind for found in shipped().values() for layer in found.layers}
        self.assertGreaterEqual(len(kinds), 14)

    def test_lengths_follow_the_object_and_nothing_else_does(self) -> None:
        found = Treatment(
            name="x",
            size_m=1.0,
            layers=[
                Layer(
                    id="chips",
                    name="c",
                    effect=Chipping(size_mm=6.0, rim_um=40.0, coverage=0.1),
                    where=Chipping.default_where(),
                )
            ],
        )
        here = treated(scene(), found, ObjectSize(4.0)).scene.layers[-1]
        self.assertAlmostEqual(here.effect.size_mm, 6.0 * 4**0.6, delta=0.05)  # type: ignore[attr-defined]
        self.assertEqual((here.effect.rim_um, here.effect.coverage), (40.0, 0.1))  # type: ignore[attr-defined]
        self.assertAlmostEqual(here.where.terms[0].source.radius_mm, 4.0 * 4**0.5, delta=0.05)  # type: ignore[attr-defined]
        # There and back again it is what it was.
        kept, _ = treatment_of(scene(here), [here.id], ObjectSize(4.0), "y")
        back = treated(scene(), kept, ObjectSize(1.0)).scene.layers[-1]
        self.assertAlmostEqual(back.effect.size_mm, 6.0, delta=0.05)  # type: ignore[attr-defined]

    def test_what_belongs_to_one_object_stays_there(self) -> None:
        where = Recipe(terms=[term(Parts(names=["handle"])), term(Noise())])
        other = Recipe(terms=[Term(source=Exposed(what="paint")), term(Noise())])
        made = scene(layer("paint", Paint()), layer("dirt", Dirt(), where), layer("dust", Dust(), other))
        found, notes = treatment_of(made, ["dirt", "dust"], ObjectSize(1.0), "two")
        self.assertEqual([len(one.where.terms) for one in found.layers], [1, 1])
        self.assertEqual(len(notes), 2)
        # Lines among the saved layers go with them, under their new names.
        both, notes = treatment_of(made, ["paint", "dust"], ObjectSize(1.0), "two")
        self.assertEqual(notes, [])
        again = treated(made, both, ObjectSize(1.0)).scene
        self.assertEqual(again.layers[-1].where.terms[0].source.what, "paint-2")  # type: ignore[attr-defined]

    def test_an_episode_goes_with_its_layers(self) -> None:
        found, _ = treatment_of(story(strength=0.5), ["dirt", "dust"], ObjectSize(1.0), "Use")
        made = treated(story(), found, ObjectSize(1.0)).scene
        self.assertEqual([e.id for e in made.episodes], ["use", "use-2"])
        self.assertEqual({one.episode for one in made.layers[-2:]}, {"use-2"})
        self.assertEqual(made.episodes[-1].strength, 0.5)

    def test_bad_files(self) -> None:
        good = json.loads(shipped()["river-iron"].model_dump_json())
        for change, word in (
            (b"{", "not JSON"),
            (b"[]", "no treatment"),
            (b'{"treatment": 2}', "version 1"),
            (json.dumps({**good, "layers": []}).encode(), "layers"),
            (json.dumps({**good, "extra": 1}).encode(), "not a known field"),
            (json.dumps({**good, "size_m": 0}).encode(), "size_m"),
            (json.dumps({**good, "layers": [good["layers"][0]] * 2}).encode(), "two layers have the id"),
            (
                json.dumps({**good, "layers": [{**good["layers"][0], "effect": {"kind": "magic"}}]}).encode(),
                "not a known effect",
            ),
            (json.dumps({**good, "episodes": []}).encode(), "there is no episode"),
            (b"[" * 100_000, "JSON"),
            (b" " * (5 << 20), "4 MB"),
        ):
            with self.assertRaises(InputError) as caught:
                treatment_from(change, "t.json")
            self.assertIn(word, caught.exception.line)
            self.assertNotIn("\n", caught.exception.line)
        with self.assertRaises(InputError):
            treatment_of(scene(), ["paint"], ObjectSize(1.0), "none")


class Glimpses(TestCase):
    def test_a_picture_of_each_effect_on_this_very_object(self) -> None:
        session = Session.on(shapes.box(0.3), scene(layer("paint", Paint())))
        with self.assertRaisesRegex(InputError, "not been measured"):
            glimpse(session, session.scene, (40, 30), 0)
        session.measure("draft", lambda share, word: None)
        document, ground = session.scene.model_dump(mode="json"), Ground(lambda: session.size)

        def tried(name: str, **arguments: Any) -> Glimpse:
            whole = changed(document, [command_of(name, arguments)], ground)
            return glimpse(session, whole, (60, 40), len(whole.layers) - 1)

        plain = glimpse(session, session.scene, (60, 40), 0)
        self.assertEqual(plain.picture.shape, (40, 60, 3))
        chipped = tried("add", effect="chipping")
        self.assertGreater(float(np.abs(chipped.picture.astype(int) - plain.picture).mean()), 0.05)
        self.assertGreater(chipped.coverage, 0.03)
        self.assertIn("No copper", tried("add", effect="patina").note)
        red = tried("paste", treatment="field-gate")
        self.assertGreater(float(red.picture[..., 0].mean()), float(plain.picture[..., 0].mean()))
