"""What an upgrade changes is said; what was killed, full or wrong ends in one line or is swept."""

from __future__ import annotations

import copy
import io
import os
import subprocess
import sys
import tempfile
import time
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.management import call_command
from django.db import OperationalError
from django.utils import timezone

from limus.document.editions import editions_of, looks_changed
from limus.effects.rust import Rust
from server.jobs.models import Job
from server.projects import last_view, models, storage
from server.projects.models import WorkObject
from server.work.keeper import Keeper
from tests.server.base import ServerTest

ROOT = Path(settings.BASE_DIR)


class Models(ServerTest):
    def test_what_they_say_is_what_the_database_was_brought_to(self) -> None:
        out = io.StringIO()
        try:
            call_command("makemigrations", check=True, dry_run=True, stdout=out, stderr=out)
        except SystemExit:
            self.fail(f"A migration is missing:\n{out.getvalue()}")


class Editions(ServerTest):
    def test_an_object_made_with_earlier_looks_says_so_until_it_may(self) -> None:
        item = self.add_box()
        self.measured(item)
        state = self.call("get", f"/objects/{item.pk}").json()
        self.assertEqual((state["looks_changed"], state["looked"]), ([], False))
        first = self.client.get(f"/api/objects/{item.pk}/portrait.png").content
        # A version in which rust looks different.
        with mock.patch.object(Rust, "edition", 7), mock.patch.dict(models.CURRENT, {"effect rust": 7}):
            state = self.call("get", f"/objects/{item.pk}").json()
            self.assertEqual(state["looks_changed"], ["rust"])
            self.client.get(f"/api/objects/{item.pk}/portrait.png")
            self.assertEqual(self.client.get(f"/api/objects/{item.pk}/portrait-before.png").content, first)
            self.assertTrue(self.call("get", f"/objects/{item.pk}").json()["looked"])
            # What is edited or added meanwhile does not hide it; a new kind is of today.
            item.refresh_from_db()
            item.commit(item.head_id, {**item.document, "seed": 5}, "Seed")
            self.assertEqual(item.looks_changed(), ["rust"])
            self.assertEqual(self.call("post", f"/objects/{item.pk}/looks-good").status_code, 204)
            item.refresh_from_db()
            self.assertEqual(item.looks_changed(), [])
            self.assertEqual(item.editions["effect rust"], 7)
        other = self.add_box()
        self.assertEqual(other.editions, editions_of(other.scene()))

    def test_objects_of_before_there_were_editions(self) -> None:
        item = self.add_box()
        WorkObject.objects.filter(pk=item.pk).update(editions={})
        item.refresh_from_db()
        with mock.patch.object(Rust, "edition", 2), mock.patch.dict(models.CURRENT, {"effect rust": 2}):
            self.assertEqual(item.looks_changed(), ["rust"])
            item.commit(item.head_id, {**item.document, "seed": 6}, "Seed")
            self.assertEqual(item.looks_changed(), ["rust"])
        self.assertEqual(looks_changed(item.scene(), {}), [])


class LastView(ServerTest):
    def test_it_is_there_at_once_for_its_version_only(self) -> None:
        item = self.add_box()
        self.measured(item)
        with mock.patch.object(last_view, "REST", 0.01):
            body = {"resolution": 512, "selected": "rust", "pictures": True}
            answer = self.call("post", f"/objects/{item.pk}/evaluate", body).json()
            for _ in range(200):
                if self.call("get", f"/objects/{item.pk}/last-view").status_code == 200:
                    break
                time.sleep(0.05)
        from limus.common.store import shared

        # As after a restart: nothing is in memory.
        shared().clear()
        with mock.patch("server.api.evaluation.turn", side_effect=AssertionError("evaluated")):
            again = self.call("get", f"/objects/{item.pk}/last-view").json()
            self.assertEqual(again["maps"], answer["maps"])
            for name in again["maps"]["base_color"]:
                self.assertEqual(self.client.get(f"/api/maps/{name}").status_code, 200)
        # What is no such file, or not all of one, is none.
        from limus.readings.kept import cache_folder

        kept = cache_folder() / f"view-{item.pk}.bin"
        whole = kept.read_bytes()
        for spoilt in (b"X" + whole[1:], whole[:-9], whole[:12], b""):
            kept.write_bytes(spoilt)
            self.assertEqual(self.call("get", f"/objects/{item.pk}/last-view").status_code, 204)
        kept.write_bytes(whole)
        self.assertEqual(self.call("get", f"/objects/{item.pk}/last-view").status_code, 200)
        # Somebody else has no part in it.
        self.client.force_login(self.eve)
        self.assertEqual(self.call("get", f"/objects/{item.pk}/last-view").status_code, 404)
        self.client.force_login(self.ada)
        item.refresh_from_db()
        item.commit(item.head_id, {**item.document, "seed": 3}, "Seed")
        self.assertEqual(self.call("get", f"/objects/{item.pk}/last-view").status_code, 204)
        # It goes with its object, like readings.
        self.assertTrue(kept.exists())
        storage.remove_object(item)
        os.utime(kept, (0, 0))
        storage.sweep()
        self.assertFalse(kept.exists())


class Left(ServerTest):
    def test_a_killed_texture_upload_is_swept(self) -> None:
        home = Path(settings.DATA_DIR)
        for place in (home / storage.UPLOADS / "tmpabcdefgh", home / "tmp12345678"):
            place.mkdir(parents=True, exist_ok=True)
            (place / "set.zip").write_bytes(bytes(1000))
            os.utime(place, (0, 0))
        young = home / storage.UPLOADS / "tmpyoungone"
        young.mkdir()
        other = home / "something-of-ours"
        other.mkdir(exist_ok=True)
        os.utime(other, (0, 0))
        swept = storage.sweep()
        self.assertEqual(swept.freed["uploads"], 2000)
        self.assertFalse((home / "tmp12345678").exists())
        self.assertTrue(young.exists() and other.exists())

    def test_a_sign_of_life_from_the_future_is_none(self) -> None:
        item = self.add_box()
        job = Job.objects.create(
            owner=self.ada, object=item, kind="measure", state=Job.RUNNING, heartbeat=timezone.now() + timedelta(days=2)
        )
        self.call("post", f"/jobs/{job.pk}/cancel")
        Keeper().look()
        job.refresh_from_db()
        self.assertEqual(job.state, Job.CANCELLED)

    def test_removing_works_on_a_full_disk(self) -> None:
        item = self.add_box()
        storage.reserve()
        self.assertEqual(storage.size_of(Path(settings.DATA_DIR) / ".reserve"), storage.RESERVE)
        full = [OperationalError("database or disk is full")]
        original = WorkObject.delete

        def first_fails(self: WorkObject) -> object:
            if full:
                raise full.pop()
            return original(self)

        with mock.patch.object(WorkObject, "delete", first_fails):
            self.assertEqual(self.call("delete", f"/objects/{item.pk}").status_code, 204)
        self.assertFalse((Path(settings.DATA_DIR) / ".reserve").exists())
        self.assertFalse(WorkObject.objects.filter(pk=item.pk).exists())


class Starting(ServerTest):
    def serve(self, folder: str, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        env = {k: v for k, v in os.environ.items() if k != "LIMUS_CACHE"} | {"LIMUS_DATA": folder, **environment}
        return subprocess.run(
            [sys.executable, "-W", "ignore", str(ROOT / "manage.py"), *words],
            env=env,
            capture_output=True,
            text=True,
            timeout=120,
            cwd=tempfile.gettempdir(),
        )

    def test_settings_are_called_by_their_names(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for name, value in (
                ("LIMUS_QUOTA", "-1"),
                ("LIMUS_WORKERS", "x"),
                ("LIMUS_WORKERS", "1.5"),
                ("LIMUS_READINGS", "many"),
                ("LIMUS_PROXIES", "nan"),
            ):
                done = self.serve(folder, "storage", **{name: value})
                self.assertEqual(done.returncode, 2, done.stderr)
                self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
                self.assertIn(name, done.stderr)

    def test_a_database_that_cannot_be_used_ends_in_one_line(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "limus.sqlite3").write_bytes(b"no database at all, and never was" * 500)
            done = self.serve(folder, "serve", "--port", "18641")
            self.assertEqual(done.returncode, 1)
            self.assertEqual(done.stderr.strip().count("\n"), 0, done.stderr)
            self.assertIn("damaged", done.stderr)
            self.assertIn("There is no backup", done.stderr)
            place = Path(folder) / "copy"
            place.mkdir()
            (Path(folder) / "last-backup").write_text(f"{place}\n2026-11-20 10:00\n")
            self.assertIn(
                f"Put the last backup in its place: {place} (of 2026-11-20 10:00)",
                self.serve(folder, "serve", "--port", "18641").stderr,
            )

    def test_a_document_names_its_kinds(self) -> None:
        item = self.add_box()
        self.assertEqual(models.kinds_in(item.document), sorted(editions_of(item.scene())))
        more = copy.deepcopy(item.document)
        more["layers"][0]["name"] = {"effect": 1}
        self.assertEqual(models.kinds_in(more), models.kinds_in(item.document))
