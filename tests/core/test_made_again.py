"""An edit that was refused, made once more on what somebody else left."""

from __future__ import annotations

import copy
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from limus.common.errors import InputError
from limus.document.made_again import made_again
from limus.document.scene import Scene


def document(**more: Any) -> dict[str, Any]:
    layers = [{"id": k, "name": k, "effect": {"kind": k}} for k in ("paint", "rust", "dust")]
    return Scene.model_validate({"object": {"file": "a.glb"}, "layers": layers, **more}).model_dump(mode="json")


class MadeAgain(TestCase):
    def setUp(self) -> None:
        self.before = document()
        self.after, self.now = copy.deepcopy(self.before), copy.deepcopy(self.before)

    def test_what_the_edit_did_not_touch_stays(self) -> None:
        self.after["layers"][1]["strength"] = 0.3
        self.now["layers"][1]["name"] = "Red rust"
        self.now["seed"] = 9
        found = made_again(self.before, self.after, self.now)
        self.assertEqual((found["layers"][1]["strength"], found["layers"][1]["name"], found["seed"]), (0.3, "Red rust", 9))

    def test_layers_are_found_wherever_they_stand_now(self) -> None:
        self.after["layers"][2]["on"] = False
        self.now["layers"].insert(0, {**self.now["layers"][0], "id": "primer"})
        self.now["layers"][1:] = reversed(self.now["layers"][1:])
        found = made_again(self.before, self.after, self.now)
        self.assertEqual(
            [(x["id"], x["on"]) for x in found["layers"]], [("primer", True), ("dust", False), ("rust", True), ("paint", True)]
        )

    def test_a_layer_is_added_and_moved_where_it_was_meant(self) -> None:
        self.after["layers"].insert(1, {**self.after["layers"][0], "id": "chips"})
        self.now["layers"].append({**self.now["layers"][0], "id": "snow"})
        found = made_again(self.before, self.after, self.now)
        self.assertEqual([x["id"] for x in found["layers"]], ["paint", "chips", "rust", "dust", "snow"])
        self.after["layers"] = [self.before["layers"][k] for k in (2, 0, 1)]
        found = made_again(self.before, self.after, self.now)
        self.assertEqual([x["id"] for x in found["layers"]], ["dust", "snow", "paint", "rust"])

    def test_both_added_a_layer_of_one_name(self) -> None:
        new = {**self.before["layers"][1], "id": "rust-2", "name": "Rust 2"}
        mask = {"terms": [{"source": {"kind": "mask_of", "layer": "rust-2"}}]}
        self.now["layers"].append({**new, "strength": 0.25})
        self.after["layers"] += [new, {**new, "id": "dust-2", "where": mask}]
        found = made_again(self.before, self.after, self.now)
        self.assertEqual([x["id"] for x in found["layers"]], ["paint", "rust", "dust", "rust-2-2", "dust-2", "rust-2"])
        by_id = {x["id"]: x for x in found["layers"]}
        # Theirs is as they left it, and what was made here looks at what was made here.
        self.assertEqual((by_id["rust-2"]["strength"], by_id["rust-2-2"]["strength"]), (0.25, 1.0))
        self.assertEqual(by_id["dust-2"]["where"]["terms"][0]["source"]["layer"], "rust-2-2")
        # What is only spelt like it stays: the kind of an effect, what a stain is of.
        snow = {**self.before["layers"][1], "id": "snow", "effect": {"kind": "snow", "what": "snow"}}
        self.after, self.now = copy.deepcopy(self.before), copy.deepcopy(self.before)
        self.now["layers"].append({**snow, "strength": 0.25})
        self.after["layers"].append(snow)
        mine = made_again(self.before, self.after, self.now)["layers"][-2]
        self.assertEqual((mine["id"], mine["effect"]), ("snow-2", {"kind": "snow", "what": "snow"}))

    def test_what_is_gone_is_named(self) -> None:
        self.after["layers"][1]["strength"] = 0.3
        del self.now["layers"][1]
        with self.assertRaisesRegex(InputError, "layers 'rust': is not there any more"):
            made_again(self.before, self.after, self.now)
        # Removing it again asks for nothing that is not so already.
        del self.after["layers"][1]
        self.assertEqual(made_again(self.before, self.after, self.now), self.now)

    def test_a_recipe_that_was_changed_twice_is_not_guessed(self) -> None:
        line = {"source": {"kind": "edges"}}
        self.after = document(layers=[{"id": "paint", "name": "p", "effect": {"kind": "paint"}, "where": {"terms": [line]}}])
        self.before = document(layers=[{"id": "paint", "name": "p", "effect": {"kind": "paint"}}])
        self.now = document(layers=[{"id": "paint", "name": "p", "effect": {"kind": "paint"}, "where": {"terms": [line, line]}}])
        with self.assertRaisesRegex(InputError, r"layers\[paint\].where.terms: was changed in another way"):
            made_again(self.before, self.after, self.now)

    def test_the_same_value_asked_for_again_wins(self) -> None:
        self.after["seed"], self.now["seed"] = 5, 7
        self.assertEqual(made_again(self.before, self.after, self.now)["seed"], 5)

    @given(st.dictionaries(st.sampled_from("abc"), st.integers(0, 3)), st.dictionaries(st.sampled_from("abc"), st.integers(0, 3)))
    def test_on_an_unchanged_scene_it_is_the_edit_itself(self, one: dict[str, int], two: dict[str, int]) -> None:
        self.assertEqual(made_again(one, two, one), two)
        self.assertEqual(made_again(one, one, two), two)
