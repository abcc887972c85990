"""Treatments, glimpses and episodes through the API."""

from __future__ import annotations

import json
from typing import Any

from limus.document.treatments import shipped
from server.projects.gate import gate
from server.projects.models import OwnTreatment
from tests.server.base import ServerTest


class Treatments(ServerTest):
    def document(self, item: Any) -> dict[str, Any]:
        return self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]  # type: ignore[no-any-return]

    def paste(self, item: Any, name: str) -> Any:
        item.refresh_from_db()
        body = {"base": item.head_id, "name": "paste", "arguments": {"treatment": name}}
        return self.call("post", f"/objects/{item.pk}/edit", body)

    def test_the_shelf_and_putting_one_on(self) -> None:
        item = self.add_box()
        shelf = self.call("get", "/treatments").json()
        self.assertEqual([one["name"] for one in shelf], list(shipped()))
        river = shelf[0]
        self.assertEqual((river["own"], river["families"]), (False, ["ferrous"]))
        before = self.document(item)
        done = self.paste(item, "river-iron").json()
        now = self.document(item)
        self.assertEqual(len(now["layers"]), len(before["layers"]) + 5)
        self.assertEqual(
            (done["label"], done["made"]["layer"]), ("Treatment: Ten years by the river", now["layers"][-1]["id"])
        )
        # Sizes suit the box of 0.35 m.
        chips = next(x for x in now["layers"][len(before["layers"]) :] if x["effect"]["kind"] == "chipping")
        self.assertLess(chips["effect"]["size_mm"], 4.5)

    def test_one_of_ones_own_is_pasted_by_its_owner_only(self) -> None:
        item = self.add_box()
        made = self.call(
            "post", f"/objects/{item.pk}/treatments", {"name": "My rust", "layers": ["paint", "chips", "rust"]}
        )
        name = made.json()["treatment"]["name"]
        self.assertEqual(self.paste(item, name).status_code, 200)
        OwnTreatment.objects.update(owner=self.eve)
        item.refresh_from_db()
        self.assertEqual(self.paste(item, name).status_code, 422)

    def test_saving_exporting_and_bringing_in(self) -> None:
        item = self.add_box()
        made = self.call(
            "post", f"/objects/{item.pk}/treatments", {"name": "My rust", "layers": ["paint", "chips", "rust"]}
        )
        self.assertEqual(made.status_code, 201)
        name = made.json()["treatment"]["name"]
        self.assertTrue(name.startswith("own:"))
        self.assertEqual(self.call("get", "/treatments").json()[0]["title"], "My rust")
        file = self.client.get("/api/treatments/file", {"name": name})
        self.assertIn("my-rust.treatment.json", file["Content-Disposition"])
        self.assertEqual(self.call("delete", f"/treatments?name={name}").status_code, 204)
        self.assertFalse(OwnTreatment.objects.exists())
        back = self.client.post("/api/treatments/file?name=a.json", file.content, content_type="application/json")
        self.assertEqual((back.status_code, back.json()["title"]), (201, "My rust"))
        again = self.client.post("/api/treatments/file?name=a.json", file.content, content_type="application/json")
        self.assertEqual(again.json()["title"], "My rust 2")
        again = self.client.post("/api/treatments/file?name=a.json", file.content, content_type="application/json")
        self.assertEqual(again.json()["title"], "My rust 3")

    def test_refusals(self) -> None:
        item = self.add_box()
        for data, word in ((b"no json", "not JSON"), (b'{"treatment": 9}', "version 1"), (b" " * (5 << 20), "4 MB")):
            answer = self.client.post("/api/treatments/file?name=a.json", data, content_type="application/json")
            self.assertEqual(answer.status_code, 422)
            self.assertIn(word, answer.json()["message"])
        self.assertEqual(
            self.call("post", f"/objects/{item.pk}/treatments", {"name": "x", "layers": ["ghost"]}).status_code, 422
        )
        self.assertEqual(self.paste(item, "ghost").status_code, 422)
        for name in ("own:1", "own:x", "own:99999999999999", "river-iron"):
            self.assertEqual(self.call("delete", f"/treatments?name={name}").status_code, 422)

    def test_each_has_their_own(self) -> None:
        item = self.add_box()
        name = self.call("post", f"/objects/{item.pk}/treatments", {"name": "Mine", "layers": ["paint"]}).json()[
            "treatment"
        ]["name"]
        self.client.force_login(self.eve)
        self.assertNotIn("Mine", [one["title"] for one in self.call("get", "/treatments").json()])
        self.assertEqual(self.call("delete", f"/treatments?name={name}").status_code, 422)
        self.assertEqual(self.client.get("/api/treatments/file", {"name": name}).status_code, 422)
        body = {"kind": "dust", "document": item.document}
        self.assertEqual(self.call("post", f"/objects/{item.pk}/glimpse", body).status_code, 404)


class Glimpses(ServerTest):
    def test_a_picture_for_the_picker(self) -> None:
        item = self.add_box()
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        body = {"kind": "dust", "document": document, "client": "tab", "ticket": 1}
        unmeasured = {**document, "object": {**document["object"], "scale": 1.013}}
        self.assertEqual(
            self.call("post", f"/objects/{item.pk}/glimpse", {**body, "document": unmeasured}).status_code, 422
        )
        self.measured(item)
        found = self.call("post", f"/objects/{item.pk}/glimpse", body).json()
        picture = self.client.get(f"/api/maps/{found['picture']}")
        self.assertEqual((picture.status_code, picture["Content-Type"]), (200, "image/png"))
        self.assertGreater(found["coverage"], 0.01)
        put_on = self.call("post", f"/objects/{item.pk}/glimpse", {"treatment": "harbour", "document": document})
        self.assertEqual(put_on.status_code, 200)
        for wrong in (
            {"document": document},
            {"kind": "magic", "document": document},
            {"treatment": "ghost", "document": document},
        ):
            self.assertEqual(self.call("post", f"/objects/{item.pk}/glimpse", wrong).status_code, 422)

    def test_a_closed_dialog_stops_it(self) -> None:
        item = self.add_box()
        self.measured(item)
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        self.assertEqual(self.call("delete", f"/objects/{item.pk}/glimpse?client=tab&ticket=2").status_code, 204)
        self.assertTrue(gate.moved_on(self.ada.pk, "glimpse tab", 1))
        late = self.call(
            "post", f"/objects/{item.pk}/glimpse", {"kind": "dust", "document": document, "client": "tab", "ticket": 1}
        )
        self.assertEqual(late.status_code, 409)


class Answers(ServerTest):
    def test_an_episode_can_be_looked_through_and_a_decal_has_a_frame(self) -> None:
        item = self.add_box()
        self.measured(item)
        document = json.loads(json.dumps(self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]))
        document["episodes"] = [{"id": "use", "name": "In use", "where": {"terms": [{"source": {"kind": "noise"}}]}}]
        for layer in document["layers"][-2:]:
            layer["episode"] = "use"
        document["layers"].insert(1, {"id": "sign", "name": "Sign", "effect": {"kind": "decal"}})
        question = {"resolution": 64, "document": document, "selected": "episode:use"}
        answer = self.call("post", f"/objects/{item.pk}/evaluate", question).json()
        self.assertEqual(len(answer["where"]["terms"]), 1)
        sign = next(one for one in answer["layers"] if one["id"] == "sign")
        self.assertGreater(sign["frame"]["width_mm"], 10)
        self.assertIsNone(answer["layers"][0]["frame"])
        for kind in ("mask", "term"):
            look = {**question, "look": {"kind": kind, "layer": "episode:use", "index": 0}}
            self.assertIn("In use", self.call("post", f"/objects/{item.pk}/evaluate", look).json()["look"]["title"])
        gone = {**question, "look": {"kind": "mask", "layer": "episode:ghost"}}
        self.assertEqual(self.call("post", f"/objects/{item.pk}/evaluate", gone).status_code, 422)

    def test_a_year_before_today(self) -> None:
        item = self.add_box()
        self.measured(item)
        document = self.call("get", f"/objects/{item.pk}").json()["scene"]["document"]
        document["layers"][-1]["since"] = 5.0
        answers = {}
        for year in (None, 2.0):
            body = {"resolution": 64, "document": {**document, "year": year}}
            answers[year] = [
                one["id"] for one in self.call("post", f"/objects/{item.pk}/evaluate", body).json()["layers"]
            ]
        self.assertEqual(len(answers[None]), len(answers[2.0]) + 1)
