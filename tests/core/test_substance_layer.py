"""A layer of any substance, or of values alone."""

from __future__ import annotations

import json
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
from PIL import Image

from limus.bases.choice import BaseChoice, from_stock
from limus.bases.laid_material import LaidMaterial
from limus.bases.store_room import STOCK
from limus.commands.draft import Ground
from limus.commands.edit import command_of, edited
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.scene import scene_from
from limus.document.treatment import treated, treatment_of
from limus.effects.catalogue import EFFECTS
from limus.effects.chipping import Chipping
from limus.effects.cracks import CrackLayer
from limus.effects.fading import Fading
from limus.effects.paint import Paint
from limus.effects.rubbing import Rubbing
from limus.effects.substance import SubstanceLayer
from limus.masks.recipe import Recipe, term
from limus.masks.sources.gradient import Gradient
from limus.masks.sources.hollows import Hollows
from limus.materials.channel_range import ChannelRange
from limus.materials.channels import CHANNELS
from limus.playing.chronicle import Chronicle
from limus.targets.packing import drawn_files
from tests.core import shapes
from tests.core.fields import column, seen
from tests.core.test_effects import bench_for, layer, scene

#: From black at one end of the box to white at the other.
ALONG = Recipe(terms=[term(Gradient())])


def stock(name: str, **more: Any) -> LaidMaterial:
    return LaidMaterial.model_validate({"material": name, **more})


class OnABox(TestCase):
    bench: Chronicle

    @classmethod
    def setUpClass(cls) -> None:
        cls.bench = bench_for(shapes.box(0.2), 160)

    def played(self, effect: SubstanceLayer, where: Recipe = ALONG, **more: Any) -> Any:
        return self.bench.play(scene(layer("skin", effect, where, **more), bases=[from_stock("gold")]))[-1]


class Laid(OnABox):
    """A substance of the store room, or a map set."""

    def test_what_shows_of_it_is_its_mask(self) -> None:
        chapter = self.played(SubstanceLayer(substance=stock("cast iron")))
        mask = chapter.mask
        self.assertGreater(float(np.ptp(mask)), 0.9)
        np.testing.assert_allclose(chapter.pile.exposure_of("skin"), mask, atol=2e-3)
        np.testing.assert_allclose(chapter.pile.exposed("ferrous"), mask, atol=2e-3)

    def test_it_is_as_thick_as_it_is_to_be_where_it_is_whole(self) -> None:
        for um in (3.0, 200.0, 2500.0):
            effect = SubstanceLayer(substance=stock("wax"), thickness_um=um)
            chapter = self.played(effect, Recipe())
            np.testing.assert_allclose(chapter.pile.coat_thickness("skin"), um, rtol=1e-3)
            np.testing.assert_allclose(chapter.pile.exposure_of("skin"), 1.0, atol=2e-3)

    def test_thinner_than_it_takes_to_hide_it_lets_through(self) -> None:
        effect = SubstanceLayer(substance=stock("wax", flags={"hide_um": 100.0}), thickness_um=50.0)
        chapter = self.played(effect, Recipe())
        np.testing.assert_allclose(chapter.pile.exposure_of("skin"), 1 - np.exp(-0.5), atol=1e-4)

    def test_its_own_relief_comes_with_it_by_its_strength(self) -> None:
        def relief(strength: float) -> np.ndarray:
            laid = stock("brick in mortar", relief=strength)
            return np.asarray(self.played(SubstanceLayer(substance=laid, thickness_um=1.0), Recipe()).pile.relief())

        bare = self.bench.as_made(scene(bases=[from_stock("gold")])).relief()
        once, twice = relief(1.0) - bare, relief(2.0) - bare
        self.assertGreater(float(np.ptp(once)), 1.0)
        np.testing.assert_allclose(twice, 2 * once - 0.001, atol=2e-3)

    def test_oxide_in_hollows_of_gold_has_no_metalness(self) -> None:
        block = shapes.joined(shapes.box(0.2), shapes.box(0.1, (0.0, 0.15, 0.0)))
        bench = bench_for(block, 160)
        oxide = SubstanceLayer(
            substance=None, values={"metalness": {"white": 0.0}, "base_color": {"white": (0.03, 0.02, 0.01)}}
        )
        where = Recipe(terms=[term(Hollows(radius_mm=12.0), low=0.05, high=0.2)])
        chapter = bench.play(scene(layer("oxide", oxide, where), bases=[from_stock("gold")]))[-1]
        metal, mask = seen(chapter.pile, "metalness"), chapter.mask
        self.assertTrue((mask > 0.99).any() and (mask < 0.01).any())
        np.testing.assert_allclose(metal[mask > 0.999], 0.0, atol=1e-3)
        np.testing.assert_allclose(metal[mask < 0.001], 1.0, atol=1e-3)

    def test_every_base_of_the_store_room_can_be_laid_on(self) -> None:
        # One of each kind of material.
        for name in {entry.kind: name for name, entry in STOCK.items()}.values():
            with self.subTest(base=name):
                laid = stock(name)
                chapter = self.played(SubstanceLayer(substance=laid), Recipe())
                self.assertEqual(chapter.note, "")
                self.assertGreater(self.bench.texels.share(chapter.pile.exposed(laid.substance.family)), 0.99)

    def test_what_is_cut_out_of_its_pictures_is_no_hole_in_the_object(self) -> None:
        with TemporaryDirectory() as folder:
            rng = np.random.default_rng(4)
            holes = np.repeat(np.repeat(rng.random((8, 8)) > 0.5, 16, 0), 16, 1)
            leaf = np.full((128, 128, 3), (60, 120, 20), np.uint8)
            Image.fromarray(leaf).save(Path(folder) / "leaf_color.png")
            Image.fromarray((holes * 255).astype(np.uint8)).save(Path(folder) / "leaf_opacity.png")
            maps = [
                {"file": "leaf_color.png", "role": "base_color"},
                {"file": "leaf_opacity.png", "role": "opacity"},
            ]
            laid = LaidMaterial.model_validate(
                {"material": {"kind": "map_set", "maps": maps}, "placing": {"size_cm": 20.0, "scatter": "none"}}
            )
            bench = Chronicle(
                self.bench.texels, self.bench.measured, self.bench.cache, files=lambda n: Path(folder) / n
            )
            one = scene(layer("leaves", SubstanceLayer(substance=laid), Recipe()), bases=[from_stock("gold")])
            pile = bench.play(one)[-1].pile
            covers = pile.exposure_of("leaves")
            np.testing.assert_allclose(bench.texels.share(covers), holes.mean(), atol=0.06)
            self.assertGreater(float((covers > 0.99).mean()), 0.3)
            self.assertNotIn("opacity", pile.used)

    def test_a_map_set_that_is_gone_is_said_with_its_name(self) -> None:
        laid = LaidMaterial.model_validate(
            {"material": {"kind": "map_set", "maps": [{"file": "gone_color.png", "role": "base_color"}]}}
        )
        bench = Chronicle(
            self.bench.texels, self.bench.measured, self.bench.cache, files=lambda n: Path("/nowhere") / n
        )
        with self.assertRaisesRegex(InputError, "gone_color.png"):
            bench.play(scene(layer("leaves", SubstanceLayer(substance=laid), Recipe())))


class Values(OnABox):
    """Values of channels, each along the recipe."""

    def test_a_range_runs_along_the_recipe(self) -> None:
        color = ChannelRange(black=(0.1, 0.2, 0.3), white=(0.6, 0.1, 0.0))
        effect = SubstanceLayer(covers="all", values={"roughness": {"black": 0.2, "white": 0.6}, "base_color": color})
        chapter = self.played(effect)
        mask = chapter.mask
        np.testing.assert_allclose(seen(chapter.pile, "roughness"), 0.2 + 0.4 * mask, atol=1e-3)
        low, high = np.array(color.black), np.array(color.white)
        wanted = low + (high - low) * mask[:, None]
        np.testing.assert_allclose(seen(chapter.pile, "base_color"), wanted, atol=1e-3)

    def test_black_may_be_more_than_white(self) -> None:
        effect = SubstanceLayer(covers="all", values={"roughness": {"black": 0.9, "white": 0.3}})
        chapter = self.played(effect)
        np.testing.assert_allclose(seen(chapter.pile, "roughness"), 0.9 - 0.6 * chapter.mask, atol=1e-3)

    def test_values_alone_leave_everything_else_as_it_was(self) -> None:
        effect = SubstanceLayer(substance=None, values={"roughness": {"white": 0.05}})
        chapter = self.played(effect)
        bare = self.bench.as_made(scene(bases=[from_stock("gold")]))
        for name in ("base_color", "metalness"):
            np.testing.assert_array_equal(seen(chapter.pile, name), seen(bare, name), name)
        was = column(bare.base, "roughness", len(bare.skin))
        mask = chapter.mask
        np.testing.assert_allclose(seen(chapter.pile, "roughness"), was + (0.05 - was) * mask, atol=2e-3)
        np.testing.assert_array_equal(chapter.pile.relief(), bare.relief())
        self.assertEqual(self.bench.exposures(chapter.pile)[-1][0], "")
        self.assertEqual(chapter.speaks, ("roughness",))

    def test_every_channel_can_be_given_a_value(self) -> None:
        for name, channel in CHANNELS.items():
            ends = [channel.low + (channel.high - channel.low) * t for t in (0.25, 0.75)]
            low, high = (end if channel.width == 1 else (end, end, end) for end in ends)
            effect = SubstanceLayer(covers="all", values={name: ChannelRange(black=low, white=high)})
            chapter = self.played(effect)
            with self.subTest(channel=name):
                self.assertIn(channel.voice, chapter.speaks)
                got = seen(chapter.pile, name).reshape(len(chapter.mask), -1)[:, 0]
                np.testing.assert_allclose(got, ends[0] + (ends[1] - ends[0]) * chapter.mask, rtol=2e-3, atol=1e-3)

    def test_one_recipe_drives_relief_too(self) -> None:
        effect = SubstanceLayer(substance=None, values={}, raised_mm=2.0, raised_black_mm=-1.0)
        chapter = self.played(effect, strength=0.5)
        bare = self.bench.as_made(scene(bases=[from_stock("gold")])).relief()
        np.testing.assert_allclose(chapter.pile.relief() - bare, 0.5 * (-1.0 + 3.0 * chapter.mask), atol=1e-4)

    def test_it_levels_what_is_below(self) -> None:
        rough = [from_stock("brick in mortar")]
        bare = self.bench.as_made(scene(bases=rough)).relief()

        def unevenness(levels: float) -> float:
            effect = SubstanceLayer(thickness_um=1.0, levels=levels, levels_mm=30.0)
            pile = self.bench.play(scene(layer("cloth", effect, Recipe()), bases=rough))[-1].pile
            return float(pile.relief().std())

        self.assertAlmostEqual(unevenness(0.0), float(bare.std()), delta=0.02 * float(bare.std()))
        self.assertLess(unevenness(1.0), 0.6 * float(bare.std()))
        self.assertLess(unevenness(1.0), unevenness(0.5))

    def test_nothing_is_said_to_be_nothing(self) -> None:
        chapter = self.played(SubstanceLayer(substance=None))
        self.assertIn("made of nothing", chapter.note)
        self.assertEqual((chapter.coverage, chapter.speaks), (0.0, ()))


class Worn(TestCase):
    """Whatever it is made of, it goes like paint."""

    def test_it_is_chipped_rubbed_and_cracked(self) -> None:
        bench = bench_for(shapes.box(0.2), 256)
        for base in ("gold", "limestone"):
            skin = layer("skin", SubstanceLayer(substance=stock(base)), Recipe())
            # Metal does not crack.
            losses = [Chipping(coverage=0.2), Rubbing(coverage=0.2), *([CrackLayer()] if base != "gold" else [])]
            for loss in losses:
                story = scene(skin, layer("loss", loss, Recipe()), bases=[from_stock("oak")])
                before, after = bench.play(story)
                with self.subTest(base=base, loss=loss.kind):
                    self.assertEqual(after.note, "")
                    gone = bench.texels.share(before.pile.exposure_of("skin") - after.pile.exposure_of("skin"))
                    wanted = (0.15, 0.25) if loss.kind != "cracks" else (0.001, 0.3)
                    self.assertGreater(gone, wanted[0])
                    self.assertLess(gone, wanted[1])

    def test_a_treatment_of_it_needs_no_paint(self) -> None:
        story = scene(layer("skin", SubstanceLayer(), Recipe()), layer("chips", Chipping()))
        found, notes = treatment_of(story, ["skin", "chips"], ObjectSize(1.0), "Gilding worn")
        self.assertEqual((found.families, notes), ([], []))

    def test_texture_files_stay_with_their_project(self) -> None:
        laid = LaidMaterial.model_validate(
            {"material": {"kind": "map_set", "maps": [{"file": "a_color.png", "role": "base_color"}]}}
        )
        story = scene(layer("leaves", SubstanceLayer(substance=laid), Recipe()))
        found, notes = treatment_of(story, ["leaves"], ObjectSize(1.0), "Litter")
        self.assertEqual(len(notes), 1)
        self.assertIn("texture files", notes[0])
        self.assertNotIn("a_color.png", json.dumps(found.model_dump(mode="json")))
        self.assertEqual(treated(scene(), found, ObjectSize(2.0)).scene.layers[0].effect.files, ())

    def test_voices_of_other_layers(self) -> None:
        bench = bench_for(shapes.box(0.2), 96)
        story = scene(layer("paint", Paint(varnish=0.0), Recipe()), layer("fade", Fading(), Recipe()))
        paint, fade = bench.play(story)
        self.assertEqual(paint.speaks, ("base_color", "roughness", "relief"))
        self.assertIn("base_color", fade.speaks)
        self.assertNotIn("subsurface", fade.speaks)


class Refused(TestCase):
    """Bad input comes back with its place and what would do."""

    def of(self, **fields: Any) -> str:
        document = scene(layer("skin", SubstanceLayer())).model_dump(mode="json")
        document["layers"][0]["effect"] |= fields
        with self.assertRaises(InputError) as caught:
            scene_from(document)
        return str(caught.exception)

    def test_each_with_its_field(self) -> None:
        for fields, wanted in (
            ({"values": {"shine": {"white": 1}}}, "values.shine"),
            ({"values": {"roughness": {"white": 1.5}}}, r"values.roughness.white: 1.5 is outside"),
            ({"values": {"roughness": {"white": [1, 0, 0]}}}, "takes one number"),
            ({"values": {"base_color": {"white": 0.5}}}, "takes three numbers"),
            ({"values": {"base_color": {"white": [0.5, 0.5]}}}, "values.base_color.white"),
            ({"values": {"roughness": {"white": "matt"}}}, "values.roughness.white"),
            ({"values": {"roughness": {}}}, "values.roughness.white"),
            ({"values": {"roughness": {"white": 0.5, "grey": 1}}}, "values.roughness.grey"),
            ({"values": {"specular_ior": {"white": 0.5}}}, "Use 1 to 3"),
            ({"substance": {"material": "unobtainium"}}, "there is no base 'unobtainium'"),
            ({"substance": {"material": {"kind": "cheese"}}}, "material.kind"),
            ({"substance": "gold"}, "substance"),
            ({"thickness_um": 0}, "thickness_um"),
        ):
            with self.subTest(fields=fields):
                self.assertRegex(self.of(**fields), wanted)
                self.assertIn("layers[0].effect", self.of(**fields))

    def test_a_name_of_the_store_room_is_enough(self) -> None:
        document = scene(layer("skin", SubstanceLayer())).model_dump(mode="json")
        document["layers"][0]["effect"]["substance"] = {"material": "gold"}
        read = scene_from(document).layers[0].effect
        assert isinstance(read, SubstanceLayer) and read.substance is not None
        self.assertEqual(read.substance.title, "Gold")


class Files(TestCase):
    def test_every_map_of_a_set_is_a_file_of_the_scene(self) -> None:
        # Or a delivery would leave all but one of them behind.
        maps = [
            {"file": "pictures/a.png", "role": "base_color"},
            {"file": "pictures/b.png", "role": "opacity"},
            {"file": "pictures/c.png", "role": "left out"},
        ]
        laid = {"material": {"kind": "map_set", "maps": maps}}
        story = scene(
            layer("leaves", SubstanceLayer(substance=LaidMaterial.model_validate(laid))),
            bases=[BaseChoice.model_validate({"material": {"kind": "map_set", "maps": maps[:2]}})],
        )
        self.assertEqual(
            {path: name for path, name in story.files.items() if path.startswith(("layers", "bases"))},
            {
                "layers[0].effect.substance.material.maps[0].file": "pictures/a.png",
                "layers[0].effect.substance.material.maps[1].file": "pictures/b.png",
                "bases[0].material.maps[0].file": "pictures/a.png",
                "bases[0].material.maps[1].file": "pictures/b.png",
            },
        )
        self.assertLessEqual({"pictures/a.png", "pictures/b.png"}, drawn_files(story, Path))


class Added(TestCase):
    def test_every_kind_can_be_the_id_of_a_layer(self) -> None:
        for kind in EFFECTS:
            self.assertEqual(layer(kind, EFFECTS[kind]()).id, kind)

    def test_its_id_is_one_that_documents_accept(self) -> None:
        ground = Ground(lambda: ObjectSize(0.5))
        document = scene().model_dump(mode="json")
        document = edited(document, command_of("add", {"effect": "substance"}), ground).document
        document = edited(document, command_of("duplicate", {"layer": "substance"}), ground).document
        self.assertEqual([one["id"] for one in document["layers"]], ["substance", "substance-2"])
