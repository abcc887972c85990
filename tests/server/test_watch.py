"""A folder that is watched: what changes in it is offered to the objects that were made from files of that name."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from datetime import timedelta
from io import BytesIO
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import Client, override_settings
from django.utils import timezone
from PIL import Image

from limus.cli.main import main
from limus.cli.watch_command import Server, Watcher
from limus.common.errors import InputError
from limus.document.scene import scene_from
from limus.formats.gltf_write import glb_bytes
from server.api.tokens import digest_of
from server.projects.data_files import find
from server.projects.drawn import keep_picture
from server.projects.intake import take_in
from server.projects.models import ApiToken, Intake, Project, SourceFile
from server.projects.offered import difference
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
        model = self.client.get(f"/api/objects/{self.item.pk}/offered").json()["model"]
        return [] if model is None else [model]

    def test_what_is_different_between_two_pictures(self) -> None:
        def kept(name: str, pixels: np.ndarray) -> str:
            out = BytesIO()
            Image.fromarray(pixels).save(out, "PNG")
            return keep_picture(self.project, name, [out.getvalue()]).path

        rng = np.random.default_rng(4)
        before = rng.integers(0, 256, (600, 900, 3), np.uint8)
        after = before.copy()
        # The lower quarter, and a little elsewhere that nobody sees.
        after[450:] = 255 - after[450:]
        after[:100] = np.where(after[:100] > 0, after[:100] - 1, 0)
        was = kept("was.png", before)
        self.assertEqual(difference(was, kept("now.png", after)), "900 x 600 as before; 25% of it looks different")
        self.assertEqual(difference(was, was), "900 x 600 as before; 0% of it looks different")
        self.assertEqual(
            difference(was, kept("half.png", before[::2, ::2])),
            "450 x 300, before 900 x 600; 100% of it looks different",
        )
        grey = kept("grey.png", before[:, :, 0])
        self.assertEqual(difference(was, grey), "900 x 600 as before; another shape or other components")
        find(grey).write_bytes(b"no picture")
        self.assertIn("grey.png", difference(was, grey))

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

    def picture(self, grey: int, *, side: int = 32, name: str = "wall.png") -> bytes:
        """Written into the folder; half of it is always the same."""
        pixels = np.full((side, side, 3), 90, np.uint8)
        pixels[: side // 2] = grey
        out = BytesIO()
        Image.fromarray(pixels).save(out, "PNG")
        (self.folder / name).write_bytes(out.getvalue())
        return out.getvalue()

    def with_a_picture(self) -> str:
        """The object names a picture in its base and in a line of a layer; its name."""
        row = keep_picture(self.project, "wall.png", [self.picture(100)])
        document = self.item.document
        maps = {"kind": "map_set", "maps": [{"file": row.path, "role": "base_color", "colour": "srgb"}]}
        line = {"source": {"kind": "picture", "file": row.path}}
        first = {**document["layers"][0], "where": {"terms": [line]}}
        scene = scene_from({**document, "bases": [{"material": maps}], "layers": [first, *document["layers"][1:]]}, "x")
        self.item.commit(self.item.head_id, scene.model_dump(mode="json"), "With a picture")
        return str(row.path)

    def pictures_offered(self) -> list[dict[str, Any]]:
        return list(self.client.get(f"/api/objects/{self.item.pk}/offered").json()["pictures"])

    def test_a_picture_that_changes_is_offered_and_taken_by_one_edit(self) -> None:
        was = self.with_a_picture()
        self.assertEqual(self.watcher.begin(), 2)
        self.picture(200)
        self.watcher.look()
        self.assertEqual(self.pictures_offered(), [])
        self.watcher.look()
        self.assertEqual(self.said, ["wall.png: offered to Pier: 32 x 32 as before; 50% of it looks different"])
        (offer,) = self.pictures_offered()
        self.assertEqual((offer["was"], offer["name"]), (was, "wall.png"))
        # Nothing is taken by itself; a newer one takes its place, and what nobody uses goes.
        self.assertEqual(self.client.get(f"/api/objects/{self.item.pk}").json()["scene"]["can_redo"], False)
        self.picture(200, side=64)
        self.watcher.look()
        self.watcher.look()
        self.assertIn("64 x 64, before 32 x 32", self.said[-1])
        (newer,) = self.pictures_offered()
        self.assertNotEqual(newer["now"], offer["now"])
        self.assertFalse(SourceFile.objects.filter(path=offer["now"]).exists())
        self.assertFalse(find(offer["now"]).exists())
        done = self.client.post(
            f"/api/objects/{self.item.pk}/edit",
            {"base": self.item.head_id, "name": "replace-file", "arguments": {"was": was, "now": newer["now"]}},
            content_type="application/json",
        )
        self.assertEqual(done.status_code, 200, done.content)
        self.item.refresh_from_db()
        document = self.item.document
        self.assertEqual(document["bases"][0]["material"]["maps"][0]["file"], newer["now"])
        self.assertEqual(document["layers"][0]["where"]["terms"][0]["source"]["file"], newer["now"])
        self.assertEqual(self.pictures_offered(), [])
        # Undone, the earlier one is there again, and so is the offer.
        self.client.post(f"/api/objects/{self.item.pk}/undo", {"base": self.item.head_id}, "application/json")
        self.assertEqual(len(self.pictures_offered()), 1)

    def test_a_picture_is_left_and_one_that_nobody_names_is_not_kept(self) -> None:
        self.with_a_picture()
        self.watcher.begin()
        self.picture(50, name="other.png")
        self.picture(220)
        os.utime(self.folder / "wall.png")
        self.watcher.look()
        self.watcher.look()
        self.assertFalse(SourceFile.objects.filter(name="other.png").exists())
        (offer,) = self.pictures_offered()
        # Somebody else neither sees nor leaves it.
        eve = get_user_model().objects.create_user("eve", password="left-of-way-7")
        stranger = Client()
        stranger.force_login(eve)
        self.assertEqual(stranger.get(f"/api/objects/{self.item.pk}/offered").status_code, 404)
        self.assertEqual(stranger.delete(f"/api/offered-pictures/{offer['id']}").status_code, 404)
        place = f"/api/projects/{self.project.pk}/offered-pictures?name=wall.png"
        self.assertEqual(stranger.put(place, b"x", content_type="application/octet-stream").status_code, 404)
        self.assertEqual(self.client.delete(f"/api/offered-pictures/{offer['id']}").status_code, 204)
        self.assertEqual(self.pictures_offered(), [])
        self.assertFalse(SourceFile.objects.filter(path=offer["now"]).exists())
        # The same bytes again are nothing new, and what is no picture is said.
        self.picture(100)
        self.watcher.look()
        self.watcher.look()
        self.assertEqual(self.pictures_offered(), [])
        (self.folder / "wall.png").write_bytes(b"half of a pict")
        self.watcher.look()
        self.watcher.look()
        self.assertRegex(self.said[-1], r"^wall\.png: ")
        self.assertEqual(self.pictures_offered(), [])

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
                self.assertIn("Watching 1 files", watching.stdout.readline())
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
