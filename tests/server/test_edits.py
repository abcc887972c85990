"""Edits over the API: a command on a version, answered by what is different; and questions about what is not saved
yet.
"""

from __future__ import annotations

import threading
from typing import Any
from unittest import mock

from django.db import connections
from django.test import Client

from limus.document.difference import applied
from limus.looks.packed import unpacked
from server.projects.models import SceneVersion, WorkObject
from tests.server.base import ServerTest


class Edits(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()
        self.first = self.item.head_id

    def document(self) -> dict[str, Any]:
        self.item.refresh_from_db()
        return self.item.document

    def edit(self, base: int, name: str, arguments: Any, **more: Any) -> Any:
        return self.call(
            "post", f"/objects/{self.item.pk}/edit", {"base": base, "name": name, "arguments": arguments, **more}
        )

    def test_a_command_is_answered_by_the_difference(self) -> None:
        before = self.document()
        answer = self.edit(self.first, "set", {"values": {"layers[rust].effect.years": 21.0}, "label": "Rust: years"})
        self.assertEqual(answer.status_code, 200, answer.content)
        said = answer.json()
        self.assertEqual(said["change"], [["set", ["layers", 2, "effect", "years"], 21.0]])
        self.assertEqual((said["base"], said["label"], said["undo_label"]), (self.first, "Rust: years", "Rust: years"))
        self.assertEqual(applied(before, said["change"]), self.document())
        self.assertLess(len(answer.content), 700)
        added = self.edit(said["version"], "add", {"effect": "moss", "after": "paint"}).json()
        self.assertEqual((added["label"], added["made"]), ("Add moss", {"layer": "moss"}))
        self.assertEqual([x["id"] for x in self.document()["layers"]][:2], ["paint", "moss"])

    def test_what_changes_nothing_is_no_version(self) -> None:
        years = self.document()["layers"][2]["effect"]["years"]
        said = self.edit(self.first, "set", {"values": {"layers[rust].effect.years": years}}).json()
        self.assertEqual((said["version"], said["change"], SceneVersion.objects.count()), (self.first, [], 1))

    def test_refusals_name_the_field_and_leave_the_scene(self) -> None:
        before = self.document()
        for name, arguments, where in (
            ("explode", {}, "name"), ("add", {"effect": "ghost"}, "effect"), ("add", {"effect": 3},
                "arguments: effect"),
            ("set", {"values": {"layers[ghost].on": True}}, "layers[ghost].on"), ("set",
                {"values": {"layers[rust].effect.years": "x"}}, "layers[2].effect.years"),
            ("remove", {"layer": "paint", "more": 1}, "arguments: more"), ("paint", {"place": "layers[rust]",
                "strokes": ["objects/of-somebody-else/a.glb"]}, "strokes"),
            ("add-neighbour", {"file": "../../limus.sqlite3", "name": "x"}, "file"), ("set",
                {"values": {"object.file": "/etc/passwd"}}, "object.file"),
        ):  # fmt: skip
            with self.subTest(name):
                answer = self.edit(self.first, name, arguments)
                self.assertEqual(answer.status_code, 422, answer.content)
                self.assertIn(where, answer.json()["where"])
                self.assertTrue(answer.json()["remedy"])
        for body in (
            {"name": "add"},
            {"base": "x", "name": "add", "arguments": {}},
            {"base": 1, "name": "add", "arguments": []},
        ):
            self.assertEqual(self.call("post", f"/objects/{self.item.pk}/edit", body).status_code, 422)
        self.assertEqual((self.document(), SceneVersion.objects.count()), (before, 1))
        self.client.force_login(self.eve)
        self.assertEqual(self.edit(self.first, "remove", {"layer": "rust"}).status_code, 404)

    def test_files_that_a_command_brings_are_kept_like_any_other(self) -> None:
        said = self.edit(self.first, "add-neighbour", {"file": self.document()["object"]["file"], "name": "Post"})
        self.assertEqual(said.status_code, 200, said.content)
        self.assertEqual(said.json()["made"], {"neighbour": "neighbour-1"})

    def test_an_older_version_is_refused_with_the_newest_scene(self) -> None:
        newer = self.edit(self.first, "rename", {"layer": "rust", "name": "Red rust"}).json()
        for base in (self.first, 999_999):
            answer = self.edit(base, "remove", {"layer": "paint"})
            self.assertEqual(answer.status_code, 409)
            self.assertEqual((answer.json()["scene"]["version"], answer.json()["arrived"]), (newer["version"], False))

    def test_made_again_on_a_newer_version_where_it_still_means_the_same(self) -> None:
        newer = self.edit(self.first, "move", {"layer": "rust", "to": 0}).json()["version"]
        again = self.edit(newer, "set", {"values": {"layers[rust].strength": 0.5}}, made_on=self.first)
        self.assertEqual(again.status_code, 200, again.content)
        self.assertEqual(self.document()["layers"][0]["strength"], 0.5)
        place = {"place": "layers[paint]", "source": "noise"}
        newest = self.edit(again.json()["version"], "add-line", place).json()["version"]
        counted = self.edit(newest, "add-line", {"place": "bases[0]", "source": "noise"}, made_on=self.first)
        self.assertEqual(counted.status_code, 200)
        lines = len(self.document()["layers"][1]["where"]["terms"])
        refused = self.edit(
            counted.json()["version"], "remove-line", {"place": "layers[paint]", "line": lines - 1}, made_on=self.first
        )
        self.assertEqual(refused.status_code, 422)

    def test_a_second_try_makes_nothing_twice(self) -> None:
        one = self.edit(self.first, "add", {"effect": "moss"}, token="abc").json()
        two = self.edit(self.first, "add", {"effect": "moss"}, token="abc").json()
        self.assertEqual((two["version"], two["change"], two["base"]), (one["version"], one["change"], self.first))
        self.assertEqual(SceneVersion.objects.count(), 2)
        # Somebody else's edit came after it: it is there, and that is said.
        self.edit(one["version"], "add", {"effect": "dust"})
        late = self.edit(self.first, "add", {"effect": "moss"}, token="abc")
        self.assertEqual((late.status_code, late.json()["arrived"]), (409, True))
        self.assertEqual(SceneVersion.objects.count(), 3)

    def test_two_windows_at_once(self) -> None:
        answers: list[Any] = []
        ready = threading.Barrier(2)
        real = WorkObject.commit

        def meet(item: WorkObject, *args: Any, **more: Any) -> Any:
            # Both have read the version and decided before either stores.
            ready.wait(10)
            return real(item, *args, **more)

        def one(effect: str) -> None:
            client = Client()
            client.force_login(self.ada)
            try:
                answers.append(
                    client.post(
                        f"/api/objects/{self.item.pk}/edit",
                        {"base": self.first, "name": "add", "arguments": {"effect": effect}},
                        content_type="application/json",
                    )
                )
            finally:
                connections.close_all()

        with mock.patch.object(WorkObject, "commit", meet):
            threads = [threading.Thread(target=one, args=(effect,)) for effect in ("moss", "dust")]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join(30)
        self.assertEqual(sorted(a.status_code for a in answers), [200, 409])
        self.assertEqual((len(self.document()["layers"]), SceneVersion.objects.count()), (6, 2))

    def test_the_snapshot_that_is_shown(self) -> None:
        kept = self.edit(self.first, "keep-snapshot", {"name": "As it was"}).json()
        self.assertEqual(kept["snapshot"], "snapshot-1")
        off = self.edit(kept["version"], "set", {"values": {"layers[rust].on": False}}).json()
        self.assertEqual(off["snapshot"], "")
        back = self.call("post", f"/objects/{self.item.pk}/undo", {"base": off["version"]}).json()
        self.assertEqual(back["snapshot"], "snapshot-1")


class Questions(ServerTest):
    """What is asked about a version with edits that are not saved yet."""

    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()
        self.measured(self.item)

    def ask(self, **more: Any) -> Any:
        return self.call("post", f"/objects/{self.item.pk}/evaluate", {"resolution": 64, **more})

    def coverage(self, **more: Any) -> dict[str, float]:
        answer = self.ask(**more)
        self.assertEqual(answer.status_code, 200, answer.content)
        return {layer["id"]: layer["coverage"] for layer in answer.json()["layers"]}

    def test_edits_count_and_nothing_is_saved(self) -> None:
        saved = self.coverage()
        edits = [
            {"name": "set", "arguments": {"values": {"layers[rust].strength": 0.0}}},
            {"name": "add", "arguments": {"effect": "moss"}},
        ]
        tried = self.coverage(base=self.item.head_id, edits=edits)
        self.assertEqual(set(tried) - set(saved), {"moss"})
        self.assertGreater(saved["rust"], 0.0)
        self.assertEqual(tried["rust"], 0.0)
        self.assertEqual((self.coverage(), SceneVersion.objects.count()), (saved, 1))

    def test_it_is_the_version_that_is_asked_about(self) -> None:
        old = self.item.head_id
        body = {"base": old, "name": "set", "arguments": {"values": {"layers[rust].strength": 0.0}}}
        self.call("post", f"/objects/{self.item.pk}/edit", body)
        self.assertEqual(self.coverage()["rust"], 0.0)
        self.assertGreater(self.coverage(base=old)["rust"], 0.0)

    def test_one_answer_brings_its_pictures(self) -> None:
        path = f"/api/objects/{self.item.pk}/evaluate"
        more = {"content_type": "application/json", "headers": {"accept": "application/octet-stream"}}
        answer = self.client.post(path, {"resolution": 64, "selected": "rust"}, **more)
        self.assertEqual(answer["Content-Type"], "application/octet-stream")
        found = unpacked(answer.content)
        maps = found.answer.maps
        assert maps is not None and found.answer.where is not None
        self.assertLessEqual(
            {*maps.base_color, *maps.orm, *maps.normal, found.answer.where.picture}, set(found.pictures)
        )
        # While something is dragged what did not change is not sent again.
        edits = [{"name": "set", "arguments": {"values": {"layers[rust].effect.years": 30.0}}}]
        body = {
            "resolution": 64,
            "selected": "rust",
            "base": self.item.head_id,
            "edits": edits,
            "has": list(found.pictures),
        }
        step = unpacked(self.client.post(path, body, **more).content)
        self.assertFalse(set(step.pictures) & set(found.pictures))
        self.assertNotEqual(step.answer.maps.base_color, maps.base_color)  # type: ignore[union-attr]
        # Nothing of it is kept in anybody's name.
        for name in step.pictures:
            self.assertEqual(self.client.get(f"/api/maps/{name}").status_code, 404)
        # A refusal is words.
        self.assertIn("message", self.client.post(path, {**body, "edits": [{"name": "ghost"}]}, **more).json())

    def test_what_is_made_ahead_keeps_no_pictures_for_anybody(self) -> None:
        said = self.ask(ahead=True).json()
        self.assertTrue(said["maps"]["normal"])
        self.assertEqual(self.client.get(f"/api/maps/{said['maps']['normal'][0]}").status_code, 404)
        self.assertEqual(self.ask().json()["maps"], said["maps"])
        self.assertEqual(self.client.get(f"/api/maps/{said['maps']['normal'][0]}").status_code, 200)

    def test_a_version_that_is_not_held_is_said_and_the_document_answers(self) -> None:
        answer = self.ask(base=999_999, edits=[])
        self.assertEqual((answer.status_code, answer.json()["where"]), (410, "base"))
        other = self.add_box()
        self.assertEqual(self.ask(base=other.head_id).status_code, 410, "the version of another object")
        self.assertEqual(self.ask(document=self.item.document).status_code, 200)

    def test_a_version_that_goes_while_it_is_asked_about_is_gone(self) -> None:
        item = self.item
        item.commit(item.head_id, {**item.document, "seed": 5}, "Seed")
        before = item.versions.get(pk=item.versions.earliest("pk").pk)
        self.assertNotEqual(item.at(before), item.document)
        # Removed between being found and being put together.
        item.versions.filter(pk=before.pk).delete()
        with self.assertRaises(SceneVersion.DoesNotExist):
            item.at(before)

    def test_bad_edits_and_files_of_others(self) -> None:
        for edits in (
            [{"name": "ghost"}], [{"name": "set", "arguments": {"values": {"layers[rust].effect.years": None}}}],
            [{}], "x",
            [{"name": "set", "arguments": {"values": {"object.file": "objects/of-somebody-else/a.glb"}}}],
            [{"name": "add", "arguments": {"effect": "moss"}}] * 300,
        ):  # fmt: skip
            self.assertEqual(self.ask(base=self.item.head_id, edits=edits).status_code, 422, edits)
