"""Batches of a project: rows that name its objects, what is wrong with them, going on after a loss, downloads."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any
from unittest import mock

import openpyxl
from django.conf import settings

from limus.batch.run import carried_out
from limus.common.errors import InputError
from limus.formats.gltf_write import glb_bytes
from server.jobs.models import Job
from server.projects import batches, storage
from server.projects.intake import take_in
from server.projects.models import KeptOrder, OwnTreatment, Project
from server.work import runner
from tests.core import shapes
from tests.core.test_effects import STORY, scene
from tests.server.base import ServerTest

SMALL = {"resolution": "32", "target": "maps"}


class Batches(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.pier = self.add_box()
        self.cap = take_in(self.project, "cap.glb", [glb_bytes(shapes.box(0.05))], scene(*STORY[:1], name="Cap"))

    def begin(self, *rows: dict[str, str], code: int = 201) -> Any:
        answer = self.call("post", f"/projects/{self.project.pk}/batches", {"rows": list(rows)})
        self.assertEqual(answer.status_code, code, answer.content)
        return answer.json()

    def batch(self, job: dict[str, Any]) -> Any:
        return self.call("get", f"/batches/{job['id']}").json()

    def test_rows_become_folders_of_one_delivery(self) -> None:
        KeptOrder.objects.create(
            owner=self.ada, name="Archive", document={"target": "maps", "names": "{map}", "resolution": 32}
        )
        job = self.begin(
            {"object": "Box", **SMALL, "treatment": "workshop", "seed": "4", "year": "3"},
            {"object": str(self.cap.pk), "order": "Archive", "out": "caps/one"},
            {},
            {"object": "Nobody", **SMALL},
        )
        found = self.batch(job)
        self.assertEqual(found["job"]["state"], "done", found["job"]["error"])
        self.assertEqual(
            [(r["row"], r["out"], r["state"]) for r in found["rows"]],
            [(2, "box", "done"), (3, "caps/one", "done"), (5, "", "failed")],
        )
        self.assertIn("there is no object 'Nobody' in this project", found["rows"][2]["problem"])
        data = b"".join(self.client.get(found["job"]["file"]).streaming_content)
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            names = set(pack.namelist())
            self.assertLessEqual({"box/box_object_height.png", "caps/one/height.png", "report.html"}, names)
            document = json.loads(pack.read("box/scene.json"))
            self.assertIn("there is no object", pack.read("report.html").decode())
        self.assertEqual((document["seed"], document["year"]), (4, 3.0))
        self.assertGreater(len(document["layers"]), len(STORY))
        picture = self.client.get(found["rows"][0]["picture"])
        self.assertEqual((picture.status_code, picture.content[:4]), (200, b"\x89PNG"))
        self.assertEqual(self.client.get(f"/api/batches/{job['id']}/rows/5/picture").status_code, 404)
        # Also in the moment when the rows are in the zip and the job does not say so yet.
        file = Job.objects.get(pk=job["id"]).file
        Job.objects.filter(pk=job["id"]).update(file="", state=Job.RUNNING)
        self.assertEqual(self.client.get(found["rows"][0]["picture"]).status_code, 200)
        Job.objects.filter(pk=job["id"]).update(file=file, state=Job.DONE)
        # What lay there meanwhile is gone, and the objects themselves are as before.
        self.assertFalse((storage.data() / "batches" / str(job["id"])).exists())
        self.pier.refresh_from_db()
        self.assertEqual(len(self.pier.document["layers"]), len(STORY))
        self.assertEqual(
            [b["job"]["id"] for b in self.call("get", f"/projects/{self.project.pk}/batches").json()], [job["id"]]
        )

    def test_it_belongs_to_its_owner(self) -> None:
        job = self.begin({"object": "Cap", **SMALL})
        picture = self.batch(job)["rows"][0]["picture"]
        others = Project.objects.create(owner=self.eve, name="Hers")
        self.client.force_login(self.eve)
        for path in (f"/projects/{self.project.pk}/batches", f"/batches/{job['id']}", f"/jobs/{job['id']}"):
            self.assertEqual(self.call("get", path).status_code, 404, path)
        self.assertEqual(self.client.get(picture).status_code, 404)
        answer = self.call("post", f"/projects/{others.pk}/batches", {"rows": [{"object": str(self.cap.pk)}]})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("there is no object", answer.json()["message"])
        OwnTreatment.objects.create(owner=self.ada, name="Mine", document={})
        answer = self.call("post", f"/projects/{self.project.pk}/batches/plan", {"rows": [{"object": "Box"}]})
        self.assertEqual(answer.status_code, 404)

    def test_what_is_wrong_is_said_before_anything_is_done(self) -> None:
        rows = [
            {"object": "Box", **SMALL},
            {"object": "Box", **SMALL},
            {"object": "/etc/passwd"},
            {"object": "Box", "scene": "x.json"},
            {"object": "Box", "base": "../x.json"},
            {"object": "Box", "treatment": "../secret.json"},
            {"object": "Box", "order": "../order.json"},
            {"object": "Box", "out": "../../x"},
            {"object": "Box", "target": "maps", "names": "{set}/../../{map}"},
            {"object": "Box", "colour": "red"},
            {"treatment": "workshop"},
        ]
        plan = self.call("post", f"/projects/{self.project.pk}/batches/plan", {"rows": rows}).json()
        self.assertEqual([p["row"] for p in plan if not p["problem"]], [2])
        for one, problem in zip(plan[1:], (
            "as row 2 is", "there is no object 'passwd'", "'scene' is for sheets", "'base' is for sheets",
            "no treatment '../secret.json'", "no settings are kept as '../order.json'", "no name of a folder",
            "leave the folder", "no column 'colour'", "names a model or a scene",
        ), strict=True):  # fmt: skip
            self.assertIn(problem, one["problem"])
            self.assertTrue(one["problem"].startswith(f"row {one['row']}"), one["problem"])
        self.assertEqual(Job.objects.count(), 0)
        self.assertIn("no object", self.begin({"object": "Nobody"}, code=422)["message"])
        for body in ({"rows": []}, {"rows": [{"object": 3}]}, {"rows": [{}] * 501}, {"rows": [{"object": "x" * 4001}]}):
            answer = self.call("post", f"/projects/{self.project.pk}/batches", body)
            self.assertEqual(answer.status_code, 422, str(body)[:60])
        self.assertEqual(Job.objects.count(), 0)

    def test_a_process_that_is_lost_goes_on_where_it_stopped(self) -> None:
        rows = [
            {"object": "Box", **SMALL},
            {"object": "Cap", **SMALL},
            {"object": "Box", **SMALL, "seed": "9", "out": "b"},
        ]
        done: list[str] = []

        def crash(works: Any, failed: Any, folder: Any, told: Any, doing: Any, **more: Any) -> Any:
            def until(through: float, count: int, line: str) -> None:
                told(through, count, line)
                if line:
                    done.append(line)
                    raise RuntimeError("the process is gone")

            return carried_out(works, failed, folder, until, doing, **more)

        with mock.patch("server.projects.batches.carried_out", crash), self.assertLogs("server.work.runner"):
            job = self.begin(*rows)
        self.assertEqual(len(done), 1)
        row = Job.objects.get(pk=job["id"])
        self.assertEqual(row.options["through"], ["box"])
        kept = storage.data() / "batches" / str(row.pk) / "box/box_object_height.png"
        stamp = kept.stat().st_mtime_ns
        Job.objects.filter(pk=row.pk).update(state=Job.QUEUED, attempt=row.attempt + 1)
        with mock.patch("server.projects.batches.write_zip", side_effect=batches.write_zip) as zipped:
            seen: list[int] = []
            zipped.side_effect = lambda files, path: (seen.append(kept.stat().st_mtime_ns), batches_zip(files, path))
            runner.run(row.pk, row.attempt + 1)
        self.assertEqual(seen, [stamp])
        found = self.batch(job)
        self.assertEqual((found["job"]["state"], [r["state"] for r in found["rows"]]), ("done", ["done"] * 3))

    def test_rows_that_memory_does_not_hold(self) -> None:
        with mock.patch.object(settings, "JOB_MEMORY", 100 << 20):
            job = self.begin({"object": "Box", "resolution": "4096"}, {"object": "Cap", **SMALL})
        found = self.batch(job)
        self.assertEqual([r["state"] for r in found["rows"]], ["failed", "done"])
        self.assertIn("of memory, and", found["rows"][0]["problem"])

    def test_cancelled_and_removed_with_its_project(self) -> None:
        with mock.patch("server.api.batches.start"):
            job = self.begin({"object": "Cap", **SMALL})
        self.assertEqual(self.call("post", f"/jobs/{job['id']}/cancel").json()["state"], "cancelled")
        other = self.begin({"object": "Cap", **SMALL})
        path = storage.data() / Job.objects.get(pk=other["id"]).file
        self.assertTrue(path.is_file())
        storage.remove_project(self.project)
        self.assertFalse(path.exists())
        self.assertEqual(Job.objects.count(), 0)

    def test_a_sheet_is_read(self) -> None:
        book = openpyxl.Workbook()
        page = book.active
        assert page is not None
        page.append(["Object", "Seed"])
        page.append(["Box", 3])
        data = io.BytesIO()
        book.save(data)
        for name, body in (("rows.xlsx", data.getvalue()), ("rows.csv", b"object,seed\nBox,3\n")):
            answer = self.client.post(
                f"/api/projects/{self.project.pk}/sheet?name={name}", body, content_type="application/octet-stream"
            )
            self.assertEqual((answer.status_code, answer.json()["rows"]), (200, [{"object": "Box", "seed": "3"}]), name)
        for name, body in (("a.txt", b"object\nx\n"), ("a.csv", b""), ("../../a.xlsx", b"x"), ("a.csv", b"a,a\n1,2\n")):
            answer = self.client.post(
                f"/api/projects/{self.project.pk}/sheet?name={name}", body, content_type="application/octet-stream"
            )
            self.assertEqual(answer.status_code, 422, name)
            self.assertNotIn("/tmp", answer.json()["message"])

    def test_names_are_no_paths(self) -> None:
        """An object called like a path lies in a folder within the delivery."""
        self.pier.name = "../../up and away"
        self.pier.save()
        found = self.batch(self.begin({"object": "../../up and away", **SMALL}))
        self.assertEqual(found["rows"][0]["out"], "up-and-away")
        with self.assertRaises(InputError):
            batches._object("up", self.project)

    def test_two_objects_of_one_name(self) -> None:
        twin = self.add_box()
        plan = self.call("post", f"/projects/{self.project.pk}/batches/plan", {"rows": [
            {"object": "Box", **SMALL}, {"object": str(twin.pk), **SMALL},
        ]}).json()  # fmt: skip
        self.assertIn(f"Name one by its number: {self.pier.pk}, {twin.pk}", plan[0]["problem"])
        self.assertEqual(plan[1]["problem"], "")


batches_zip = batches.write_zip
