"""Edits as commands: what each leaves, and what it refuses."""

from __future__ import annotations

import contextlib
import copy
import io
import json
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from limus.cli.main import main
from limus.commands.address import MOST_STEPS, resolved, steps_of, written
from limus.commands.again import still_meant
from limus.commands.draft import Ground, fresh_id, numbered_id
from limus.commands.edit import COMMANDS, Edited, changed, command_of, edited
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.difference import applied, difference
from limus.document.scene import Scene, scene_from
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import SOURCES, Term
from limus.masks.sources.proximity import ProximitySource
from limus.readings.catalogue import READINGS

KINDS = ("paint", "chipping", "rust", "dust", "wetness")


def document(**more: Any) -> dict[str, Any]:
    """Five layers, oldest first, each called like its effect; the second and third under one bracket."""
    layers = [{"id": k, "name": k.title(), "effect": {"kind": k}} for k in KINDS]
    for layer in layers[1:3]:
        layer["episode"] = "winter"
    whole = {"object": {"file": "a.glb"}, "layers": layers, "episodes": [{"id": "winter", "name": "A winter"}], **more}
    return Scene.model_validate(whole).model_dump(mode="json")


def looks_at(layer: str, kind: str = "mask") -> dict[str, Any]:
    """A recipe with a line that looks at a layer."""
    return {"terms": [{"source": {"kind": kind, "what" if kind == "exposed" else "layer": layer}}]}


class CommandTest(TestCase):
    ground = Ground(lambda: ObjectSize(0.5))

    def setUp(self) -> None:
        self.document = document()

    def do(self, name: str, /, **arguments: Any) -> Edited:
        """The command on ``self.document``, which is what it leaves from then on."""
        before = copy.deepcopy(self.document)
        done = edited(self.document, command_of(name, arguments), self.ground)
        self.assertEqual(self.document, before, "the document given was written to")
        self.assertTrue(done.label)
        self.assertEqual(applied(before, difference(before, done.document)[0]), done.document)
        self.document = done.document
        return done

    def refused(self, name: str, /, **arguments: Any) -> InputError:
        before = copy.deepcopy(self.document)
        with self.assertRaises(InputError) as caught:
            edited(self.document, command_of(name, arguments), self.ground)
        self.assertTrue(caught.exception.remedy, caught.exception.line)
        self.assertEqual(self.document, before)
        return caught.exception

    def ids(self) -> list[str]:
        return [layer["id"] for layer in self.document["layers"]]

    def layer(self, name: str) -> dict[str, Any]:
        return next(layer for layer in self.document["layers"] if layer["id"] == name)

    def episodes(self) -> dict[str, str]:
        """Layer -> its episode, of those that are in one."""
        return {layer["id"]: layer["episode"] for layer in self.document["layers"] if layer["episode"]}


class Layers(CommandTest):
    def test_a_layer_is_added_as_old_as_the_place_and_as_large_as_suits(self) -> None:
        self.document["setting"]["years"] = 33.0
        done = self.do("add", effect="rust", after="paint")
        self.assertEqual(self.ids(), ["paint", "rust-2", "chipping", "rust", "dust", "wetness"])
        self.assertEqual((done.made, done.label), ({"layer": "rust-2"}, "Add rust"))
        made = self.layer("rust-2")
        self.assertEqual((made["name"], made["effect"]["years"]), ("Rust 2", 33.0))
        fitted = EFFECTS["rust"].fitted(ObjectSize(0.5))
        lengths = [n for n in type(fitted).model_fields if n.endswith("_mm")]
        self.assertEqual([made["effect"][n] for n in lengths], [getattr(fitted, n) for n in lengths])
        self.assertNotEqual(
            [made["effect"][n] for n in lengths],
            [getattr(EFFECTS["rust"](), n) for n in lengths],
            "sizes are those of one metre",
        )
        self.assertEqual(made["where"], EFFECTS["rust"].default_where(ObjectSize(0.5)).model_dump(mode="json"))

    def test_between_two_of_an_episode_a_new_layer_belongs_to_it(self) -> None:
        self.do("add", effect="dirt", after="chipping")
        self.assertEqual(self.episodes(), {"chipping": "winter", "dirt": "winter", "rust": "winter"})
        self.do("add", effect="moss", after="rust")
        self.assertNotIn("moss", self.episodes())

    def test_what_is_given_stands_instead_of_the_default(self) -> None:
        self.do("add", effect="dust", name="Fine dust", fields={"thickness_um": 7.5})
        self.assertEqual(
            (self.document["layers"][-1]["name"], self.document["layers"][-1]["effect"]["thickness_um"]),
            ("Fine dust", 7.5),
        )
        self.assertIn("thickness_um", self.refused("add", effect="dust", fields={"thickness_um": -1}).where)
        self.assertIn("layers[6].effect.nonsense", self.refused("add", effect="dust", fields={"nonsense": 1}).where)

    def test_ids_are_free_whatever_there_is(self) -> None:
        self.do("add", effect="rust")
        self.do("add", effect="rust")
        self.do("remove", layer="rust-2")
        self.assertEqual(self.do("add", effect="rust").made["layer"], "rust-2")
        self.assertEqual(fresh_id("rust-7", {"rust"}), "rust-2")
        self.assertLessEqual(len(fresh_id("x" * 60, {"x" * 34})), 40)
        self.assertEqual(numbered_id("line", {"line-1", "line-3", ""}), "line-2")

    def test_a_layer_that_is_looked_at_stays(self) -> None:
        for kind in ("mask", "coat"):
            with self.subTest(kind):
                self.document = document()
                self.document["layers"][4]["where"] = Scene.model_validate(
                    {
                        **document(),
                        "layers": [
                            *document()["layers"][:4],
                            {**document()["layers"][4], "where": looks_at("rust", kind)},
                        ],
                    }
                ).model_dump(mode="json")["layers"][4]["where"]
                found = self.refused("remove", layer="rust")
                self.assertIn("Wetness has a line", found.problem)

    def test_a_layer_that_an_episode_looks_at_stays(self) -> None:
        self.document["episodes"][0]["where"] = Scene.model_validate(
            {**document(), "episodes": [{**document()["episodes"][0], "where": looks_at("paint")}]}
        ).model_dump(mode="json")["episodes"][0]["where"]
        self.assertIn("A winter has a line", self.refused("remove", layer="paint").problem)
        self.do("remove", layer="dust")

    def test_removing_the_last_of_an_episode_takes_the_bracket_and_the_snapshots_follow(self) -> None:
        self.do("set", values={"layers[rust].on": False, "episodes[winter].on": False})
        self.do("keep-snapshot", name="Dry")
        for name in ("rust", "chipping"):
            self.do("remove", layer=name)
        self.assertEqual(self.document["episodes"], [])
        self.assertEqual(
            (self.document["snapshots"][0]["layers_off"], self.document["snapshots"][0]["episodes_off"]), ([], [])
        )

    def test_what_is_selected_after_a_removal(self) -> None:
        self.assertEqual(self.do("remove", layer="chipping").made, {"instead": "rust"})
        self.assertEqual(self.do("remove", layer="wetness").made, {"instead": "dust"})
        self.document["layers"] = self.document["layers"][:1]
        self.document["episodes"] = []
        self.assertEqual(self.do("remove", layer="paint").made, {})
        self.assertEqual(self.document["layers"], [])

    def test_moving(self) -> None:
        self.do("move", layer="wetness", to=0)
        self.assertEqual(self.ids(), ["wetness", "paint", "chipping", "rust", "dust"])
        self.do("move", layer="wetness", to=2)
        self.assertEqual(self.episodes(), {"chipping": "winter", "wetness": "winter", "rust": "winter"})
        self.do("move", layer="rust", to=0)
        self.assertEqual(self.episodes(), {"chipping": "winter", "wetness": "winter"}, "it left, and took nobody along")
        self.assertIn("The last is number 4", self.refused("move", layer="rust", to=5).remedy)

    def test_moving_beside_an_episode_leaves_it_as_it_is(self) -> None:
        # Between the last of it and one that is in none, and the other way round.
        self.do("move", layer="wetness", to=3)
        self.assertEqual((self.ids()[3], self.episodes()), ("wetness", {"chipping": "winter", "rust": "winter"}))
        self.do("move", layer="wetness", to=1)
        self.assertEqual((self.ids()[1], self.episodes()), ("wetness", {"chipping": "winter", "rust": "winter"}))
        # Within it, one stays in; at the very ends nobody stands on the other side.
        self.do("move", layer="rust", to=2)
        self.assertEqual(self.episodes(), {"chipping": "winter", "rust": "winter"})
        self.document = document()
        self.do("move", layer="chipping", to=0)
        self.assertEqual(self.episodes(), {"rust": "winter"})
        self.do("move", layer="rust", to=4)
        self.assertEqual((self.ids()[4], self.episodes()), ("rust", {}))

    def test_order(self) -> None:
        self.do("order", layers=["rust", "dust", "paint", "chipping", "wetness"])
        self.assertEqual(self.ids(), ["rust", "dust", "paint", "chipping", "wetness"])
        self.assertEqual(len(self.episodes()), 1, "of an episode that came apart one run stays")
        self.refused("order", layers=["rust", "dust"])
        self.refused("order", layers=["rust", "rust", "paint", "chipping", "wetness"])

    def test_duplicating(self) -> None:
        self.do("set", values={"layers[chipping].strength": 0.25})
        self.do("duplicate", layer="chipping")
        self.assertEqual(self.ids()[1:3], ["chipping", "chipping-2"])
        twin = self.layer("chipping-2")
        self.assertEqual((twin["name"], twin["strength"], twin["episode"]), ("Chipping copy", 0.25, "winter"))

    def test_renaming(self) -> None:
        self.do("rename", layer="dust", name="Soot")
        self.assertEqual((self.layer("dust")["name"], self.ids()[3]), ("Soot", "dust"))
        self.assertIn("name", self.refused("rename", layer="dust", name="").where)
        self.assertIn("name", self.refused("rename", layer="dust", name="two\nlines").where)

    def test_back_to_defaults_keeps_the_place(self) -> None:
        self.do("set", values={"layers[dust].effect.thickness_um": 3.0, "layers[dust].strength": 0.5})
        self.do("reset", layer="dust")
        self.assertEqual(self.layer("dust")["effect"], EFFECTS["dust"].fitted(ObjectSize(0.5)).model_dump(mode="json"))
        self.assertEqual(self.layer("dust")["strength"], 0.5)

    def test_names_that_are_none(self) -> None:
        for name, arguments in (
            ("remove", {"layer": "ghost"}), ("move", {"layer": "ghost", "to": 0}), ("duplicate", {"layer": "ghost"}),
            ("add", {"effect": "rust", "after": "ghost"}), ("rename", {"layer": "ghost", "name": "x"}), ("fold",
                {"episode": "ghost"}),
            ("go-to-snapshot", {"snapshot": "ghost"}), ("remove-snapshot", {"snapshot": "ghost"}), ("join",
                {"layer": "dust", "episode": "ghost"}),
            ("paste", {"treatment": "ghost"}), ("remove-neighbour", {"neighbour": "ghost"}), ("add",
                {"effect": "ghost"}),
            ("add-line", {"place": "layers[dust]", "source": "ghost"}), ("split", {"layer": "ghost"}), ("dissolve",
                {"episode": "ghost"}),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertIn("'ghost'", self.refused(name, **arguments).problem)


class Episodes(CommandTest):
    def test_gathering_takes_what_stands_together(self) -> None:
        done = self.do("gather", layers=["wetness", "dust"], name="Spring")
        self.assertEqual(done.made, {"episode": "episode-1"})
        self.assertEqual(self.episodes()["dust"], "episode-1")
        self.assertIn("next to each other", self.refused("gather", layers=["paint", "rust"]).problem)

    def test_joining_and_leaving(self) -> None:
        self.do("join", layer="dust", episode="winter")
        self.assertEqual(self.episodes()["dust"], "winter")
        # From the middle: behind the others, or it would be between two of them again.
        self.do("join", layer="rust")
        self.assertEqual(self.ids(), ["paint", "chipping", "dust", "rust", "wetness"])
        self.assertEqual(set(self.episodes()), {"chipping", "dust"})
        self.assertIn("next to", self.refused("join", layer="wetness", episode="winter").problem)

    def test_joining_from_both_sides_and_leaving_from_both_ends(self) -> None:
        self.do("join", layer="paint", episode="winter")
        self.assertEqual(set(self.episodes()), {"paint", "chipping", "rust"})
        # At an end nobody has to make room; the first layer of all has nobody before it.
        self.do("join", layer="paint")
        self.assertEqual((self.ids(), set(self.episodes())), (list(KINDS), {"chipping", "rust"}))
        self.do("join", layer="dust", episode="winter")
        self.do("join", layer="dust")
        self.assertEqual((self.ids(), set(self.episodes())), (list(KINDS), {"chipping", "rust"}))
        # Between two episodes it joins the one that is named, and one that is in none leaves nothing.
        self.do("gather", layers=["wetness"], name="Spring")
        self.do("join", layer="dust", episode="episode-1")
        self.assertEqual(self.episodes()["dust"], "episode-1")
        self.do("join", layer="dust")
        self.do("join", layer="dust")
        self.assertEqual((self.ids(), set(self.episodes())), (list(KINDS), {"chipping", "rust", "wetness"}))
        # A neighbour of another episode is none of its own: it stays where it stands.
        self.do("join", layer="rust")
        self.assertEqual((self.ids(), set(self.episodes())), (list(KINDS), {"chipping", "wetness"}))

    def test_the_names_of_parts_and_twins_are_no_longer_than_names_may_be(self) -> None:
        self.do("rename-episode", episode="winter", name="w" * 80)
        self.do("split", layer="rust")
        self.assertEqual(self.document["episodes"][1]["name"], "w" * 76 + ", 2")

    def test_splitting(self) -> None:
        self.do("set", values={"episodes[winter].strength": 0.5})
        done = self.do("split", layer="rust")
        self.assertEqual(self.episodes(), {"chipping": "winter", "rust": done.made["episode"]})
        self.assertEqual([e["strength"] for e in self.document["episodes"]], [0.5, 0.5])
        self.refused("split", layer="rust")
        self.refused("split", layer="paint")

    def test_folding_and_renaming(self) -> None:
        self.do("fold", episode="winter")
        self.assertTrue(self.document["episodes"][0]["folded"])
        self.do("fold", episode="winter", folded=False)
        self.assertFalse(self.document["episodes"][0]["folded"])
        self.do("rename-episode", episode="winter", name="Two winters")
        self.assertEqual(self.document["episodes"][0]["name"], "Two winters")

    def test_moving_past_a_layer_and_past_another_episode(self) -> None:
        self.do("gather", layers=["dust", "wetness"])
        self.do("move-episode", episode="winter", way="later")
        self.assertEqual(self.ids(), ["paint", "dust", "wetness", "chipping", "rust"])
        self.assertIn("latest", self.refused("move-episode", episode="winter", way="later").remedy)
        # Later past one layer that is in none, step by step.
        self.document = document()
        self.do("move-episode", episode="winter", way="later")
        self.assertEqual(self.ids(), ["paint", "dust", "chipping", "rust", "wetness"])
        self.do("move-episode", episode="winter", way="earlier")
        self.do("move-episode", episode="winter", way="earlier")
        self.assertEqual(self.ids(), ["chipping", "rust", "paint", "dust", "wetness"])
        self.document = document()
        self.do("gather", layers=["dust", "wetness"])
        self.do("move-episode", episode="winter", way="later")
        self.do("move-episode", episode="winter", way="earlier")
        self.do("move-episode", episode="winter", way="earlier")
        self.assertEqual(self.ids(), ["chipping", "rust", "paint", "dust", "wetness"])
        self.assertIn("earliest", self.refused("move-episode", episode="winter", way="earlier").remedy)

    def test_a_twin_looks_at_its_own_layers(self) -> None:
        base = document()
        base["layers"][2]["where"] = looks_at("chipping")
        base["episodes"][0]["where"] = looks_at("paint")
        self.document = Scene.model_validate(base).model_dump(mode="json")
        done = self.do("duplicate-episode", episode="winter")
        self.assertEqual(self.ids(), ["paint", "chipping", "rust", "chipping-2", "rust-2", "dust", "wetness"])
        self.assertEqual(self.layer("rust-2")["where"]["terms"][0]["source"]["layer"], "chipping-2")
        self.assertEqual(self.layer("rust")["where"]["terms"][0]["source"]["layer"], "chipping")
        twin = next(e for e in self.document["episodes"] if e["id"] == done.made["episode"])
        self.assertEqual((twin["name"], twin["where"]["terms"][0]["source"]["layer"]), ("A winter copy", "paint"))

    def test_dissolving_and_removing(self) -> None:
        self.do("dissolve", episode="winter")
        self.assertEqual((self.episodes(), self.document["episodes"], len(self.ids())), ({}, [], 5))
        self.document = document()
        self.do("remove-episode", episode="winter")
        self.assertEqual((self.ids(), self.document["episodes"]), (["paint", "dust", "wetness"], []))

    def test_removing_is_refused_while_somebody_looks_in(self) -> None:
        base = document()
        base["layers"][3]["where"] = looks_at("rust")
        base["layers"][2]["where"] = looks_at("chipping")
        self.document = Scene.model_validate(base).model_dump(mode="json")
        found = self.refused("remove-episode", episode="winter")
        self.assertIn("Dust has a line that looks at a layer of this episode", found.problem)


class Lines(CommandTest):
    def test_every_source_can_be_added_where_it_may_stand(self) -> None:
        for kind, source in SOURCES.items():
            with self.subTest(kind):
                self.document = document()
                before = len(self.layer("dust")["where"]["terms"])
                fields = {"layer": "paint"} if source.names_layer == "layer" else {}
                done = self.do("add-line", place="layers[dust]", source=kind, fields=fields)
                line = self.layer("dust")["where"]["terms"][-1]
                self.assertEqual((done.made["line"], line["source"]["kind"]), (before, kind))
                self.assertEqual((line["low"], line["high"]), source.suggest)
                self.assertEqual(line["combine"], "over" if source.over else "multiply")

    def test_a_reading_becomes_the_line_that_shows_it(self) -> None:
        """With the radius, reach or component that is looked at; the page knows no source by its name."""
        wanted = [
            ("curvature", {"size_mm": 12.5}, "edges", {"radius_mm": 12.5}),
            ("occlusion", {"size_mm": 73.0}, "sheltered", {"reach_mm": 73.0}),
            ("proximity", {"size_mm": 250.0}, "proximity", {"reach_cm": 25.0}),
            ("vertex_colour", {"component": "B"}, "vertex_colour", {"channel": "B"}),
            ("slope", {}, "slope", {}),
        ]
        for reading, looked, kind, fields in wanted:
            with self.subTest(reading):
                self.do("add-line", place="layers[dust]", reading=reading, **looked)
                source = self.layer("dust")["where"]["terms"][-1]["source"]
                self.assertEqual({k: source[k] for k in ("kind", *fields)}, {"kind": kind, **fields})
        # Every reading that can be looked through is shown by one source at most.
        shown = [source.reading for source in SOURCES.values() if source.reading]
        self.assertEqual(len(shown), len(set(shown)))
        self.assertLessEqual(set(shown), set(READINGS))
        refused = self.refused("add-line", place="layers[dust]", reading="island")
        self.assertIn("for looking only", refused.problem)
        refused = self.refused("add-line", place="layers[dust]", reading="curvature", size_mm=9e6)
        self.assertIn("size_mm", refused.where)

    def test_its_shaping_suits_the_object_as_its_controls_do(self) -> None:
        self.do("add-line", place="layers[dust]", source="noise")
        line = self.layer("dust")["where"]["terms"][-1]
        shown = ObjectSize(0.5).schema(Term)["properties"]
        for name, field in shown.items():
            if name not in ("source", "low", "high", "combine", "link"):
                self.assertEqual(line[name], field.get("default"), name)
        self.assertNotEqual(line["breakup_size_mm"], Term.model_fields["breakup_size_mm"].default)

    def test_two_noises_are_two(self) -> None:
        for _ in range(2):
            self.do("add-line", place="episodes[winter]", source="noise")
        self.assertEqual(self.do("add-line", place="episodes[winter]", source="noise").made["line"], 2)
        seeds = [term["source"]["seed"] for term in self.document["episodes"][0]["where"]["terms"]]
        self.assertEqual(seeds, [1, 2, 3])

    def test_removing_moving_and_duplicating(self) -> None:
        for kind in ("slope", "noise", "height"):
            self.do("add-line", place="episodes[winter]", source=kind)
        self.do("move-line", place="episodes[winter]", line=0, to=2)
        kinds = lambda: [t["source"]["kind"] for t in self.document["episodes"][0]["where"]["terms"]]  # noqa: E731
        self.assertEqual(kinds(), ["noise", "height", "slope"])
        self.assertEqual(self.do("duplicate-line", place="episodes[winter]", line=1).made, {"line": 2})
        self.assertEqual(self.do("remove-line", place="episodes[winter]", line=0).made, {"line": -1})
        self.assertEqual(kinds(), ["height", "height", "slope"])
        self.assertIn("It has 3", self.refused("remove-line", place="episodes[winter]", line=3).remedy)
        self.assertIn("number 2", self.refused("move-line", place="episodes[winter]", line=0, to=3).remedy)

    def test_linked_lines_say_the_same_wherever_they_stand(self) -> None:
        self.do("add-line", place="layers[dust]", source="noise")
        line = len(self.layer("dust")["where"]["terms"]) - 1
        self.do("copy-line", place="layers[dust]", line=line, to="episodes[winter]", link=True)
        self.do(
            "set",
            values={
                f"layers[dust].where.terms[{line}].source.size_mm": 77.0,
                f"layers[dust].where.terms[{line}].amount": 0.4,
            },
        )
        there = self.document["episodes"][0]["where"]["terms"][0]
        self.assertEqual((there["source"]["size_mm"], there["amount"], there["link"]), (77.0, 1.0, "line-1"))
        self.do("set", values={"episodes[winter].where.terms[0].gamma": 2.0})
        self.assertEqual(self.layer("dust")["where"]["terms"][line]["gamma"], 2.0)
        self.do("unlink", place="episodes[winter]", line=0)
        self.assertEqual(self.layer("dust")["where"]["terms"][line]["link"], "", "a link of one is none")

    def test_a_copy_without_a_link_is_its_own(self) -> None:
        self.do("add-line", place="layers[dust]", source="noise")
        self.do("copy-line", place="layers[dust]", line=0, to="layers[paint]")
        self.assertEqual({t["link"] for layer in self.document["layers"] for t in layer["where"]["terms"]}, {""})

    def test_a_base_gets_a_recipe_with_its_first_line(self) -> None:
        self.do("add-line", place="bases[0]", source="noise")
        self.assertEqual(len(self.document["bases"][0]["where"]["terms"]), 1)
        self.refused("add-line", place="bases[0]", source="mask", fields={"layer": "rust"})

    def test_places_that_lead_nowhere(self) -> None:
        for place in (
            "layers[ghost]",
            "layers",
            "setting",
            "bases[9]",
            "layers[dust].effect",
            "",
            "layers[",
            "x" * 190,
        ):
            with self.subTest(place):
                self.refused("add-line", place=place, source="noise")


class Snapshots(CommandTest):
    def test_keeping_going_and_removing(self) -> None:
        self.do("set", values={"layers[wetness].on": False, "year": 4.0})
        self.do("keep-snapshot", name="Dry")
        self.do("set", values={"layers[wetness].on": True, "year": None, "episodes[winter].on": False})
        self.do("keep-snapshot", name="Wet")
        self.assertEqual([s["id"] for s in self.document["snapshots"]], ["snapshot-1", "snapshot-2"])
        self.assertEqual(self.do("go-to-snapshot", snapshot="snapshot-1").label, "Snapshot Dry")
        self.assertEqual(
            (self.layer("wetness")["on"], self.document["episodes"][0]["on"], self.document["year"]), (False, True, 4.0)
        )
        self.do("set", values={"year": 6.0})
        self.do("keep-snapshot", name="Dry")
        self.assertEqual([s["year"] for s in self.document["snapshots"]], [6.0, None])
        self.do("remove-snapshot", snapshot="snapshot-1")
        self.assertEqual([s["name"] for s in self.document["snapshots"]], ["Wet"])


class Bases(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        self.do("put-base", material="slate")

    def parts(self) -> list[list[str] | None]:
        return [base["parts"] for base in self.document["bases"]]

    def test_another_material_keeps_the_parts_and_the_place(self) -> None:
        self.do("base-parts", parts=["Lid"])
        self.do("base-by-mask")
        where = self.document["bases"][0]["where"]
        self.do("put-base", material="oak")
        base = self.document["bases"][0]
        self.assertEqual((base["name"], base["parts"], base["where"]), ("Oak", ["Lid"], where))

    def test_a_base_to_be_painted_on_begins_with_nothing(self) -> None:
        done = self.do("add-base", base="bronze", over=True, painted=True)
        where = done.document["bases"][-1]["where"]
        self.assertEqual([t["source"]["kind"] for t in where["terms"]], ["strokes"])
        self.assertEqual(where["terms"][0]["source"]["strokes"], [])
        plain = self.do("add-base", base="bronze", over=True).document["bases"][-1]["where"]
        self.assertEqual([t["source"]["kind"] for t in plain["terms"]], ["noise"])

    def test_a_part_is_made_of_one_base(self) -> None:
        self.assertEqual(self.do("add-base", base="oak", parts=["Lid", "Rim"]).made, {"base": 1})
        self.assertEqual(self.do("add-base", base="brass", parts=["Rim"]).made, {"base": 2})
        self.assertEqual(self.parts(), [None, ["Lid"], ["Rim"]])
        self.do("base-parts", base=1, parts=["Lid", "Rim"])
        self.assertEqual(self.parts(), [None, ["Lid", "Rim"], []])
        # What lies over the others takes nothing from them.
        self.do("add-base", base="granite", over=True)
        self.do("base-parts", base=3, parts=["Lid"])
        self.assertEqual(self.parts(), [None, ["Lid", "Rim"], [], ["Lid"]])

    def test_several_at_once(self) -> None:
        self.do("lay-bases", bases=[{"base": "oak", "parts": []}, {"base": "brass", "parts": ["Hinge"]}])
        self.assertEqual([b["name"] for b in self.document["bases"]], ["Oak", "Brass"])
        self.assertEqual(self.parts(), [None, ["Hinge"]])

    def test_as_in_the_file(self) -> None:
        self.do("add-base", base="oak", parts=["Lid"])
        self.do("set", values={"object.own_maps": False, "bases[0].file_maps": True})
        self.do("as-in-file", base=1)
        self.assertTrue(self.document["object"]["own_maps"])
        self.assertEqual([b["file_maps"] for b in self.document["bases"]], [False, True])

    def test_removing_duplicating_and_moving(self) -> None:
        self.assertEqual(self.do("duplicate-base").made, {"base": 1})
        self.assertEqual(
            [(b["name"], b["parts"]) for b in self.document["bases"]], [("Slate", None), ("Slate copy", [])]
        )
        self.do("move-base", base=1, to=0)
        self.assertEqual([b["name"] for b in self.document["bases"]], ["Slate copy", "Slate"])
        self.assertIn("number 1", self.refused("move-base", base=0, to=2).remedy)
        self.do("duplicate-base")
        self.assertEqual(self.do("remove-base", base=2).made, {"base": 1})
        # The one that comes into its place is chosen, the last one where there is none.
        self.assertEqual(self.do("remove-base", base=1).made, {"base": 0})
        done = self.do("remove-base", base=0)
        self.assertEqual((done.made, done.notes), ({"base": 0}, ["Without a base the object is made of cast iron"]))
        self.assertIn("base", self.refused("remove-base", base=0).where)
        self.do("put-base", material="oak")
        self.assertEqual(len(self.document["bases"]), 1)

    def test_no_such_base(self) -> None:
        self.assertIn("there is no base 'unobtainium'", self.refused("put-base", material="unobtainium").problem)
        self.assertIn("3", self.refused("remove-base", base=3).problem)


class ByHand(CommandTest):
    def test_strokes_go_into_the_line_that_is_open_else_the_last_else_a_new_one(self) -> None:
        before = len(self.layer("dust")["where"]["terms"])
        self.assertEqual(self.do("paint", place="layers[dust]", strokes=["strokes/a.json"]).made, {"line": before})
        line = self.document["layers"][3]["where"]["terms"][-1]
        self.assertEqual((line["source"]["strokes"], line["combine"]), (["strokes/a.json"], "over"))
        self.do("add-line", place="layers[dust]", source="strokes")
        last = len(self.layer("dust")["where"]["terms"]) - 1
        self.assertEqual(self.do("paint", place="layers[dust]", strokes=["strokes/b.json"]).made, {"line": last})
        self.assertEqual(
            self.do("paint", place="layers[dust]", line=last - 1, strokes=["strokes/c.json"]).made, {"line": last - 1}
        )
        self.assertEqual(
            self.layer("dust")["where"]["terms"][last - 1]["source"]["strokes"], ["strokes/a.json", "strokes/c.json"]
        )

    def test_taking_away_from_everywhere_begins_with_everywhere(self) -> None:
        self.document["layers"][3]["where"]["terms"] = []
        self.assertEqual(
            self.do("paint", place="layers[dust]", strokes=["strokes/a.json"], takes=True).label, "Paint away"
        )
        self.assertEqual([t["source"]["kind"] for t in self.layer("dust")["where"]["terms"]], ["even", "strokes"])

    def test_nothing_more_is_laid_where_something_stands(self) -> None:
        self.do("add-line", place="layers[dust]", source="slope")
        before = ["slope"]
        self.do("paint", place="layers[dust]", strokes=["strokes/a.json"], takes=True)
        self.assertEqual([t["source"]["kind"] for t in self.layer("dust")["where"]["terms"]], [*before, "strokes"])
        # Nor where something is added to an empty recipe.
        self.document["layers"][3]["where"]["terms"] = []
        self.do("paint", place="layers[dust]", strokes=["strokes/a.json"])
        self.assertEqual([t["source"]["kind"] for t in self.layer("dust")["where"]["terms"]], ["strokes"])

    def test_filling(self) -> None:
        pick = {"what": "part", "at": [0, 0, 0], "facing": [0, 1, 0], "up_to_deg": 30, "take": False, "scale": 1.0}
        self.assertEqual(self.do("fill", place="layers[dust]", pick=pick).label, "Fill")
        self.assertEqual(self.do("fill", place="layers[dust]", pick={**pick, "take": True}).label, "Empty")
        self.assertEqual(
            [p["take"] for p in self.layer("dust")["where"]["terms"][-1]["source"]["picks"]], [False, True]
        )

    def test_a_line_on_the_surface(self) -> None:
        self.do("add-line", place="layers[dust]", source="proximity", fields={"to": "line"})
        k = len(self.layer("dust")["where"]["terms"]) - 1
        self.do("draw-line", place="layers[dust]", line=k, strokes=["strokes/a.json"])
        self.assertEqual(self.layer("dust")["where"]["terms"][k]["source"]["line"], ["strokes/a.json"])
        self.do("add-line", place="layers[dust]", source="noise")
        self.refused("draw-line", place="layers[dust]", line=k + 1, strokes=["strokes/a.json"])

    def test_vertex_colours(self) -> None:
        self.assertEqual(
            self.do("paint-colours", channel="G", strokes=["strokes/a.json"]).label, "Paint vertex colour G"
        )
        self.assertEqual(self.document["vertex_paint"], [{"file": "strokes/a.json", "channel": "G"}])
        self.refused("paint-colours", channel="G", strokes=[])

    def test_neighbours(self) -> None:
        self.do("add-neighbour", file="post.glb", name="Post", position_mm=[900, 0, 0])
        self.assertEqual(self.do("add-neighbour", file="wall.glb", name="Wall").made, {"neighbour": "neighbour-2"})
        self.do("remove-neighbour", neighbour="neighbour-1")
        self.assertEqual([n["name"] for n in self.document["object"]["neighbours"]], ["Wall"])


class Treatments(CommandTest):
    def test_pasting_selects_its_last_layer(self) -> None:
        done = self.do("paste", treatment="river-iron")
        self.assertEqual((done.label, done.made["layer"]), ("Treatment: Ten years by the river", self.ids()[-1]))
        self.assertEqual(len(self.ids()), 10)
        self.assertEqual(len({*self.ids()}), 10)


class Files(CommandTest):
    def test_a_file_gives_way_wherever_it_is_named(self) -> None:
        maps = [{"file": "old.png", "role": "base_color"}, {"file": "keep.png", "role": "height"}]
        line = {"source": {"kind": "picture", "file": "old.png"}}
        self.document = document(
            object={"file": "old.png"},
            bases=[{"material": {"kind": "map_set", "maps": maps}, "where": {"terms": [line]}}],
        )
        self.document["layers"][0]["name"] = "old.png"
        done = self.do("replace-file", was="old.png", now="new.png").document
        base = done["bases"][0]
        self.assertEqual([entry["file"] for entry in base["material"]["maps"]], ["new.png", "keep.png"])
        self.assertEqual(base["where"]["terms"][0]["source"]["file"], "new.png")
        # The object is replaced in another way, and a name of a layer is no file.
        self.assertEqual((done["object"]["file"], done["layers"][0]["name"]), ("old.png", "old.png"))
        with self.assertRaises(InputError) as caught:
            self.do("replace-file", was="gone.png", now="new.png")
        self.assertEqual(caught.exception.where, "was")


class Values(CommandTest):
    def test_several_at_once_with_a_label(self) -> None:
        done = self.do("set", values={"layers[rust].effect.years": 20.0, "setting.latitude": 40.0}, label="Rust: years")
        self.assertEqual(
            (done.label, self.layer("rust")["effect"]["years"], self.document["setting"]["latitude"]),
            ("Rust: years", 20.0, 40.0),
        )

    def test_entries_of_tables_come_and_go(self) -> None:
        use = {"on": False, "amount": 1.0, "blend": "normal"}
        self.do("set", values={"layers[rust].channels.roughness": use})
        self.assertEqual(self.layer("rust")["channels"], {"roughness": use})
        self.do("set", drop=["layers[rust].channels.roughness"])
        self.assertEqual(self.layer("rust")["channels"], {})
        self.assertIn("is no entry of a table", self.refused("set", drop=["layers[rust]"]).problem)

    def test_bad_addresses_and_values(self) -> None:
        for values, where in (
            ({"layers[ghost].name": "x"}, "layers[ghost].name"), ({"layers[rust].effect.yearz": 1}, "yearz"),
            ({"layers[rust].effect.years": "many"}, "layers[2].effect.years"), ({"layers[rust].effect.years": True},
                "layers[2].effect.years"),
            ({"layers[rust].effect.years": 1e9}, "layers[2].effect.years"), ({"layers[rust]..name": "x"},
                "layers[rust]..name"),
            ({"": 1}, "path"), ({"layers[99].name": "x"}, "layers[99].name"), ({"layers": 5}, ""),
            ({"layers[rust]": None}, ""),
            ({"nothing": 1}, "nothing"), ({"__class__": 1}, "__class__"), ({"layers[rust].id": "dust"}, "id"),
            ({"layers[rust].where": 3}, "where"),
            ({"episodes": "x"}, "episodes"), ({"snapshots": {"a": 1}}, "snapshots"), ({"layers[²].name": "x"},
                "layers"),
            ({"layers[rust].where.terms": [3]}, "terms"),
        ):  # fmt: skip
            with self.subTest(str(values)):
                self.assertIn(where, self.refused("set", values=values).line)
        self.refused("set")
        self.refused("set", values={"layers[rust].name": "half \ud800"})

    def test_a_looser_reference_is_refused_with_its_path(self) -> None:
        self.do("add-line", place="layers[wetness]", source="mask", fields={"layer": "rust"})
        k = len(self.layer("wetness")["where"]["terms"]) - 1
        found = self.refused("set", values={f"layers[wetness].where.terms[{k}].source.layer": "ghost"})
        self.assertIn(f"layers[4].where.terms[{k}].source.layer", found.where)

    def test_what_is_asked_about_is_what_would_be_saved(self) -> None:
        names = [
            command_of("set", {"values": {"layers[rust].effect.years": 20.0}}),
            command_of("remove", {"layer": "dust"}),
        ]
        looked = changed(self.document, names, self.ground)
        for command in names:
            self.document = edited(self.document, command, self.ground).document
        self.assertEqual(looked.model_dump(mode="json"), self.document)


class Findings(CommandTest):
    def test_accepted_and_shown_again(self) -> None:
        for key in ("b:dark", "a:bright", "c:smooth"):
            self.do("accept-finding", key=key)
        self.assertEqual(self.document["accepted"], ["b:dark", "a:bright", "c:smooth"])
        self.assertIn("accepted already", self.refused("accept-finding", key="a:bright").problem)
        # Whichever of them is shown again, the others stay accepted.
        self.do("accept-finding", key="b:" + "dark", accept=False)
        self.assertEqual(self.document["accepted"], ["a:bright", "c:smooth"])
        self.assertIn("not accepted", self.refused("accept-finding", key="b:dark", accept=False).problem)
        # Documents from before there were findings have none.
        del self.document["accepted"]
        self.do("accept-finding", key="b:dark")
        self.assertEqual(self.document["accepted"], ["b:dark"])


class Addresses(TestCase):
    def test_taken_apart_and_written(self) -> None:
        for address, steps in (
            ("layers[rust].where.terms[1].low", ["layers", "rust", "where", "terms", 1, "low"]),
            ("bases[0].levels.base_color", ["bases", 0, "levels", "base_color"]), ("seed", ["seed"]),
            ("layers[rust-2].name", ["layers", "rust-2", "name"]),
        ):  # fmt: skip
            self.assertEqual(steps_of(address), steps)
            self.assertEqual(written(steps_of(address)), address)

    def test_ids_are_found_wherever_they_stand(self) -> None:
        whole = document()
        self.assertEqual(resolved(whole, "layers[dust].name"), ["layers", 3, "name"])
        whole["layers"].reverse()
        self.assertEqual(resolved(whole, "layers[dust].name"), ["layers", 1, "name"])
        self.assertEqual(resolved(whole, "layers[dust].channels.relief", new=True), ["layers", 1, "channels", "relief"])

    @given(st.text(max_size=40))
    def test_any_text_is_an_address_or_refused(self, text: str) -> None:
        try:
            steps = steps_of(text)
        except InputError as error:
            self.assertTrue(error.remedy)
        else:
            self.assertTrue(0 < len(steps) <= MOST_STEPS)

    def test_the_deepest_address(self) -> None:
        self.assertEqual(len(steps_of(".".join(["a"] * MOST_STEPS))), MOST_STEPS)
        with self.assertRaises(InputError):
            steps_of(".".join(["a"] * (MOST_STEPS + 1)))


class Again(CommandTest):
    """A command made on an older document, to be made on a newer one."""

    def meant(self, name: str, now: dict[str, Any], **arguments: Any) -> bool:
        try:
            still_meant(command_of(name, arguments), self.document, now)
        except InputError as error:
            self.assertIn("in another way", error.problem)
            return False
        return True

    def test_what_has_an_id_is_found(self) -> None:
        now = copy.deepcopy(self.document)
        now["layers"].reverse()
        self.assertTrue(self.meant("set", now, values={"layers[dust].name": "x"}))
        self.assertTrue(self.meant("remove", now, layer="dust"))

    def test_what_is_counted_must_stand_among_the_same(self) -> None:
        self.do("add-line", place="layers[dust]", source="noise")
        now = copy.deepcopy(self.document)
        now["layers"][3]["where"]["terms"].insert(0, copy.deepcopy(now["layers"][3]["where"]["terms"][-1]))
        self.assertFalse(self.meant("set", now, values={"layers[dust].where.terms[0].low": 0.1}))
        self.assertFalse(self.meant("remove-line", now, place="layers[dust]", line=0))
        self.assertTrue(self.meant("add-line", now, place="layers[dust]", source="slope"))
        now = copy.deepcopy(self.document)
        now["layers"][3]["where"]["terms"][0]["low"] = 0.3
        self.assertTrue(self.meant("set", now, values={"layers[dust].where.terms[0].low": 0.1}))

    def test_bases_are_counted(self) -> None:
        now = edited(self.document, command_of("add-base", {"base": "oak", "parts": ["Lid"]}), self.ground).document
        self.assertFalse(self.meant("remove-base", now, base=0))
        self.assertFalse(self.meant("add-line", now, place="bases[0]", source="noise"))
        self.assertTrue(self.meant("add-base", now, base="slate"))


class AnyOrder(CommandTest):
    """Whatever is done one after the other leaves a scene, or is refused and leaves everything as it was."""

    @settings(max_examples=30, deadline=None)
    @given(st.data())
    def test_a_scene_stays_a_scene(self, data: st.DataObject) -> None:
        whole = document()
        for _ in range(8):
            ids = [layer["id"] for layer in whole["layers"]] or ["none"]
            episodes = [e["id"] for e in whole["episodes"]] or ["none"]
            pick = lambda among: data.draw(st.sampled_from(among))  # noqa: E731
            name, arguments = pick(
                [
                    ("add", {"effect": pick(list(EFFECTS)), "after": pick(["", *ids])}), ("remove",
                        {"layer": pick(ids)}),
                    ("move", {"layer": pick(ids), "to": pick(range(6))}), ("duplicate", {"layer": pick(ids)}),
                    ("gather", {"layers": [pick(ids)]}), ("join", {"layer": pick(ids), "episode": pick(["",
                        *episodes])}),
                    ("split", {"layer": pick(ids)}), ("duplicate-episode", {"episode": pick(episodes)}),
                    ("move-episode", {"episode": pick(episodes), "way": pick(["earlier", "later"])}), ("dissolve",
                        {"episode": pick(episodes)}),
                    ("add-line", {"place": f"layers[{pick(ids)}]", "source": "mask", "fields": {"layer": pick(ids)}}),
                    ("copy-line", {"place": f"layers[{pick(ids)}]", "line": 0, "to": f"episodes[{pick(episodes)}]",
                        "link": True}),
                    ("keep-snapshot", {"name": pick(["a", "b"])}), ("set",
                        {"values": {f"layers[{pick(ids)}].on": pick([True, False])}}),
                ]
            )  # fmt: skip
            try:
                done = edited(whole, command_of(name, arguments), self.ground)
            except InputError as error:
                self.assertTrue(error.remedy, error.line)
                continue
            self.assertEqual(scene_from(done.document).model_dump(mode="json"), done.document)
            runs = [
                e
                for k, e in enumerate(layer["episode"] for layer in done.document["layers"])
                if e and (k == 0 or done.document["layers"][k - 1]["episode"] != e)
            ]
            self.assertEqual(len(runs), len(set(runs)), "an episode stands in two places")
            whole = done.document


class OfArguments(CommandTest):
    def test_a_name_that_is_none_and_arguments_of_a_wrong_type(self) -> None:
        self.assertIn("there is no command 'explode'", self.refused("explode").problem)
        with self.assertRaises(InputError) as caught:
            command_of("add", ["rust"])
        self.assertIn("arguments", caught.exception.where)
        for name, arguments, where in (
            ("add", {}, "arguments: effect"), ("add", {"effect": 5}, "arguments: effect"), ("move", {"layer": "rust",
                "to": -1}, "arguments: to"),
            ("move", {"layer": "rust", "to": True}, "arguments: to"), ("add", {"effect": "rust", "more": 1},
                "arguments: more"),
            ("move-episode", {"episode": "winter", "way": "up"}, "arguments: way"), ("gather", {"layers": "rust"},
                "arguments: layers"),
        ):  # fmt: skip
            with self.subTest(str(arguments)):
                self.assertEqual(self.refused(name, **arguments).where, where)

    def test_every_command_says_what_it_is(self) -> None:
        self.assertGreater(len(COMMANDS), 35)
        for name, command in COMMANDS.items():
            self.assertTrue(command.title, name)
            self.assertLessEqual(set(command.words), set(command.model_fields), name)


class OnTheCommandLine(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "scene.json"
        self.path.write_text(json.dumps(document()))

    def run_(self, *words: str) -> int:
        self.out, self.err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(self.out), contextlib.redirect_stderr(self.err):
            return main(["edit", str(self.path), *words])

    def scene(self) -> dict[str, Any]:
        return json.loads(self.path.read_text())

    def test_edits_in_place(self) -> None:
        self.assertEqual(self.run_("move", "wetness", "0"), 0, self.err.getvalue())
        self.assertEqual(self.scene()["layers"][0]["id"], "wetness")
        self.assertEqual(self.run_("set", "layers[rust].effect.years=20", "layers[rust].name=Red rust"), 0)
        rust = next(x for x in self.scene()["layers"] if x["id"] == "rust")
        self.assertEqual((rust["effect"]["years"], rust["name"]), (20.0, "Red rust"))
        self.assertEqual(self.run_("fold", "winter", "--no-folded"), 0)
        self.assertEqual(self.run_("gather", "--layers", "dust", "--name", "42"), 0)
        self.assertIn("42", [e["name"] for e in self.scene()["episodes"]])

    def test_what_changed_as_steps_into_another_file(self) -> None:
        out = self.path.parent / "other.json"
        before = self.scene()
        self.assertEqual(self.run_("rename", "dust", "Soot", "--json", "--out", str(out)), 0)
        self.assertEqual(self.scene(), before)
        said = json.loads(self.out.getvalue())
        self.assertEqual(applied(before, said["change"])["layers"][3]["name"], "Soot")
        self.assertEqual(json.loads(out.read_text())["layers"][3]["name"], "Soot")

    def test_refusals_leave_the_file(self) -> None:
        before = self.path.read_bytes()
        for words in (
            ("remove", "ghost"),
            ("explode",),
            ("set", "layers[rust]"),
            ("move", "rust", "x"),
            ("set", "layers[ghost].on=false"),
        ):
            self.assertEqual(self.run_(*words), 2, words)
            self.assertEqual(self.err.getvalue().count("\n"), 1)
            self.assertEqual(self.path.read_bytes(), before)


class Around(CommandTest):
    """Neighbours and markers."""

    def test_markings_in_the_colours_of_a_marker(self) -> None:
        self.do("add-neighbour", file="marks.glb", name="Marks", role="marker")
        before = len(self.document["layers"])
        blue, white = (0.02, 0.1, 0.4), (0.8, 0.8, 0.8)
        done = self.do(
            "lay-markings", neighbour="neighbour-1",
            markings=[{"color": white, "which": ["neighbour-1/lane 1", "neighbour-1/lane 2"]},
                {"color": blue, "which": ["neighbour-1/bay"]}],
        )  # fmt: skip
        self.assertEqual(done.label, "Markings of Marks")
        laid = done.scene.layers[before:]
        self.assertEqual([layer.name for layer in laid], ["lane 1", "bay"])
        self.assertEqual([layer.effect.color for layer in laid], [white, blue])  # type: ignore[union-attr]
        source = laid[0].where.terms[0].source
        assert isinstance(source, ProximitySource)
        self.assertEqual((source.side, source.which), ("on", ["neighbour-1/lane 1", "neighbour-1/lane 2"]))
        # Without colours one layer on all of it.
        done = self.do("lay-markings", neighbour="neighbour-1")
        source = done.scene.layers[-1].where.terms[0].source
        assert isinstance(source, ProximitySource)
        self.assertEqual((done.scene.layers[-1].name, source.which), ("Marks", ["neighbour-1"]))
        for wrong, said in (
            ({"neighbour": "nothing"}, "there is no neighbour"),
            ({"neighbour": "neighbour-1", "markings": [{"color": [2, 0, 0], "which": ["a"]}]}, "color"),
            ({"neighbour": "neighbour-1", "markings": [{"color": [1, 0, 0], "which": []}]}, "which"),
        ):
            with self.assertRaisesRegex(InputError, said):
                self.do("lay-markings", **wrong)
        self.do("remove-neighbour", neighbour="neighbour-1")
        with self.assertRaisesRegex(InputError, "there is no neighbour"):
            self.do("remove-neighbour", neighbour="neighbour-1")
