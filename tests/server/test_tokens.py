"""Tokens for programs, what they may, and the script of docs/api.md as it stands there; orders that are kept."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
import zipfile
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import Client, override_settings
from django.utils import timezone

from limus.formats.gltf_write import write_glb
from server.api.tokens import MOST, digest_of
from server.projects.models import ApiToken, KeptOrder, Project
from tests.core import shapes
from tests.server.base import ServerTest

DOCS = Path(__file__).resolve().parents[2] / "docs"


class Tokens(ServerTest):
    def token(self, **more: Any) -> str:
        answer = self.call("post", "/tokens", {"name": "render farm", "rights": "write", **more})
        self.assertEqual(answer.status_code, 201, answer.content)
        return str(answer.json()["token"])

    def by(self, token: str, method: str, path: str, body: Any = None) -> Any:
        return getattr(Client(enforce_csrf_checks=True), method)(
            f"/api{path}", body, content_type="application/json", headers={"Authorization": f"Bearer {token}"}
        )

    def test_it_is_its_owner_and_nobody_else(self) -> None:
        item = self.add_box()
        token = self.token()
        self.assertTrue(token.startswith("limus_"))
        self.assertNotIn(token, str(list(ApiToken.objects.values())))
        self.assertEqual([p["name"] for p in self.by(token, "get", "/projects").json()], ["Bench"])
        made = self.by(token, "post", "/projects", {"name": "By a program"})
        self.assertEqual((made.status_code, Project.objects.get(name="By a program").owner), (201, self.ada))
        self.assertIsNotNone(ApiToken.objects.get().used)
        self.client.force_login(self.eve)
        others = self.token(name="eve's")
        self.assertEqual(self.by(others, "get", f"/objects/{item.pk}").status_code, 404)
        self.assertEqual(self.by(token, "get", f"/objects/{item.pk}").status_code, 200)

    def test_what_it_may_not(self) -> None:
        item = self.add_box()
        reader = self.token(rights="read")
        self.assertEqual(self.by(reader, "get", f"/objects/{item.pk}").status_code, 200)
        for method, path in (
            ("post", "/projects"),
            ("delete", f"/objects/{item.pk}"),
            ("post", f"/objects/{item.pk}/jobs"),
        ):
            self.assertEqual(self.by(reader, method, path, {"name": "x", "kind": "measure"}).status_code, 403, path)
        self.assertEqual(Project.objects.count(), 1)
        # One token makes no other, and removes none.
        writer = self.token(name="writer")
        self.assertEqual(self.by(writer, "post", "/tokens", {"name": "more"}).status_code, 403)
        self.assertEqual(self.by(writer, "delete", f"/tokens/{ApiToken.objects.first().pk}").status_code, 403)  # type: ignore[union-attr]
        self.assertEqual(ApiToken.objects.count(), 2)

    def test_it_ends(self) -> None:
        token = self.token(days=1)
        row = ApiToken.objects.get()
        self.assertEqual(row.digest, digest_of(token))
        self.assertLess(abs(row.expires - timezone.now() - timedelta(days=1)), timedelta(minutes=1))
        for wrong in ("", "limus_", token[:-1], token + "x", token.upper()):
            self.assertEqual(self.by(wrong, "get", "/projects").status_code, 401, wrong)
        # A wrong one is refused though somebody is signed in beside it.
        answer = self.client.get("/api/projects", headers={"Authorization": "Bearer limus_none"})
        self.assertEqual(answer.status_code, 401)
        self.assertEqual(self.by(token, "get", "/projects").status_code, 200)
        ApiToken.objects.update(expires=timezone.now())
        self.assertEqual(self.by(token, "get", "/projects").status_code, 401)
        ApiToken.objects.update(expires=timezone.now() + timedelta(days=1))
        get_user_model().objects.filter(pk=self.ada.pk).update(is_active=False)
        self.assertEqual(self.by(token, "get", "/projects").status_code, 401)
        get_user_model().objects.update(is_active=True)
        self.client.force_login(self.ada)
        self.assertEqual(self.call("delete", f"/tokens/{row.pk}").status_code, 204)
        self.assertEqual(self.by(token, "get", "/projects").status_code, 401)

    def test_bad_input(self) -> None:
        for body, where in (
            ({"name": ""}, "name"), ({"name": "  "}, "name"), ({"name": "x", "days": 0}, "days"),
            ({"name": "x", "days": 366}, "days"), ({"name": "x", "rights": "all"}, "rights"),
            ({"name": "x" * 81}, "name"),
        ):  # fmt: skip
            answer = self.call("post", "/tokens", body)
            self.assertEqual(answer.status_code, 422, body)
            self.assertIn(where, answer.json()["where"])
        for k in range(MOST):
            self.token(name=f"t{k}")
        self.assertEqual(self.call("post", "/tokens", {"name": "one more"}).status_code, 422)
        listed = self.call("get", "/tokens").json()
        self.assertEqual((len(listed), "token" in listed[0], "digest" in listed[0]), (MOST, False, False))
        self.client.force_login(self.eve)
        self.assertEqual(self.call("delete", f"/tokens/{listed[0]['id']}").status_code, 404)


class Orders(ServerTest):
    def test_kept_replaced_and_forgotten(self) -> None:
        order = {"target": "maps", "resolution": 512, "names": "{map}", "sizes": {"roughness": 128}}
        first = self.call("post", "/orders", {"name": "Archive", "order": order})
        self.assertEqual(first.status_code, 201)
        self.call("post", "/orders", {"name": "Archive", "order": {**order, "resolution": 1024}})
        rows = self.call("get", "/orders").json()
        self.assertEqual([(r["name"], r["order"]["resolution"], r["order"]["sizes"]) for r in rows],
                         [("Archive", 1024, {"roughness": 128})])  # fmt: skip
        wrong = self.call("post", "/orders", {"name": "x", "order": {"target": "maps", "names": "../{map}"}})
        self.assertEqual((wrong.status_code, "names" in wrong.json()["where"]), (422, True))
        # One that an older edition wrote and that cannot be any more says so, and the list is not lost.
        KeptOrder.objects.create(owner=self.ada, name="Old", document={"target": "scroll"})
        old = self.call("get", "/orders").json()[1]
        self.assertEqual((old["order"], "'scroll' is not a target" in old["trouble"]), (None, True))
        self.client.force_login(self.eve)
        self.assertEqual(self.call("get", "/orders").json(), [])
        self.assertEqual(self.call("delete", f"/orders/{old['id']}").status_code, 404)
        self.client.force_login(self.ada)
        self.assertEqual(self.call("delete", f"/orders/{old['id']}").status_code, 204)

    def test_a_map_is_looked_at_before_it_is_written(self) -> None:
        item = self.add_box()
        self.measured(item)
        order = {"target": "maps", "resolution": 2048, "names": "{map}_{size}", "masks": ["rust:acted"]}
        found = self.call(
            "post", f"/objects/{item.pk}/delivery/look", {"order": order, "file": "height_2048.png"}
        ).json()
        self.assertEqual((found["unit"], found["components"]), ("mm", [""]))
        self.assertTrue(found["lowest"][0] < found["mean"][0] < found["highest"][0])
        mask = self.call(
            "post", f"/objects/{item.pk}/delivery/look", {"order": order, "file": "mask-rust-acted_2048.png"}
        )
        self.assertTrue(0 <= mask.json()["lowest"][0] < mask.json()["highest"][0] <= 1)
        for target in ("tiff", "exr", "materialx", "usd", "obj"):
            name = next(f for f in self.call("post", f"/objects/{item.pk}/delivery", {"target": target}).json()["files"]
                        if "base-color" in f)  # fmt: skip
            answer = self.call("post", f"/objects/{item.pk}/delivery/look", {"order": {"target": target}, "file": name})
            self.assertEqual((answer.status_code, answer.json()["components"]), (200, ["R", "G", "B"]), target)
        gone = self.call("post", f"/objects/{item.pk}/delivery/look", {"order": order, "file": "heights.png"})
        self.assertEqual((gone.status_code, gone.json()["where"]), (422, "file"))


@override_settings(JOBS_AT_ONCE=True, READINGS_RESOLUTION=128, ALLOWED_HOSTS=["localhost", "127.0.0.1"])
class Script(StaticLiveServerTestCase):
    host = "127.0.0.1"

    def test_the_script_of_the_documents(self) -> None:
        ada = get_user_model().objects.create_user("ada", password="right-of-way-7")
        token = "limus_" + "t" * 43
        ApiToken.objects.create(
            owner=ada, name="x", digest=digest_of(token), rights="write", expires=timezone.now() + timedelta(days=1)
        )
        found = re.search(r"```python\n(.*?)```", (DOCS / "api.md").read_text(), re.S)
        assert found is not None
        self.assertLessEqual(len([line for line in found[1].splitlines() if line.strip()]), 24)
        with tempfile.TemporaryDirectory() as folder:
            write_glb(Path(folder) / "pier.glb", shapes.box(0.2))
            done = subprocess.run(
                [sys.executable, "-c", found[1], f"{folder}/pier.glb", f"{folder}/out.zip"], capture_output=True,
                text=True, timeout=120, env={**os.environ, "LIMUS_SERVER": self.live_server_url, "LIMUS_TOKEN": token},
                check=False,
            )  # fmt: skip
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            with zipfile.ZipFile(f"{folder}/out.zip") as pack:
                self.assertIn("base-color.png", pack.namelist())
                self.assertIn(b"Works green", pack.read("scene.json"))
        self.assertEqual(Project.objects.get().owner, ada)
