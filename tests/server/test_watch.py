"""A folder that is watched: what changes in it is offered to the objects that were made from files of that name."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import override_settings
from django.utils import timezone

from limus.cli.main import main
from limus.cli.watch_command import Server, Watcher
from limus.common.errors import InputError
from limus.formats.gltf_write import glb_bytes
from server.api.tokens import digest_of
from server.projects.intake import take_in
from server.projects.models import ApiToken, Intake, Project
from tests.core import shapes
from tests.core.test_effects import STORY, scene


@override_settings(JOBS_AT_ONCE=True, READINGS_RESOLUTION=128, ALLOWED_HOSTS=["localhost", "127.0.0.1", "testserver"])
class Watching(StaticLiveServerTestCase):
    host = "127.0.0.1"

    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.ada = get_user_model().objects.create_user("ada", password="right-of-way-7")
        self.project = Project.objects.create(owner=self.ada, name="Bench")
        self.write("pier.glb", 0.2)
        self.item = take_in(self.project, "pier.glb", [glb_bytes(shapes.box(0.2))], scene(*STORY, name="Pier"))
        self.token = "limus_" + "w" * 43
        ApiToken.objects.create(
            owner=self.ada, name="w", digest=digest_of(self.token), rights="write",
            expires=timezone.now() + timedelta(days=1),
        )  # fmt: skip
        self.said: list[str] = []
        self.watcher = Watcher(self.folder, Server(self.live_server_url, self.token), self.said.append)
        self.client.force_login(self.ada)

    def write(self, name: str, size: float) -> None:
        (self.folder / name).write_bytes(glb_bytes(shapes.box(size)))

    def offered(self) -> list[dict[str, object]]:
        return list(self.client.get(f"/api/objects/{self.item.pk}/offered").json())

    def test_what_changes_is_offered_once_it_stands_still(self) -> None:
        self.assertEqual(self.watcher.begin(), 1)
        for _ in range(3):
            self.watcher.look()
        self.assertEqual((self.said, self.offered()), ([], []))
        self.write("pier.glb", 0.25)
        self.watcher.look()
        # It may still be written to.
        self.assertEqual(self.offered(), [])
        self.watcher.look()
        self.assertIn("pier.glb: offered to Pier: 5 layers with their settings and places", self.said[0])
        found = self.offered()
        self.assertEqual([(f["purpose"], f["files"]) for f in found], [("replace", ["pier.glb"])])
        # Nothing is taken by itself, and nothing is offered twice.
        self.watcher.look()
        self.watcher.look()
        self.assertEqual((len(self.said), Intake.objects.count()), (1, 1))
        before = self.item.head_id
        self.item.refresh_from_db()
        self.assertEqual(self.item.head_id, before)
        # A newer one takes its place; touched without a change it does not.
        self.write("pier.glb", 0.3)
        self.watcher.look()
        self.watcher.look()
        self.assertNotEqual(self.offered()[0]["id"], found[0]["id"])
        self.assertEqual(Intake.objects.count(), 1)
        os.utime(self.folder / "pier.glb")
        self.watcher.look()
        self.watcher.look()
        self.assertEqual(len(self.said), 2)
        taken = self.client.post(
            f"/api/intakes/{self.offered()[0]['id']}/accept",
            {"base": self.item.head_id},
            content_type="application/json",
        )
        self.assertEqual(taken.status_code, 201, taken.content)
        self.assertEqual(self.offered(), [])
        self.item.refresh_from_db()
        self.assertEqual(len(self.item.document["layers"]), len(STORY))

    def test_what_cannot_be_offered_is_said(self) -> None:
        self.watcher.begin()
        self.write("other.glb", 0.1)
        (self.folder / "pier.glb").write_bytes(b"half of a fi")
        for _ in range(3):
            self.watcher.look()
        self.assertIn("other.glb: no object was made from a file of that name", self.said)
        self.assertEqual(len([line for line in self.said if line.startswith("pier.glb: ")]), 1, self.said)
        self.assertEqual(self.offered(), [])
        self.write("pier.glb", 0.25)
        self.watcher.look()
        self.watcher.look()
        self.assertEqual(len(self.offered()), 1)
        ApiToken.objects.update(rights="read")
        self.write("pier.glb", 0.26)
        self.watcher.look()
        self.watcher.look()
        self.assertIn("may only read", self.said[-1])

    def test_it_begins_with_a_server_that_takes_it(self) -> None:
        with self.assertRaises(InputError) as caught:
            Watcher(self.folder, Server(self.live_server_url, "limus_none"), print).begin()
        self.assertIn("not known", caught.exception.line)
        with self.assertRaises(InputError) as caught:
            Watcher(self.folder, Server("http://127.0.0.1:9", self.token), print).begin()
        self.assertIn("no server answers", caught.exception.line)
        folder, url = str(self.folder), self.live_server_url
        with mock.patch.dict(os.environ, {"LIMUS_TOKEN": ""}):
            self.assertEqual(main(["watch", folder, "--server", url]), 2)
        with mock.patch.dict(os.environ, {"LIMUS_TOKEN": self.token}):
            self.assertEqual(main(["watch", f"{folder}/none", "--server", url]), 2)
            self.assertEqual(main(["watch", folder, "--server", "example"]), 2)
            self.assertEqual(main(["watch", folder, "--server", url, "--every", "0"]), 2)

    def test_as_a_command(self) -> None:
        command = [sys.executable, "-m", "limus.cli.main", "watch", str(self.folder), "--server", self.live_server_url,
                   "--every", "0.3"]  # fmt: skip
        with subprocess.Popen(
            command, stdout=subprocess.PIPE, text=True, env={**os.environ, "LIMUS_TOKEN": self.token}
        ) as watching:
            try:
                assert watching.stdout is not None
                self.assertIn("Watching 1 models", watching.stdout.readline())
                self.write("pier.glb", 0.25)
                self.assertIn("offered to Pier", watching.stdout.readline())
            finally:
                watching.kill()

    def test_only_a_newer_model_is_offered(self) -> None:
        answer = self.client.post(
            f"/api/projects/{self.project.pk}/intakes",
            {"purpose": "object", "offer": True},
            content_type="application/json",
        )
        self.assertEqual((answer.status_code, answer.json()["where"]), (422, "offer"))
        eve = get_user_model().objects.create_user("eve", password="left-of-way-7")
        self.client.force_login(eve)
        self.assertEqual(self.client.get(f"/api/objects/{self.item.pk}/offered").status_code, 404)
