"""The API: scoping, history, evaluation, jobs, refusals."""

from __future__ import annotations

import contextlib
import copy
import io
import json
import os
import re
import tempfile
import zipfile
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.test import Client, override_settings
from django.utils import timezone
from PIL import Image

from limus.cli.main import main
from limus.common.errors import Cancelled
from limus.common.store import shared
from limus.document.difference import applied
from limus.effects.catalogue import EFFECTS
from limus.formats.gltf_write import glb_bytes
from server.api.api import api
from server.jobs.models import Job
from server.projects.data_files import find
from server.projects.gate import gate
from server.projects.map_store import Pictures
from server.projects.models import SceneVersion, WorkObject
from server.work import runner
from server.work.keeper import Keeper
from tests.core import shapes
from tests.core.test_formats import triangle
from tests.server.base import ServerTest


class Accounts(ServerTest):
    def test_signed_out(self) -> None:
        self.client.logout()
        self.assertEqual(self.call("get", "/projects").status_code, 401)
        page = self.client.get("/object/1/weather")
        self.assertRedirects(page, "/sign-in/?next=/object/1/weather", fetch_redirect_response=False)
        form = self.client.get("/sign-in/")
        self.assertContains(form, "Sign in")
        wrong = self.client.post("/sign-in/", {"username": "ada", "password": "nope"})
        self.assertContains(wrong, "do not match")
        self.assertRedirects(
            self.client.post("/sign-in/", {"username": "ada", "password": "right-of-way-7"}),
            "/",
            fetch_redirect_response=False,
        )

    def test_everything_is_scoped_to_its_owner(self) -> None:
        item = self.add_box()
        self.measured(item)
        evaluation = self.call("post", f"/objects/{item.pk}/evaluate", {"resolution": 128}).json()
        job = Job.objects.get()
        self.client.force_login(self.eve)
        self.assertEqual(self.call("get", "/projects").json(), [])
        version = item.head_id
        for method, path, body in (
            ("get", f"/objects/{item.pk}", None), ("get", f"/objects/{item.pk}/mesh.glb", None), ("delete",
                f"/objects/{item.pk}", None),
            ("put", f"/objects/{item.pk}/scene", {"base": version, "document": item.document}), ("post",
                f"/objects/{item.pk}/undo", {"base": version}),
            ("post", f"/objects/{item.pk}/evaluate", {"resolution": 128}), ("post", f"/objects/{item.pk}/jobs",
                {"kind": "export"}),
            ("get", f"/jobs/{job.pk}", None), ("get", f"/jobs/{job.pk}/file", None),
            ("get", f"/jobs/{job.pk}/model.glb", None), ("post",
                f"/jobs/{job.pk}/cancel", None),
            ("get", f"/maps/{evaluation['maps']['normal'][0]}", None), ("put",
                f"/projects/{self.project.pk}/objects?name=a.glb", {}),
        ):  # fmt: skip
            self.assertEqual(self.call(method, path, body).status_code, 404, path)
        self.assertEqual(WorkObject.objects.get().head_id, version)

    def test_writes_need_the_csrf_token(self) -> None:
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.ada)
        self.assertEqual(
            strict.post("/api/projects", json.dumps({"name": "x"}), content_type="application/json").status_code, 403
        )

    def test_demo_signs_in_by_itself_only_on_loopback(self) -> None:
        from django.contrib.auth import get_user_model

        get_user_model().objects.create_user("demo")
        self.client.logout()
        self.assertEqual(self.call("get", "/session").status_code, 401)
        with override_settings(DEMO_SIGN_IN=True):
            self.assertEqual(self.call("get", "/session", REMOTE_ADDR="10.0.0.9").status_code, 401)
            self.assertEqual(self.call("get", "/session").json()["user"], "demo")

    def test_demo_sign_in_is_off_when_bound_elsewhere(self) -> None:
        import os
        import subprocess
        import sys

        code = "from server.config import settings; print(settings.DEMO_SIGN_IN)"
        for bind, wanted in (("0.0.0.0", "False"), ("127.0.0.1", "True")):
            env = {**os.environ, "LIMUS_DEMO": "1", "LIMUS_BIND": bind, "LIMUS_DATA": str(settings.DATA_DIR)}
            self.assertEqual(
                subprocess.run(
                    [sys.executable, "-c", code],
                    env=env,
                    capture_output=True,
                    text=True,
                    check=True,
                    cwd=settings.BASE_DIR,
                ).stdout.strip(),
                wanted,
            )

    def test_security_headers(self) -> None:
        answer = self.client.get("/sign-in/", follow=True)
        self.assertIn("frame-ancestors 'none'", answer["Content-Security-Policy"])
        self.assertEqual(answer["X-Content-Type-Options"], "nosniff")


class History(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()
        self.first: dict[str, Any] = self.call("get", f"/objects/{self.item.pk}").json()["scene"]

    def edit(self, base: int, label: str = "Edit", **effect: Any) -> Any:
        document = copy.deepcopy(self.first["document"])
        document["layers"][2]["effect"].update(effect)
        return self.call("put", f"/objects/{self.item.pk}/scene", {"base": base, "document": document, "label": label})

    def test_each_edit_is_a_version_and_undo_moves_a_pointer(self) -> None:
        second = self.edit(self.first["version"], "Years", years=20.0).json()
        third = self.edit(second["version"], "More years", years=30.0).json()
        self.assertEqual(
            (third["number"], third["can_undo"], third["can_redo"], third["undo_label"]), (3, True, False, "More years")
        )
        back = self.call("post", f"/objects/{self.item.pk}/undo", {"base": third["version"]}).json()
        self.assertEqual((back["version"], back["redo_label"]), (second["version"], "More years"))
        # What changed comes, not the whole.
        self.assertEqual(
            (back["base"], back["change"]), (third["version"], [["set", ["layers", 2, "effect", "years"], 20.0]])
        )
        self.assertNotIn("document", back)
        again = self.call("post", f"/objects/{self.item.pk}/undo", {"base": back["version"]}).json()
        self.assertEqual(applied(second["document"], again["change"]), self.first["document"])
        # Of two steps that can be gone forward, the next one is named.
        self.assertEqual((again["can_redo"], again["redo_label"]), (True, "Years"))
        self.assertEqual(self.call("get", f"/objects/{self.item.pk}/scene").json()["document"], self.first["document"])
        self.assertFalse(again["can_undo"])
        # Undo at the beginning stays there; redo goes the same way forward.
        still = self.call("post", f"/objects/{self.item.pk}/undo", {"base": again["version"]}).json()
        self.assertEqual((still["version"], still["change"]), (again["version"], []))
        forward = self.call("post", f"/objects/{self.item.pk}/redo", {"base": again["version"]}).json()
        self.assertEqual((forward["version"], forward["redo_label"]), (second["version"], "More years"))
        # A reload sees the same, and a new edit closes the way forward.
        self.assertTrue(self.call("get", f"/objects/{self.item.pk}").json()["scene"]["can_redo"])
        self.assertFalse(self.edit(second["version"], years=5.0).json()["can_redo"])
        self.assertEqual(SceneVersion.objects.count(), 4)

    def test_many_steps_back_are_as_many_forward(self) -> None:
        made = [self.first["version"]]
        for years in (11.0, 12.0, 13.0, 14.0):
            made.append(self.edit(made[-1], years=years).json()["version"])
        now = made[-1]

        def step(way: str, base: int) -> int:
            return int(self.call("post", f"/objects/{self.item.pk}/{way}", {"base": base}).json()["version"])

        back = [now := step("undo", now) for _ in range(4)]
        self.assertEqual(back, made[-2::-1])
        self.assertEqual([now := step("redo", now) for _ in range(4)], made[1:])
        self.item.refresh_from_db()
        self.assertEqual((self.item.undone, self.item.document["layers"][2]["effect"]["years"]), ([], 14.0))

    def test_a_stale_edit_is_refused_and_nothing_is_lost(self) -> None:
        # Two browser tabs on the same layer.
        one = self.edit(self.first["version"], years=20.0)
        two = self.edit(self.first["version"], years=99.0)
        self.assertEqual((one.status_code, two.status_code), (200, 409))
        answer = two.json()
        # The newest scene comes with the refusal, whole, so that nobody has to ask and wait for it.
        self.assertEqual(answer["scene"], one.json())
        self.assertEqual(answer["scene"]["document"]["layers"][2]["effect"]["years"], 20.0)
        self.assertEqual(self.call("get", f"/objects/{self.item.pk}/scene").json(), one.json())
        self.assertIn("another window", answer["message"])
        self.assertEqual(SceneVersion.objects.count(), 2)
        self.assertEqual(
            self.call("post", f"/objects/{self.item.pk}/undo", {"base": self.first["version"]}).status_code, 409
        )

    def test_bad_documents_name_the_field(self) -> None:
        for change, words in (
            ({"kind": "magic"}, "layers[2].effect.kind"),
            ({"years": 9999.0}, "layers[2].effect.years: 9999.0 is above the limit 500"),
            ({"colour": 1}, "layers[2].effect.colour"),
        ):
            answer = self.edit(self.first["version"], **change)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["message"])
        document = {**self.first["document"], "version": 99}
        answer = self.call(
            "put", f"/objects/{self.item.pk}/scene", {"base": self.first["version"], "document": document}
        )
        self.assertIn("version 99", answer.json()["message"])
        self.assertEqual(SceneVersion.objects.count(), 1)

    def test_renaming_the_scene_renames_the_object(self) -> None:
        document = {**self.first["document"], "name": "Crate"}
        self.call("put", f"/objects/{self.item.pk}/scene", {"base": self.first["version"], "document": document})
        self.assertEqual(self.call("get", "/projects").json()[0]["objects"][0]["name"], "Crate")


class Uploads(ServerTest):
    def put(self, data: bytes, name: str = "cup.glb") -> Any:
        return self.client.generic(
            "PUT", f"/api/projects/{self.project.pk}/objects?name={name}", data, content_type="application/octet-stream"
        )

    def left(self) -> list[str]:
        folder = Path(settings.DATA_DIR) / "objects"
        return (
            [p.name for p in folder.iterdir() if p.name.startswith("tmp") or p.suffix == ".part"]
            if folder.exists()
            else []
        )

    def test_a_good_object(self) -> None:
        answer = self.put(glb_bytes(shapes.sphere(0.1, 24)))
        self.assertEqual(answer.status_code, 201)
        found = self.call("get", f"/objects/{answer.json()['id']}").json()
        self.assertEqual(
            (found["name"], found["readings"], found["scene"]["document"]["layers"]), ("cup", "missing", [])
        )
        self.assertEqual(found["facts"]["uv"]["present"], True)
        mesh = self.client.get(f"/api/objects/{found['id']}/mesh.glb?v={found['digest']}")
        self.assertEqual(mesh.content[:4], b"glTF")
        self.assertIn("immutable", mesh["Cache-Control"])
        # An address that does not carry the hash of this very mesh must be asked for again.
        self.assertNotIn("Cache-Control", self.client.get(f"/api/objects/{found['id']}/mesh.glb?v=old"))

    def test_bad_objects_leave_nothing_behind(self) -> None:
        cases = [
            (b"x", "not a GLB"), (b"hello" * 30, "not a GLB"), (triangle()[:-40], "cut short"), (triangle()[:14],
                "cut short"),
            (triangle(np.array([[0, 0, 0], [1, 0, 0], [0, np.inf, 0]])), "finite"), (triangle(np.zeros((3, 3))),
                "degenerate"),
            (triangle(index=np.array([0, 1, 70])), "out of range"),
        ]  # fmt: skip
        for data, words in cases:
            answer = self.put(data)
            self.assertEqual(answer.status_code, 422, words)
            self.assertIn(words, answer.json()["message"])
            self.assertIn("cup.glb", answer.json()["message"])
        self.assertEqual(WorkObject.objects.count(), 0)
        self.assertEqual(self.left(), [])
        self.assertEqual(self.put(b"").status_code, 411)
        self.assertEqual(self.put(triangle(), "cup.txt").status_code, 422)
        self.assertEqual(self.put(triangle(), "../../../etc/cup.glb").status_code, 201)

    def test_too_large_is_refused_before_reading(self) -> None:
        with override_settings(UPLOAD_LIMIT=1000):
            answer = self.put(b"x" * 2000)
        self.assertEqual(answer.status_code, 413)
        self.assertIn("larger than", answer.json()["message"])
        with override_settings(UPLOAD_LIMIT=2 << 20):
            self.assertEqual(
                self.put(b"x" * ((2 << 20) + 1)).json()["message"],
                "The file is larger than 2 MB. Reduce it, or raise LIMUS_UPLOAD_LIMIT.",
            )
            # Just as large it is read, and refused for what it is.
            self.assertEqual(self.put(b"x" * (2 << 20)).status_code, 422)
        with override_settings(TRIANGLE_LIMIT=5):
            self.assertIn("more than the limit", self.put(glb_bytes(shapes.box())).json()["message"])
        self.assertEqual(self.left(), [])

    def test_removing_an_object_removes_its_file_unless_shared(self) -> None:
        one, two = self.put(triangle()).json()["id"], self.put(triangle()).json()["id"]
        path = Path(settings.DATA_DIR) / WorkObject.objects.get(pk=one).scene().object.file
        self.assertEqual(self.call("delete", f"/objects/{one}").status_code, 204)
        self.assertTrue(path.exists())
        self.call("delete", f"/objects/{two}")
        self.assertFalse(path.exists())
        self.assertEqual(SceneVersion.objects.count(), 0)


class Evaluating(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()

    def evaluate(self, **body: Any) -> Any:
        return self.call("post", f"/objects/{self.item.pk}/evaluate", {"resolution": 128, **body})

    def test_before_measuring_it_says_so(self) -> None:
        with mock.patch.dict("os.environ", {"LIMUS_CACHE": str(Path(settings.DATA_DIR) / "empty")}):
            shared().clear()
            self.assertEqual(self.evaluate().status_code, 425)

    def test_maps_by_content_hash(self) -> None:
        self.measured(self.item)
        first = self.evaluate().json()
        # Readings are kept for all tests, and another may have had finer ones.
        self.assertIn(first["readings"], ("good", "fine"))
        self.assertEqual((first["resolution"], len(first["layers"])), (128, 5))
        name = first["maps"]["base_color"][0]
        picture = self.client.get(f"/api/maps/{name}")
        self.assertEqual(len(picture.content), 128 * 128 * 4)
        self.assertIn("immutable", picture["Cache-Control"])
        self.assertEqual(self.client.get(f"/api/maps/{name}", headers={"if-none-match": f'"{name}"'}).status_code, 304)
        self.assertEqual(self.client.get("/api/maps/0123").status_code, 404)
        self.assertEqual(first["maps"], self.evaluate().json()["maps"])
        # What did not change keeps its hash: another colour of dust leaves the normal alone.
        document = copy.deepcopy(self.item.head.document)  # type: ignore[union-attr]
        document["layers"][4]["effect"]["color"] = [0.1, 0.2, 0.9]
        second = self.evaluate(document=document).json()
        self.assertNotEqual(second["maps"]["base_color"], first["maps"]["base_color"])
        self.assertEqual(second["maps"]["normal"], first["maps"]["normal"])

    def test_until_and_looks(self) -> None:
        self.measured(self.item)
        made, today = self.evaluate(until="").json(), self.evaluate().json()
        self.assertNotEqual(made["maps"], today["maps"])
        self.assertEqual([c["name"] for c in made["coats"]], ["Bare base"])
        self.assertEqual(self.evaluate(until="paint").json()["coats"][-1]["name"], "paint: topcoat")
        looks = [
            {"kind": "channel", "name": n}
            for n in ("base_color", "roughness", "metalness", "relief", "normal", "coat_weight", "ambient_occlusion")
        ]
        looks += [
            {"kind": "reading", "name": n} for n in ("curvature", "occlusion", "slope", "thickness", "height", "sky")
        ]
        looks += [
            {"kind": "mask", "layer": "rust"},
            {"kind": "acted", "layer": "rust"},
            {"kind": "term", "layer": "chips", "index": 1},
            {"kind": "coat", "index": 2},
        ]
        seen = set()
        for look in looks:
            answer = self.evaluate(look=look)
            self.assertEqual(answer.status_code, 200, look)
            found = answer.json()
            self.assertIsNone(found["maps"])
            self.assertTrue(found["look"]["title"])
            self.assertEqual(found["look"]["legend"] is None, look.get("name") in ("base_color", "normal"))
            seen.add(found["look"]["maps"][0])
        self.assertGreaterEqual(len(seen), len(looks) - 1)
        curvature = self.evaluate(look={"kind": "reading", "name": "curvature", "size_mm": 8}).json()["look"]
        self.assertEqual(curvature["title"], "Curvature at 8 mm")
        for look in (
            {"kind": "channel", "name": "mood"},
            {"kind": "mask", "layer": "ghost"},
            {"kind": "acted", "layer": "ghost"},
            {"kind": "term", "layer": "rust", "index": 9},
            {"kind": "coat", "index": 99},
        ):
            self.assertEqual(self.evaluate(look=look).status_code, 422, look)

    def test_pictures_and_where(self) -> None:
        self.measured(self.item)
        found = self.evaluate(pictures=True, selected="chips").json()
        for name in [
            found["layers"][0]["picture"],
            found["coats"][1]["picture"],
            found["where"]["picture"],
            found["where"]["terms"][2]["picture"],
            *found["pictures"].values(),
        ]:
            picture = self.client.get(f"/api/maps/{name}")
            self.assertEqual(picture["Content-Type"], "image/png")
            self.assertIn(Image.open(io.BytesIO(picture.content)).size, [(236, 116), (52, 52)])
        self.assertAlmostEqual(sum(found["where"]["histogram"]), 1.0, places=2)
        self.assertAlmostEqual(sum(c["share"] for c in found["coats"]), 1.0, places=2)
        self.assertAlmostEqual(found["layers"][1]["coverage"], 0.06, delta=0.006)

    def test_notes_say_why_a_layer_does_nothing(self) -> None:
        self.measured(self.item)
        document = copy.deepcopy(self.item.head.document)  # type: ignore[union-attr]
        layers = {l["id"]: l for l in document["layers"]}
        document["layers"] = [layers["dust"], layers["paint"], layers["rust"], layers["chips"]]
        layers["chips"]["strength"] = 0.0
        notes = {l["id"]: l["note"] for l in self.evaluate(document=document).json()["layers"]}
        self.assertIn("later layers hide it", notes["dust"])
        self.assertIn("No iron is exposed", notes["rust"])
        self.assertIn("0", notes["chips"])
        self.assertEqual(notes["paint"], "")

    def test_the_newest_request_wins(self) -> None:
        self.measured(self.item)
        gate.newest(self.ada.pk, "tab", 9)
        self.assertEqual(self.evaluate(client="tab", ticket=8).status_code, 409)
        self.assertEqual(self.evaluate(client="tab", ticket=9).status_code, 200)
        self.assertEqual(self.evaluate(client="other", ticket=1).status_code, 200)

    def test_pictures_belong_to_their_owner(self) -> None:
        mine, hers = Pictures(self.ada.pk), Pictures(self.eve.pk)
        name = mine.put(b"picture", "image/png")
        self.assertEqual(mine.get(name), (b"picture", "image/png"))
        self.assertIsNone(hers.get(name))
        self.assertFalse(hers.holds([name]))
        self.assertEqual(self.client.get(f"/api/maps/{name}").status_code, 200)
        self.client.force_login(self.eve)
        self.assertEqual(self.client.get(f"/api/maps/{name}").status_code, 404)


class Jobs(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()

    def export(self, **more: Any) -> Any:
        return self.call(
            "post", f"/objects/{self.item.pk}/jobs", {"kind": "export", "order": {"resolution": 256, **more}}
        )

    def same_as_on_the_command_line(self, job: dict[str, Any]) -> None:
        """The command line makes the same zip of the same scene, byte for byte."""
        with zipfile.ZipFile(io.BytesIO(b"".join(self.client.get(job["file"]).streaming_content))) as pack:
            server = {name: pack.read(name) for name in pack.namelist()}
        with tempfile.TemporaryDirectory() as place, mock.patch.dict(os.environ):
            folder = Path(place)
            self.item.refresh_from_db()
            (folder / "scene.json").write_text(json.dumps(self.item.document))
            for name in {self.item.document["object"]["file"]}:
                (folder / name).parent.mkdir(parents=True, exist_ok=True)
                (folder / name).write_bytes(find(name).read_bytes())
            out = folder / "out.zip"
            words = ["export", str(folder / "scene.json"), "--to", "gltf", "--resolution", "256", "--out", str(out)]
            with contextlib.redirect_stderr(io.StringIO()):
                self.assertEqual(main(words), 0)
            with zipfile.ZipFile(out) as pack:
                mine = {name: pack.read(name) for name in pack.namelist()}
            self.assertEqual([i.date_time[0] for i in zipfile.ZipFile(out).infolist()], [1980] * len(mine))
        self.assertEqual(list(mine), list(server))
        self.assertEqual(json.loads(mine["scene.json"]), json.loads(server["scene.json"]))
        self.assertEqual(mine, server)

    def test_export_gives_a_zip(self) -> None:
        job = self.call("get", f"/jobs/{self.export().json()['id']}").json()
        self.assertEqual((job["state"], job["progress"]), ("done", 1.0))
        answer = self.client.get(job["file"])
        self.assertIn("box-gltf-256.zip", answer["Content-Disposition"])
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as pack:
            self.assertEqual(set(pack.namelist()), {"box.glb", "scene.json"})
            self.assertEqual(pack.read("box.glb")[:4], b"glTF")
            self.assertEqual(json.loads(pack.read("scene.json"))["layers"][1]["id"], "chips")
        self.same_as_on_the_command_line(job)
        maps = self.call("get", f"/jobs/{self.export(target='maps', bits=16).json()['id']}").json()
        with zipfile.ZipFile(io.BytesIO(b"".join(self.client.get(maps["file"]).streaming_content))) as pack:
            self.assertIn("box_object_normal.png", pack.namelist())

    def test_masks_go_along(self) -> None:
        asked = {"target": "maps", "masks": ["paint", "chips:acted"], "packed": True}
        listed = self.call("post", f"/objects/{self.item.pk}/delivery", asked)
        job = self.call("get", f"/jobs/{self.export(**asked).json()['id']}").json()
        with zipfile.ZipFile(io.BytesIO(b"".join(self.client.get(job["file"]).streaming_content))) as pack:
            self.assertEqual(pack.namelist(), listed.json()["files"])
            about = json.loads(pack.read("masks.json"))["files"]["box_object_mask-pack-1.png"]["channels"]
        self.assertEqual([(c["layer"], c["shows"]) for c in about.values()], [("paint", "place"), ("chips", "acted")])
        for body, where in (
            ({"masks": ["moss"]}, "masks[0]"),
            ({"masks": ["paint", "paint"]}, "masks[1]"),
            ({"masks": "paint"}, "masks"),
            ({"masks": ["x" * 121]}, "masks"),
            ({"masks": ["paint"] * 65}, "masks"),
            ({"masks": [7]}, "masks"),
            ({"packed": "maybe"}, "packed"),
        ):
            answer = self.export(**body)
            self.assertEqual(answer.status_code, 422, body)
            self.assertIn(where, answer.json()["where"], body)
        gone = self.call("post", f"/objects/{self.item.pk}/delivery", {"target": "maps", "masks": ["moss"]})
        self.assertEqual((gone.status_code, gone.json()["where"]), (422, "masks[0]"))

    def test_a_failure_is_told(self) -> None:
        job = Job.objects.create(
            owner=self.ada,
            object=self.item,
            kind="export",
            options={"document": {"version": 3}, "target": "gltf", "resolution": 256},
        )
        runner.run(job.pk, 0)
        found = self.call("get", f"/jobs/{job.pk}").json()
        self.assertEqual(found["state"], "failed")
        self.assertIn("version 3", found["error"])
        self.assertEqual(self.client.get(f"/api/jobs/{job.pk}/file").status_code, 404)
        with (
            mock.patch.dict(runner.WORK, {"export": mock.Mock(side_effect=RuntimeError("boom"))}),
            self.assertLogs("server.work.runner"),
        ):
            other = Job.objects.create(owner=self.ada, object=self.item, kind="export", options=job.options)
            runner.run(other.pk, 0)
        self.assertIn("Something went wrong", self.call("get", f"/jobs/{other.pk}").json()["error"])

    def test_cancel(self) -> None:
        waiting = Job.objects.create(owner=self.ada, object=self.item, kind="measure")
        self.assertEqual(self.call("post", f"/jobs/{waiting.pk}/cancel").json()["state"], "cancelled")
        runner.run(waiting.pk, 0)
        self.assertEqual(Job.objects.get(pk=waiting.pk).state, "cancelled")

        def long_work(job: Job, watch: runner.Watch) -> str:
            Job.objects.filter(pk=job.pk).update(cancel_requested=True)
            for k in range(200):
                watch.say(k / 200, "Working")
                watch._over.wait(0.05)
            return "never"

        running = Job.objects.create(owner=self.ada, object=self.item, kind="measure")
        with mock.patch.dict(runner.WORK, {"measure": long_work}):
            runner.run(running.pk, 0)
        found = Job.objects.get(pk=running.pk)
        self.assertEqual((found.state, found.file), ("cancelled", ""))
        self.assertLess(found.progress, 0.9)
        watch = runner.Watch(running.pk, 0)
        watch.cancelled = True
        self.assertRaises(Cancelled, watch.say, 0.5)

    def test_a_lost_job_is_given_to_another_and_the_old_worker_is_fenced_off(self) -> None:
        lost = Job.objects.create(
            owner=self.ada, object=self.item, kind="measure", state=Job.RUNNING, heartbeat=timezone.now(), tries=1
        )
        keeper = Keeper()
        keeper._adopt()
        self.assertEqual(Job.objects.get(pk=lost.pk).state, "running")  # heard of just now
        Job.objects.filter(pk=lost.pk).update(
            started=timezone.now() - timedelta(seconds=40), progress=0.5, word="Half of it"
        )
        said = self.call("get", f"/jobs/{lost.pk}").json()
        # Half took 40 s, so the other half takes 40 more.
        self.assertEqual(said["word"], "Half of it")
        self.assertAlmostEqual(said["seconds_left"], 40.0, delta=2.0)
        Job.objects.filter(pk=lost.pk).update(heartbeat=timezone.now() - timedelta(seconds=20))
        said = self.call("get", f"/jobs/{lost.pk}").json()
        self.assertEqual((said["word"], said["seconds_left"]), ("Waiting for a sign of its process", None))
        keeper._adopt()
        lost.refresh_from_db()
        self.assertEqual((lost.state, lost.attempt), ("queued", 1))
        runner.run(lost.pk, 0)  # the old attempt
        self.assertEqual(Job.objects.get(pk=lost.pk).state, "queued")
        runner.finish(Job(pk=lost.pk, attempt=0), Job.DONE)
        self.assertEqual(Job.objects.get(pk=lost.pk).state, "queued")
        # Three times, then it has failed and says so.
        for _ in range(2):
            lost.refresh_from_db()
            self.assertTrue(runner.claim(lost))
            Job.objects.filter(pk=lost.pk).update(heartbeat=None)
            keeper._adopt()
        lost.refresh_from_db()
        self.assertEqual(lost.state, "failed")
        self.assertIn("three times", lost.error)

    def test_two_tabs_share_one_measurement(self) -> None:
        options = {"version": self.item.head_id, "quality": "good"}
        first = Job.objects.create(owner=self.ada, object=self.item, kind="measure", state=Job.RUNNING, options=options)
        again = self.call("post", f"/objects/{self.item.pk}/jobs", {"kind": "measure"}).json()
        self.assertEqual(again["id"], first.pk)
        # Another quality is other work, and what it replaces is not waited for.
        fine = self.call("post", f"/objects/{self.item.pk}/jobs", {"kind": "measure", "quality": "fine"}).json()
        self.assertNotEqual(fine["id"], first.pk)
        first.refresh_from_db()
        self.assertTrue(first.cancel_requested)


class Published(ServerTest):
    def test_catalogue_draws_every_control(self) -> None:
        found = self.call("get", "/catalogue").json()
        self.assertEqual([e["kind"] for e in found["effects"]], list(EFFECTS))
        self.assertTrue(all(e["when"] and e["group"] and e["law"] for e in found["effects"]))
        controls = {
            "slider", "colour", "choice", "switch", "parts", "exposed", "seed", "optional", "curve", "picture",
            "layer", "coat",
            "line", "strokes", "picks", "text", "place", "substance", "ranges", "others", "eye", "maps",
        }  # fmt: skip
        for entry in [
            *found["effects"],
            *found["sources"],
            {"kind": "term", "schema": found["term"]},
            {"kind": "cut", "schema": found["cut"]},
            {
                "kind": "brush",
                "schema": {"properties": {k: v for k, v in found["brush"]["properties"].items() if k != "seed"}},
            },
        ]:
            for name, field in entry["schema"]["properties"].items():
                if name not in ("kind", "link"):
                    self.assertIn(field.get("control"), controls, f"{entry['kind']}.{name}")
        for source in found["sources"]:
            for name in [p.split("}")[0] for p in source["sentence"].split("{")[1:]]:
                self.assertIn(name, source["schema"]["properties"], source["kind"])

    def test_typescript_types_are_those_of_the_api(self) -> None:
        # The generated file is committed; every path and schema of the API must be in it.
        text = (Path(settings.BASE_DIR) / "web" / "src" / "api" / "schema.d.ts").read_text()
        schema = api.get_openapi_schema()
        for path in schema["paths"]:
            self.assertTrue(f"'{path}'" in text, f"{path}: run 'make types'")
        for name, definition in schema["components"]["schemas"].items():
            block = text[text.index(f"    {name}: {{") :]
            block = block[: block.index("\n    }\n")]
            self.assertEqual(
                set(re.findall(r"^      (\w+)\??:", block, re.M)),
                set(definition.get("properties", {})),
                f"{name}: run 'make types'",
            )


class CatalogueOnce(ServerTest):
    def test_it_is_sent_once_for_a_size_and_fits_that_size(self) -> None:
        first = self.client.get("/api/catalogue?size_m=2.04")
        self.assertEqual(first.status_code, 200)
        # Objects of about one size share it; a page that has it is told so.
        again = self.client.get("/api/catalogue?size_m=1.96", headers={"If-None-Match": first["ETag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))
        other = self.client.get("/api/catalogue?size_m=20", headers={"If-None-Match": first["ETag"]})
        self.assertEqual(other.status_code, 200)

        def size(found: Any) -> float:
            rust = next(e for e in found.json()["effects"] if e["kind"] == "chipping")
            return float(rust["schema"]["properties"]["size_mm"]["default"])

        # 10 times as large, to the power by which chips grow; the first is not changed by the second.
        self.assertAlmostEqual(size(other) / size(first), 10**0.6, delta=0.2)
        self.assertEqual(self.client.get("/api/catalogue?size_m=2").content, first.content)
        self.assertEqual(self.client.get("/api/catalogue?size_m=0").status_code, 422)
