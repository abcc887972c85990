"""What the server bears: broken uploads, full disks, many connections, removals, quotas, proxies, wrong passwords."""

from __future__ import annotations

import errno
import io
import json
import os
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import closing, suppress
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session as WebSession
from django.core.exceptions import ValidationError
from django.core.handlers.wsgi import WSGIRequest
from django.core.wsgi import get_wsgi_application
from django.db import OperationalError, connection, connections
from django.test import Client, override_settings
from django.utils import timezone

from limus.common.errors import InputError
from limus.common.store import shared
from limus.document.difference import applied, difference
from limus.formats.gltf_write import glb_bytes
from limus.formats.read import read_object
from server.api.answers import body_pieces
from server.config import front
from server.config import settings as application
from server.jobs.models import Job
from server.projects import storage
from server.projects.data_files import find
from server.projects.disk import DISK_FULL
from server.projects.intake import MOST_NAME, accept, check, clean_name, receive
from server.projects.models import FileUse, Intake, KeptFile, Project, SceneVersion, SourceFile, WorkObject
from tests.core import shapes
from tests.hostile import samples
from tests.server.base import ServerTest
from tests.server.test_drawn import STROKE, png

ROOT = Path(settings.BASE_DIR)


class Front(ServerTest):
    """The real front on a real socket, on the application itself."""

    def setUp(self) -> None:
        super().setUp()
        self.client.force_login(self.ada)
        self.cookie = self.client.cookies["sessionid"].value
        self.server = front.make_server(get_wsgi_application(), "127.0.0.1", 0, largest=settings.UPLOAD_LIMIT)
        self.port = self.server.socket.getsockname()[1]

        def run() -> None:
            with suppress(OSError, ValueError):
                self.server.run()
            connections.close_all()

        self.thread = threading.Thread(target=run, daemon=True)
        self.thread.start()
        self.addCleanup(self.stop)

    def stop(self) -> None:
        self.server.task_dispatcher.shutdown()
        for channel in list(self.server.active_channels.values()):
            channel.handle_close()
        self.server.close()
        self.thread.join(10)
        time.sleep(0.1)

    def connect(self) -> socket.socket:
        found = socket.create_connection(("127.0.0.1", self.port), 10)
        self.addCleanup(found.close)
        return found

    def ask(self, path: str = "/api/session") -> str:
        with socket.create_connection(("127.0.0.1", self.port), 30) as line:
            line.sendall(
                f"GET {path} HTTP/1.1\r\nHost: localhost\r\nCookie: sessionid={self.cookie}\r\nConnection: "
                "close\r\n\r\n".encode()
            )
            out = b""
            while piece := line.recv(65536):
                out += piece
        return out.decode("latin-1")

    def test_half_an_upload_is_never_taken_for_the_whole(self) -> None:
        intake = Intake.objects.create(project=self.project)
        data = glb_bytes(shapes.box(0.2))
        line = self.connect()
        head = (
            f"PUT /api/intakes/{intake.pk}/files?name=box.glb HTTP/1.1\r\nHost: localhost\r\nCookie: "
            f"sessionid={self.cookie}\r\n"
        )
        line.sendall(f"{head}Content-Length: {len(data)}\r\n\r\n".encode() + data[: len(data) // 2])
        line.close()
        time.sleep(1.0)
        self.assertFalse(intake.folder.is_dir() and any(intake.folder.iterdir()))
        self.assertIn("200 OK", self.ask())

    def test_idle_connections_take_no_thread(self) -> None:
        lines = [self.connect() for _ in range(50)]
        for k, line in enumerate(lines):
            start = b"GET /api/session HTTP/1.1\r\nHost: localhost\r\n"
            line.sendall(start if k % 2 else start.replace(b"GET", b"PUT") + b"Content-Length: 100000\r\n\r\nhalf")
        began = time.monotonic()
        self.assertIn("200 OK", self.ask())
        self.assertLess(time.monotonic() - began, 5.0)

    def test_a_slow_header_is_ended(self) -> None:
        with mock.patch.object(front, "HEADER", 1.0), mock.patch.object(front.Channel, "limit", 1.0):
            line = self.connect()
            line.sendall(b"GET / HTTP/1.1\r\nHost: local")
            line.settimeout(10)
            began = time.monotonic()
            with suppress(ConnectionError):
                while line.recv(1000):
                    pass
            self.assertLess(time.monotonic() - began, 8.0)

    def test_connections_of_one_address_are_bounded(self) -> None:
        with mock.patch.object(front.Server, "per_address", 12):
            lines = [self.connect() for _ in range(40)]
            time.sleep(1.0)
            self.assertLessEqual(len(self.server.active_channels), 12)
            for line in lines:
                line.close()
            time.sleep(0.5)
        self.assertIn("200 OK", self.ask())


class Proxies(TestCase):
    def test_who_asks_is_believed_from_the_proxy_only(self) -> None:
        def application(environ: dict[str, Any], start: Any) -> list[bytes]:
            start("200 OK", [("Content-Type", "text/plain")])
            return [f"{environ['REMOTE_ADDR']} {environ['wsgi.url_scheme']}".encode()]

        for proxies, wanted in ((0, "127.0.0.1 http"), (1, "203.0.113.9 https")):
            server = front.make_server(application, "127.0.0.1", 0, proxies=proxies)
            thread = threading.Thread(target=server.run, daemon=True)
            thread.start()
            with socket.create_connection(("127.0.0.1", server.socket.getsockname()[1]), 10) as line:
                head = (
                    "GET / HTTP/1.1\r\nHost: a\r\nX-Forwarded-For: 203.0.113.9\r\nX-Forwarded-Proto: "
                    "https\r\nConnection: close\r\n\r\n"
                )
                line.sendall(head.encode())
                answer = b""
                while piece := line.recv(4096):
                    answer += piece
            self.assertIn(wanted, answer.decode())
            server.task_dispatcher.shutdown()


class Uploads(ServerTest):
    def test_fewer_bytes_than_announced(self) -> None:
        # Behind whatever front: the view itself compares.
        intake = Intake.objects.create(project=self.project)
        data = glb_bytes(shapes.box(0.2))
        for come, announced in ((data, 2 * len(data)), (b"", 10)):
            request = WSGIRequest(
                {"REQUEST_METHOD": "PUT", "wsgi.input": io.BytesIO(come), "CONTENT_LENGTH": str(announced)}
            )
            with self.assertRaisesRegex(InputError, "broke off"):
                receive(intake, "box.glb", body_pieces(request))
            self.assertEqual(list(intake.folder.iterdir()), [])

    def test_names_that_file_systems_do_not_hold(self) -> None:
        name = clean_name("水" * 120 + ".glb")
        self.assertLessEqual(len(name.encode()), MOST_NAME)
        self.assertTrue(name.endswith(".glb"))
        answer = self.client.put(
            f"/api/projects/{self.project.pk}/objects?name={'水' * 100}.glb",
            glb_bytes(shapes.box(0.2)),
            content_type="application/octet-stream",
        )
        self.assertEqual(answer.status_code, 201, answer.content[:300])
        self.assertEqual(self.call("post", "/projects", {"name": "水" * 100}).status_code, 201)
        self.assertEqual(self.call("post", "/projects", {"name": "a\ud800"}).status_code, 400)

    def test_accepting_twice_at_once(self) -> None:
        intake = Intake.objects.create(project=self.project)
        receive(intake, "box.glb", [glb_bytes(shapes.box(0.2))])
        check(intake)
        again = Intake.objects.get(pk=intake.pk)
        accept(intake)
        with self.assertRaises(InputError):
            accept(again)
        self.assertEqual(WorkObject.objects.count(), 1)

    def test_two_of_one_name_at_once(self) -> None:
        intake = Intake.objects.create(project=self.project)
        data = glb_bytes(shapes.box(0.2))

        def slowly() -> Any:
            yield data[:100]
            receive(intake, "box.glb", [data])
            yield data[100:]

        receive(intake, "box.glb", slowly())
        self.assertEqual([p.name for p in intake.folder.iterdir()], ["box.glb"])
        self.assertEqual(len(read_object(intake.folder / "box.glb").triangles), 12)

    def test_half_files_go(self) -> None:
        intake = Intake.objects.create(project=self.project)
        receive(intake, "box.glb", [glb_bytes(shapes.box(0.2))])
        (intake.folder / "left.part").write_bytes(b"half")
        check(intake)
        item = accept(intake)
        home = find(item.scene().object.file).parent
        self.assertEqual([p.name for p in home.iterdir()], ["box.glb"])
        left = storage.data() / "pictures" / "abc.part"
        left.parent.mkdir(exist_ok=True)
        left.write_bytes(b"half")
        os.utime(left, (0, 0))
        storage.sweep()
        self.assertFalse(left.exists())

    def test_text_stl_in_an_old_encoding_and_a_zip_of_a_dot(self) -> None:
        stl = samples.objects()["text.stl"].replace(b"solid ", b"solid gr\xfcn ", 1)
        answer = self.client.put(
            f"/api/projects/{self.project.pk}/objects?name=a.stl", stl, content_type="application/octet-stream"
        )
        self.assertEqual(answer.status_code, 201, answer.content[:300])
        answer = self.client.put(
            f"/api/projects/{self.project.pk}/objects?name=a.zip",
            samples.zipped({".": b"x"}),
            content_type="application/octet-stream",
        )
        self.assertEqual(answer.status_code, 422)

    def test_what_is_left_is_said(self) -> None:
        self.add_box()
        used = storage.usage_of(self.ada).total
        self.assertTrue(0 < used < 1 << 20)
        with override_settings(QUOTA=10 << 20):
            storage.need_room(self.ada, (10 << 20) - used, "a.png")
            with self.assertRaises(InputError) as caught:
                storage.need_room(self.ada, (10 << 20) - used + 1, "a.png")
            self.assertEqual(
                (caught.exception.where, caught.exception.problem), ("a.png", "you have 9 MB left of 10 MB")
            )
        with override_settings(QUOTA=used - 1):
            self.assertEqual(storage.room_for(self.ada), 0)

    def test_zips_count_together_and_quotas_hold(self) -> None:
        zips = {f"{k}.zip": samples.zipped({f"{k}.png": b"\0" * (20 << 20)}) for k in range(3)}
        intake = Intake.objects.create(project=self.project)
        for name, data in zips.items():
            receive(intake, name, [data])
        with override_settings(UPLOAD_LIMIT=24 << 20), self.assertRaisesRegex(InputError, "unpack"):
            check(intake)
        with override_settings(QUOTA=1000):
            fresh = Intake.objects.create(project=self.project)
            with self.assertRaisesRegex(InputError, "left of"):
                receive(fresh, "box.glb", [glb_bytes(shapes.box(0.2))])
            self.assertEqual(list(fresh.folder.iterdir()), [])
            self.assertEqual(self.bring("a.png", png(64)).status_code, 422)
        found = self.call("get", "/usage").json()
        self.assertGreater(found["used"], 0)

    def bring(self, name: str, data: bytes) -> Any:
        return self.client.put(
            f"/api/projects/{self.project.pk}/pictures?name={name}", data, content_type="application/octet-stream"
        )

    def test_a_picture_that_came_in_is_not_held_unpacked(self) -> None:
        before = shared().used
        self.assertEqual(self.bring("large.png", png(2048)).status_code, 201)
        self.assertLess(shared().used - before, 1 << 20)

    def test_errors_show_no_path_of_the_server(self) -> None:
        for name, data in (
            ("a.png", b"\x89PNG\r\n\x1a\nnothing"),
            ("b.png", b"%!PS-3.0 EPSF-3.0\n"),
            ("c.exr", b"\x76\x2f\x31\x01xx"),
            ("d.tif", b"II*\0xx"),
        ):
            answer = self.bring(name, data)
            self.assertEqual(answer.status_code, 422)
            self.assertNotIn(str(settings.DATA_DIR), answer.content.decode())
            self.assertNotIn("/tmp/", answer.content.decode())


class DiskFull(ServerTest):
    def test_every_way_says_so(self) -> None:
        item = self.add_box()
        full = OSError(errno.ENOSPC, "No space left on device")
        with mock.patch("server.projects.drawn.write_whole", side_effect=full):
            stroke = {**STROKE, "brush": {"size_mm": 61.7071}}
            answer = self.call("post", f"/objects/{item.pk}/strokes", {"stroke": stroke})
            self.assertEqual((answer.status_code, answer.json()["message"]), (507, DISK_FULL))
        with mock.patch(
            "server.projects.models.WorkObject.commit", side_effect=OperationalError("database or disk is full")
        ):
            body = {"base": item.head_id, "name": "rename", "arguments": {"layer": "rust", "name": "Red rust"}}
            answer = self.call("post", f"/objects/{item.pk}/edit", body)
            self.assertEqual((answer.status_code, answer.json()["message"]), (507, DISK_FULL))
        with mock.patch("tempfile.mkstemp", side_effect=full):
            intake = Intake.objects.create(project=self.project)
            answer = self.client.put(
                f"/api/intakes/{intake.pk}/files?name=a.glb", b"x", content_type="application/octet-stream"
            )
            self.assertEqual(answer.status_code, 507)
        with mock.patch("server.work.runner.packed", side_effect=full):
            job = self.call("post", f"/objects/{item.pk}/jobs", {"kind": "export", "order": {"resolution": 256}}).json()
            self.assertIn(DISK_FULL, self.call("get", f"/jobs/{job['id']}").json()["error"])
        with mock.patch(
            "django.contrib.auth.views.LoginView.dispatch", side_effect=OperationalError("database or disk is full")
        ):
            answer = Client().get("/sign-in/")
            self.assertEqual((answer.status_code, DISK_FULL in answer.content.decode()), (507, True))

    def test_a_database_that_is_really_full(self) -> None:
        item = self.add_box()
        with connection.cursor() as cursor:
            # What other tests left free is given back first.
            cursor.execute("VACUUM")
            cursor.execute("PRAGMA page_count")
            pages = cursor.fetchone()[0]
            cursor.execute(f"PRAGMA max_page_count={pages}")
        try:
            document = {**item.document, "layers": item.document["layers"] * 1}
            seen = set()
            for k in range(200):
                document = {**item.document, "name": f"{'x' * 100}{k}"}
                item.refresh_from_db()
                answer = self.call(
                    "put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document, "label": "y" * 100}
                )
                seen.add(answer.status_code)
                if answer.status_code != 200:
                    break
            self.assertEqual(seen - {200}, {507})
        finally:
            with connection.cursor() as cursor:
                cursor.execute("PRAGMA max_page_count=1073741823")
        item.refresh_from_db()
        answer = self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
        self.assertEqual(answer.status_code, 200)


class Removing(ServerTest):
    def test_nothing_but_rows_is_looked_at(self) -> None:
        # A thousand versions, of which not one is read: removing takes as long as the rows do.
        item = self.add_box()
        for k in range(60):
            item.commit(item.head_id, {**item.document, "seed": k + 2}, "Seed")
        with mock.patch("limus.document.scene.Scene.model_validate", side_effect=AssertionError("validated")):
            self.assertEqual(self.call("delete", f"/objects/{item.pk}").status_code, 204)
        self.assertEqual((WorkObject.objects.count(), SceneVersion.objects.count(), FileUse.objects.count()), (0, 0, 0))

    def test_rows_go_first(self) -> None:
        item = self.add_box()
        home = find(item.scene().object.file).parent
        # Killed in between: files without rows, which the sweeper takes.
        with (
            mock.patch("server.projects.storage._unlink", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            storage.remove_object(item)
        self.assertTrue(home.exists())
        self.assertEqual(SourceFile.objects.count(), 0)
        os.utime(home, (0, 0))
        storage.sweep()
        self.assertFalse(home.exists())

    def test_a_stamp_that_another_object_uses_stays(self) -> None:
        one, two = self.add_box(), self.add_box(seed=7)
        stamp = self.client.put(
            f"/api/projects/{self.project.pk}/pictures?name=stamp.png", png(), content_type="application/octet-stream"
        ).json()["file"]
        for item in (one, two):
            stroke = {**STROKE, "brush": {"size_mm": 50 + item.pk, "shape": "picture", "picture": stamp}}
            file = self.call("post", f"/objects/{item.pk}/strokes", {"stroke": stroke}).json()["file"]
            document = json.loads(json.dumps(item.document))
            document["layers"][-1]["where"] = {"terms": [{"source": {"kind": "strokes", "strokes": [file]}}]}
            answer = self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
            self.assertEqual(answer.status_code, 200, answer.content[:300])
        refused = self.client.delete(f"/api/projects/{self.project.pk}/pictures?file={stamp}")
        self.assertEqual(refused.status_code, 422)
        self.call("delete", f"/objects/{one.pk}")
        self.assertTrue(find(stamp).exists())
        self.call("delete", f"/objects/{two.pk}")
        self.assertFalse(find(stamp).exists())

    def test_projects_and_pictures(self) -> None:
        file = self.client.put(
            f"/api/projects/{self.project.pk}/pictures?name=a.png", png(), content_type="application/octet-stream"
        ).json()["file"]
        self.assertEqual(self.client.delete(f"/api/projects/{self.project.pk}/pictures?file={file}").status_code, 204)
        self.assertFalse(find(file).exists())
        item = self.add_box()
        home = find(item.scene().object.file).parent
        self.client.force_login(self.eve)
        self.assertEqual(self.call("delete", f"/projects/{self.project.pk}").status_code, 404)
        self.client.force_login(self.ada)
        self.assertEqual(self.call("delete", f"/projects/{self.project.pk}").status_code, 204)
        self.assertFalse(home.exists())
        self.assertEqual(Project.objects.count(), 0)

    def test_undo_takes_the_name_back(self) -> None:
        item = self.add_box()
        answer = self.call(
            "put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": {**item.document, "name": "Crate"}}
        ).json()
        self.assertEqual(WorkObject.objects.get().name, "Crate")
        self.call("post", f"/objects/{item.pk}/undo", {"base": answer["version"]})
        self.assertEqual(WorkObject.objects.get().name, "Box")

    def test_looking_starts_nothing(self) -> None:
        from server.projects.intake import take_in

        item = take_in(self.project, "new.glb", [glb_bytes(shapes.box(0.2511))])
        with mock.patch("limus.playing.session.Session.measure", side_effect=AssertionError("measured")):
            for path in ("", "/scene", "/mesh.glb", "/portrait.png"):
                self.assertIn(self.call("get", f"/objects/{item.pk}{path}").status_code, (200, 204, 404))
        self.assertEqual(Job.objects.count(), 0)


class History(ServerTest):
    def test_differences_there_and_back(self) -> None:
        pairs: list[tuple[Any, Any]] = [
            ({}, {"a": [1, 2, {"b": None}]}),
            ({"a": [1, 2, 3, 4]}, {"a": [1, 9, 4]}),
            ({"a": {"x": 1}, "b": 2}, {"a": {"y": 1.0}}),
            ({"l": [{"id": 1, "v": [1]}, {"id": 2}]}, {"l": [{"id": 1, "v": [1, 2]}, {"id": 2, "w": True}]}),
            ({"a": 1}, {"a": True}),
            ([], [1]),
        ]
        for old, new in pairs:
            there, back = difference(old, new)
            self.assertEqual(json.dumps(applied(old, there)), json.dumps(new))
            self.assertEqual(json.dumps(applied(new, back), sort_keys=True), json.dumps(old, sort_keys=True))

    def test_any_version_can_be_had_again(self) -> None:
        item = self.add_box()
        seen = {item.head_id: item.document}
        for k in range(6):
            item.commit(
                item.head_id, {**item.document, "seed": k + 2, "layers": item.document["layers"][: 5 - k]}, "Less"
            )
            seen[item.head_id] = item.document
        for _ in range(3):
            item.step(item.head_id or 0, back=True)
        # A branch of its own.
        item.commit(item.head_id, {**item.document, "seed": 99}, "Other")
        seen[item.head_id] = item.document
        for pk, document in seen.items():
            self.assertEqual(SceneVersion.objects.get(pk=pk).document, document)

    def test_five_thousand_strokes(self) -> None:
        item = self.add_box()
        names = [f"strokes/{k:032x}.json" for k in range(5000)]
        for start in range(0, 5000, 500):
            SourceFile.objects.bulk_create(
                [SourceFile(project=self.project, path=n, name="stroke") for n in names[start : start + 500]]
            )
        document = json.loads(json.dumps(item.document))
        document["layers"][-1]["where"] = {"terms": [{"source": {"kind": "strokes", "strokes": []}}]}
        item.commit(item.head_id, document, "Strokes")
        before = self.held()
        for k in range(5000):
            listing = item.document["layers"][-1]["where"]["terms"][0]["source"]["strokes"]
            item.document["layers"][-1]["where"]["terms"][0]["source"]["strokes"] = listing
            if k % 250 == 0:
                # Twenty of them through the door, all others as rows of the same kind.
                new = json.loads(json.dumps(item.document))
                new["layers"][-1]["where"]["terms"][0]["source"]["strokes"].extend(names[k : k + 1])
                item.commit(item.head_id, new, "Paint")
            else:
                last = item.head
                SceneVersion.objects.create(
                    object=item, parent=last, number=k, label="Paint",
                    change=[["splice", ["layers", 4, "where", "terms", 0, "source", "strokes"], k, 0, [names[k]]]],
                    back=[["splice", ["layers", 4, "where", "terms", 0, "source", "strokes"], k, 1, []]],
                )  # fmt: skip
                listing.append(names[k])
        WorkObject.objects.filter(pk=item.pk).update(document=item.document)
        self.assertEqual(len(item.document["layers"][-1]["where"]["terms"][0]["source"]["strokes"]), 5000)
        self.assertLess(self.held() - before, 30 << 20)

    @staticmethod
    def held() -> int:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA page_count")
            pages = cursor.fetchone()[0]
            cursor.execute("PRAGMA page_size")
            return int(pages * cursor.fetchone()[0])


class Storage(ServerTest):
    def test_readings_have_an_owner_and_an_end(self) -> None:
        from server.projects.intake import take_in

        item = take_in(self.project, "new.glb", [glb_bytes(shapes.box(0.2819))])
        self.measured(item)
        names = set(KeptFile.objects.filter(object=item).values_list("name", flat=True))
        folder = Path(os.environ["LIMUS_CACHE"])
        self.assertTrue(names and all((folder / name).exists() for name in names))
        # The wind turns: what was measured for the other one belongs to it no longer after a while, and goes.
        document = json.loads(json.dumps(item.document))
        document["setting"]["wind_from_deg"] = 17.0
        item.commit(item.head_id, document, "Wind")
        self.measured(item)
        now = set(KeptFile.objects.filter(object=item).values_list("name", flat=True))
        self.assertGreater(now, names)
        with mock.patch.object(storage, "READINGS_KEPT", storage.timedelta(0)):
            job = self.call("post", f"/objects/{item.pk}/jobs", {"kind": "measure", "quality": "good"}).json()
            self.assertEqual(self.call("get", f"/jobs/{job['id']}").json()["state"], "done")
        kept = set(KeptFile.objects.filter(object=item).values_list("name", flat=True))
        self.assertTrue(kept < now)
        for name in now:
            os.utime(folder / name, (0, 0))
        storage.sweep()
        self.assertEqual({name for name in now if (folder / name).exists()}, kept)
        storage.remove_object(item)
        storage.sweep()
        self.assertFalse(any((folder / name).exists() for name in now))

    def test_deliveries_have_a_budget(self) -> None:
        item = self.add_box()
        self.measured(item)
        done = [
            self.call("post", f"/objects/{item.pk}/jobs", {"kind": "export", "order": {"resolution": 256}}).json()["id"]
            for _ in range(3)
        ]
        sizes = [Job.objects.get(pk=pk).size for pk in done]
        self.assertTrue(all(size > 1000 for size in sizes))
        with override_settings(DELIVERIES_BUDGET=sizes[-1] + sizes[-2] + 10):
            storage.sweep()
        self.assertEqual([bool(Job.objects.get(pk=pk).file) for pk in done], [False, True, True])
        self.assertEqual(self.client.get(f"/api/jobs/{done[0]}/file").status_code, 404)

    def test_what_goes_and_what_stays(self) -> None:
        item, long_ago = self.add_box(), timezone.now() - timedelta(days=400)
        base = storage.data()

        def put(place: str, size: int = 1000, *, old: bool = True) -> Path:
            """A file; what holds it was last touched long ago, or just now."""
            path = base / place
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"x" * size)
            if old:
                for one in (path, path.parent):
                    os.utime(one, (0, 0))
            return path

        def job(name: str, state: str, created: datetime, **more: Any) -> Job:
            made = Job.objects.create(owner=self.ada, object=item, kind="export", state=state, file=name, **more)
            Job.objects.filter(pk=made.pk).update(created=created)
            return made

        running = Job.objects.create(owner=self.ada, kind="batch", state=Job.RUNNING)
        ended = Job.objects.create(owner=self.ada, kind="batch", state=Job.FAILED)
        job("deliveries/old.zip", Job.DONE, long_ago), job("deliveries/new.zip", Job.DONE, timezone.now())
        waits = job("", Job.QUEUED, long_ago)
        here, there = (Intake.objects.create(project=self.project) for _ in range(2))
        Intake.objects.filter(pk=there.pk).update(created=long_ago)
        goes = [
            put("deliveries/old.zip", 10), put("deliveries/nobodys.zip", 20), put(f"batches/{ended.pk}/a.zip", 30),
            put(f"intakes/{there.pk}/a.glb", 40), put("intakes/99999/a.glb", 50), put("uploads/a.part", 60),
            put(f"portraits/{item.pk + 1}-3.png", 70, old=False), put("samples/a/b.png", 80),
            put("objects/f00d/a.glb", 90), put("pictures/f00d/a.png", 100), put("strokes/f00d/a.json", 110),
        ]  # fmt: skip
        stays = [
            put("deliveries/new.zip"), put("deliveries/just-now.zip", old=False), put(f"batches/{running.pk}/a.zip"),
            put(f"intakes/{here.pk}/a.glb"), put("intakes/99998/a.glb", old=False), put("uploads/b.part", old=False),
            put(f"portraits/{item.pk}-3.png"), put("samples/c/d.png", old=False), put("objects/cafe/a.glb", old=False),
            base / item.scene().object.file,
        ]  # fmt: skip
        os.utime(base / "uploads" / "a.part", (0, 0))
        told = storage.sweep(really=False)
        self.assertEqual([path.name for path in [*goes, *stays] if not path.exists()], [])
        done = storage.sweep()
        self.assertEqual(dict(told.freed), dict(done.freed))
        self.assertEqual([str(path.relative_to(base)) for path in goes if path.exists()], [])
        self.assertEqual([str(path.relative_to(base)) for path in stays if not path.exists()], [])
        freed = {"deliveries": 60, "intakes": 90, "uploads": 60, "portraits": 70, "samples": 80, "objects": 90}
        self.assertEqual({what: done.freed[what] for what in freed}, freed)
        self.assertEqual((done.freed["pictures"], done.freed["strokes"], done.total), (100, 110, 660))
        self.assertEqual(set(Intake.objects.values_list("pk", flat=True)), {here.pk})
        self.assertTrue(Job.objects.filter(pk=waits.pk).exists())
        self.assertFalse(Job.objects.filter(file="deliveries/old.zip").exists())

    def test_the_command_says_and_frees(self) -> None:
        from io import StringIO

        from django.core.management import call_command

        self.add_box()
        lost = storage.data() / "objects" / "f00"
        lost.mkdir(parents=True, exist_ok=True)
        (lost / "a.glb").write_bytes(b"x" * (5 << 19))
        os.utime(lost, (0, 0))
        out = StringIO()
        call_command("storage", stdout=out)
        self.assertIn("ada", out.getvalue())
        self.assertRegex(out.getvalue(), r"Could be freed \(--sweep\): 2\.5 MB \([a-z ]+ 2\.5 MB\)")
        self.assertTrue(lost.exists())
        out.truncate(0)
        call_command("storage", "--sweep", stdout=out)
        self.assertRegex(out.getvalue(), r"Freed: 2\.5 MB \([a-z ]+ 2\.5 MB\)")
        self.assertFalse(lost.exists())
        out.truncate(0)
        call_command("storage", stdout=out)
        self.assertTrue(out.getvalue().endswith("Could be freed (--sweep): 0.0 MB\n"), out.getvalue()[-80:])

    def test_exports_that_memory_does_not_hold(self) -> None:
        item = self.add_box()
        with override_settings(JOB_MEMORY=600 << 20):
            answer = self.call("post", f"/objects/{item.pk}/jobs", {"kind": "export", "order": {"resolution": 2048}})
        self.assertEqual(answer.status_code, 422)
        self.assertRegex(
            answer.json()["message"],
            r"2048 x 2048 for 1 map set takes about .+ of memory, and an export on this server may take 600 MB",
        )
        self.assertIn("Export at 1024", answer.json()["message"])
        self.assertEqual(Job.objects.count(), 0)
        self.assertEqual(
            self.call("post", f"/objects/{item.pk}/jobs", {"kind": "export", "order": {"resolution": 3001}}).json()[
                "where"
            ],
            "resolution",
        )

    def test_the_listing_is_what_is_written(self) -> None:
        import zipfile

        item = self.add_box()
        self.measured(item)
        for target in ("gltf", "maps"):
            listing = self.call("post", f"/objects/{item.pk}/delivery", {"target": target}).json()
            job = self.call(
                "post", f"/objects/{item.pk}/jobs", {"kind": "export", "order": {"target": target, "resolution": 256}}
            ).json()
            with zipfile.ZipFile(storage.data() / Job.objects.get(pk=job["id"]).file) as archive:
                self.assertEqual(set(archive.namelist()) - {"notes.txt"}, set(listing["files"]))


class SignIn(ServerTest):
    def test_one_password_against_many_names(self) -> None:
        client = Client()
        codes = [
            client.post("/sign-in/", {"username": f"name{k}", "password": "same-password-1"}).status_code
            for k in range(40)
        ]
        self.assertEqual(codes[0], 200)
        self.assertEqual(codes[-1], 429)
        self.assertLess(codes.index(429), 25)

    def test_weak_passwords(self) -> None:
        user = get_user_model()(username="ada")
        for weak in ("20261125", "ada12345", "1234567890123", "password123"):
            with self.assertRaises(ValidationError, msg=weak):
                validate_password(weak, user)
        validate_password("right-of-way-7", user)

    def test_forwarded_requests_are_never_signed_in_by_themselves(self) -> None:
        get_user_model().objects.create_user("demo")
        client = Client()
        with override_settings(DEMO_SIGN_IN=True):
            for header in ("HTTP_X_FORWARDED_FOR", "HTTP_FORWARDED", "HTTP_X_REAL_IP"):
                self.assertEqual(client.get("/api/session", **{header: "203.0.113.9"}).status_code, 401)
            before = WebSession.objects.count()
            for _ in range(3):
                self.assertEqual(Client().get("/api/session").status_code, 200)
            self.assertEqual(WebSession.objects.count(), before)

    def test_the_schema_needs_a_sign_in(self) -> None:
        self.assertNotEqual(Client().get("/api/openapi.json").status_code, 200)
        self.assertEqual(self.client.get("/api/openapi.json").status_code, 200)

    def test_passwords_are_hashed_by_a_function_that_is_hard_on_guessers(self) -> None:
        # Argon2id is the first choice of OWASP's password storage cheat sheet (from memory). Tests themselves use a
        # quick one, so the settings of the application are asked, and one is made and checked.
        self.assertIn("Argon2", application.PASSWORD_HASHERS[0])
        with override_settings(PASSWORD_HASHERS=application.PASSWORD_HASHERS):
            user = get_user_model().objects.create_user("may", password="over-the-weir-9")
            self.assertTrue(user.password.startswith("argon2$argon2id$"))
            self.assertTrue(user.check_password("over-the-weir-9"))
            self.assertFalse(user.check_password("over-the-weir-8"))

    def test_the_database_is_for_its_owner_only(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            env = {**os.environ, "LIMUS_DATA": folder, "LIMUS_HTTPS": "1", "LIMUS_PROXIES": "1"}
            for name in ("DJANGO_SETTINGS_MODULE", "DJANGO_ALLOW_ASYNC_UNSAFE"):
                env.pop(name, None)
            subprocess.run([sys.executable, "manage.py", "migrate", "-v", "0"], cwd=ROOT, env=env, check=True)
            for name in os.listdir(folder):
                if name.startswith("limus.sqlite3"):
                    self.assertEqual(oct((Path(folder) / name).stat().st_mode & 0o777), "0o600", name)
            done = subprocess.run(
                [sys.executable, "manage.py", "check", "--deploy"],
                cwd=ROOT,
                env=env,
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(done.returncode, 0, done.stderr[-3000:])
            # Subdomains and preloading are for whoever owns the whole name to decide.
            warnings = [
                line
                for line in done.stderr.splitlines()
                if "security." in line and not any(w in line for w in ("W005", "W021"))
            ]
            self.assertEqual(warnings, [])


class Backup(TestCase):
    """A copy that can be gone back to, and an older database."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def manage(self, *args: str, where: str = "data") -> str:
        env = {
            **os.environ,
            "LIMUS_DATA": str(self.folder / where),
            "LIMUS_CACHE": str(self.folder / where / "readings"),
        }
        env.pop("DJANGO_SETTINGS_MODULE", None)
        done = subprocess.run(
            [sys.executable, "-W", "ignore", "manage.py", *args],
            cwd=ROOT,
            env=env,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-1500:])
        return done.stdout

    def test_backup_while_edits_run_and_restore(self) -> None:
        begun, enough = self.folder / "begun", self.folder / "enough"
        edits = f"""
import pathlib
from django.core.management import call_command
from server.projects.models import WorkObject
call_command("migrate", verbosity=0)
call_command("load_demo", draft=True, first=True, verbosity=0)
item, k = WorkObject.objects.get(), 0
while not pathlib.Path({str(enough)!r}).exists():
    k += 1
    item.commit(item.head_id, {{**item.document, "seed": k}}, f"Edit {{k}}")
    if k == 3:
        pathlib.Path({str(begun)!r}).touch()
print(k)
"""
        env = {**os.environ, "LIMUS_DATA": str(self.folder / "data")}
        env.pop("DJANGO_SETTINGS_MODULE", None)
        writer = subprocess.Popen(
            [sys.executable, "-W", "ignore", "manage.py", "shell", "-v", "0", "-c", edits],
            cwd=ROOT, env=env, stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(writer.kill)
        limit = time.monotonic() + 120
        while not begun.exists():
            self.assertIsNone(writer.poll(), "no edit was made")
            self.assertLess(time.monotonic(), limit, "no edit was made")
            time.sleep(0.05)
        self.manage("backup", str(self.folder / "copy"))
        enough.touch()
        assert writer.stdout is not None
        made = int(writer.stdout.read().split()[-1])
        writer.wait(30)
        with (
            closing(sqlite3.connect(self.folder / "copy" / "limus.sqlite3")) as copy,
            closing(sqlite3.connect(self.folder / "data" / "limus.sqlite3")) as data,
        ):
            self.assertEqual(copy.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            (held,) = copy.execute("SELECT document FROM projects_workobject").fetchone()
            seed = json.loads(held)["seed"]
            # It was made in the middle of edits, which went on.
            self.assertTrue(3 <= seed < made, (seed, made))
            # Object and history are of the same moment, and what was there is the same in both.
            versions = "SELECT number, label, change FROM projects_sceneversion ORDER BY number"
            kept, all_of_them = copy.execute(versions).fetchall(), data.execute(versions).fetchall()
            self.assertEqual(kept[-1][1], f"Edit {seed}")
            self.assertEqual(kept, all_of_them[: len(kept)])
        # The copy is a folder that can be worked from, with its files.
        look = (
            "from server.projects.data_files import find\nfrom server.projects.models import WorkObject\n"
            "i = WorkObject.objects.get()\nprint(i.document['seed'], find(i.scene().object.file).is_file())"
        )
        said = self.manage("shell", "-v", "0", "-c", look, where="copy").split()
        self.assertEqual(said[-2:], [str(seed), "True"])

    def test_an_older_database_is_brought_up(self) -> None:
        # In one process: each begins by loading everything.
        self.manage(
            "shell",
            "-v",
            "0",
            "-c",
            "from django.core.management import call_command\n"
            "for to in (['projects', '0004'], ['jobs', '0002'], ['auth']): call_command('migrate', *to, verbosity=0)",
        )
        documents = [
            {"version": 1, "name": "Old", "object": {"file": "objects/ab/cup.glb"}, "layers": [], "seed": k}
            for k in range(3)
        ]
        home = self.folder / "data" / "objects" / "ab"
        home.mkdir(parents=True)
        (home / "cup.glb").write_bytes(glb_bytes(shapes.box(0.2)))
        with sqlite3.connect(self.folder / "data" / "limus.sqlite3") as database:
            database.execute(
                "INSERT INTO auth_user (id, password, is_superuser, username, first_name, last_name, email, "
                "is_staff, is_active, "
                "date_joined) VALUES (1, 'x', 0, 'ada', '', '', '', 0, 1, '2026-01-01')"
            )
            database.execute(
                "INSERT INTO projects_project (id, name, created, owner_id) VALUES (1, 'Bench', '2026-01-01', 1)"
            )
            database.execute(
                "INSERT INTO projects_sourcefile (id, path, name, unit_known, created, project_id) VALUES (1, "
                "'objects/ab/cup.glb', 'cup.glb', 1, '2026-01-01', 1)"
            )
            database.execute(
                "INSERT INTO projects_workobject (id, name, undone, created, project_id) VALUES (1, 'Old', '[]', "
                "'2026-01-01', 1)"
            )
            for k, document in enumerate(documents, 1):
                database.execute(
                    "INSERT INTO projects_sceneversion (id, number, document, label, created, object_id, parent_id) "
                    "VALUES (?, ?, ?, 'Edit', '2026-01-01', 1, ?)",
                    (k, k, json.dumps(document), k - 1 or None),
                )
            database.execute("UPDATE projects_workobject SET head_id = 3")
        look = (
            "from django.core.management import call_command\ncall_command('migrate', verbosity=0)\n"
            "from server.projects.models import *\ni=WorkObject.objects.get()\n"
            "print(i.document['seed'], [v.document['seed'] for v in SceneVersion.objects.order_by('id')], [u.path "
            "for u in FileUse.objects.all()], SourceFile.objects.get().size > 1000)"
        )
        self.assertIn("2 [0, 1, 2] ['objects/ab/cup.glb'] True", self.manage("shell", "-v", "0", "-c", look))
