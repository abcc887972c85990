"""Findings over the API."""

from __future__ import annotations

from tests.server.base import ServerTest


class Asking(ServerTest):
    def test_asked_measured_and_by_whom(self) -> None:
        item = self.add_box()
        path = f"/objects/{item.pk}/findings"
        document = item.document | {"layers": item.document["layers"][1:2]}
        self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
        item.refresh_from_db()
        self.measured(item)
        answer = self.call("post", path, {"resolution": 64})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(answer.json()["version"], item.head_id)
        keys = {one["key"] for one in answer.json()["findings"]}
        self.assertTrue(any(key.startswith("idle-layer:") for key in keys), keys)
        self.assertEqual(self.call("post", path, {"resolution": 8}).status_code, 422)
        self.assertEqual(self.call("post", "/objects/999999/findings", {}).status_code, 404)
        self.client.force_login(self.eve)
        self.assertEqual(self.call("post", path, {"resolution": 64}).status_code, 404)
