"""Short work does not wait behind long work, and a wait says what it waits for."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from django.test import override_settings
from PIL import Image

from limus.formats.gltf_write import glb_bytes
from limus.review.portrait import HEIGHT, WIDTH
from server.jobs.lanes import LONG, SHORT, lane_of, waits_for
from server.jobs.models import Job
from server.projects.intake import take_in
from server.projects.models import Intake
from server.projects.portrait import portrait_of
from server.projects.workshop import session_of
from server.work import runner
from tests.core import shapes
from tests.core.test_effects import STORY, scene
from tests.server.base import ServerTest


@override_settings(JOBS_AT_ONCE=False, LONG_WORKERS=1)
class Lanes(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = self.add_box()

    def job(self, **more: Any) -> Job:
        return Job.objects.create(owner=self.ada, **{"kind": "export", "object": self.item, **more})

    def queues(self) -> list[str]:
        return [lane_of(job) for job in Job.objects.filter(state=Job.QUEUED).order_by("pk")]

    def test_looking_at_files_has_a_queue_of_its_own(self) -> None:
        self.call(
            "post", f"/objects/{self.item.pk}/jobs", {"kind": "export", "order": {"target": "gltf", "resolution": 256}}
        )
        intake = self.call("post", f"/projects/{self.project.pk}/intakes", {}).json()
        self.call("post", f"/intakes/{intake['id']}/check")
        self.call("post", f"/objects/{self.item.pk}/jobs", {"kind": "measure"})
        self.assertEqual(self.queues(), [LONG, SHORT, SHORT])

    def test_a_measurement_goes_on_in_the_long_queue_once_there_is_a_draft(self) -> None:
        # A box of a size that no other test has measured.
        self.item = take_in(self.project, "own.glb", [glb_bytes(shapes.box(0.2347))], scene(*STORY, name="Own"))
        made = self.call("post", f"/objects/{self.item.pk}/jobs", {"kind": "measure"}).json()
        job = Job.objects.get(pk=made["id"])
        runner.run(job.pk, job.attempt)
        job.refresh_from_db()
        self.assertEqual((job.state, job.attempt, lane_of(job)), (Job.QUEUED, 1, LONG))
        self.assertGreaterEqual(job.progress, 0.09)
        self.assertEqual(self.queues(), [LONG])
        readings = session_of(self.item.scene()).measuring.best()
        self.assertEqual(readings.quality if readings else "", "draft")
        runner.run(job.pk, job.attempt)
        job.refresh_from_db()
        self.assertEqual(job.state, Job.DONE)
        readings = session_of(self.item.scene()).measuring.best()
        # Kept for all tests: another may have had finer ones.
        self.assertIn(readings.quality if readings else "", ("good", "fine"))

    def test_a_wait_says_what_it_waits_for(self) -> None:
        running = self.job(state=Job.RUNNING)
        self.job()
        mine = self.job()
        self.assertEqual(waits_for(mine), "Waiting for an export of Box and 1 more")
        self.assertEqual(self.call("get", f"/jobs/{mine.pk}").json()["word"], "Waiting for an export of Box and 1 more")
        # What others work on is theirs.
        Job.objects.filter(pk=running.pk).update(owner=self.eve)
        self.assertEqual(waits_for(mine), "Waiting for an export for somebody else and 1 more")
        short = self.job(kind="inspect", object=None, intake=Intake.objects.create(project=self.project))
        self.assertEqual(waits_for(short), "Starting")

    def test_an_intake_tells_what_it_waits_for(self) -> None:
        self.job(kind="inspect", state=Job.RUNNING, object=None)
        intake = self.call("post", f"/projects/{self.project.pk}/intakes", {}).json()
        self.call("post", f"/intakes/{intake['id']}/check")
        self.assertEqual(self.call("get", f"/intakes/{intake['id']}").json()["word"], "Waiting for looking at files")
        Job.objects.filter(intake=intake["id"]).update(state=Job.RUNNING)
        self.assertEqual(self.call("get", f"/intakes/{intake['id']}").json()["word"], "Looking at the files")


class StartPage(ServerTest):
    def test_what_the_list_says_of_an_object(self) -> None:
        item = self.add_box()
        found = self.call("get", "/projects").json()[0]["objects"][0]
        self.assertEqual(
            (found["layers"], found["parts"], found["state"], found["version"]), (5, None, "new", item.head_id)
        )
        self.call("get", f"/objects/{item.pk}")
        found = self.call("get", "/projects").json()[0]["objects"][0]
        self.assertEqual((found["parts"], found["state"]), (1, "ready"))
        self.assertTrue(found["touched"])
        Job.objects.create(owner=self.ada, object=item, kind="export", state=Job.RUNNING)
        self.assertEqual(self.call("get", "/projects").json()[0]["objects"][0]["state"], "working")

    def test_the_picture_is_of_today(self) -> None:
        # A box of a size that no other test has measured: looking measures nothing, so there is no picture yet.
        item = take_in(self.project, "other.glb", [glb_bytes(shapes.box(0.2693))], scene(*STORY, name="Other"))
        self.assertEqual(self.client.get(f"/api/objects/{item.pk}/portrait.png?v={item.head_id}").status_code, 204)
        # Whoever opens it is shown a picture that is there; none is made for that.
        kept = f"/api/objects/{item.pk}/portrait.png?kept={item.head_id}"
        self.measured(item)
        self.assertEqual(self.client.get(kept).status_code, 204)
        today = self.client.get(f"/api/objects/{item.pk}/portrait.png?v={item.head_id}")
        self.assertIn("immutable", today["Cache-Control"])
        image = Image.open(io.BytesIO(today.content))
        self.assertEqual(image.size, (WIDTH, HEIGHT))
        # Kept: the second time nothing is drawn.
        from unittest import mock

        with mock.patch("limus.review.portrait.moment_picture", side_effect=AssertionError("again")):
            self.assertEqual(portrait_of(item), today.content)
            self.assertEqual(self.client.get(kept).content, today.content)
        # Another edit, another picture.
        document = dict(item.head.document, layers=[])  # type: ignore[union-attr]
        self.call("put", f"/objects/{item.pk}/scene", {"base": item.head_id, "document": document})
        item.refresh_from_db()
        self.assertEqual(self.client.get(kept).content, today.content)
        after = np.asarray(Image.open(io.BytesIO(portrait_of(item) or b"")))
        self.assertGreater(float(np.abs(after.astype(int) - np.asarray(image)).mean()), 1.0)

    def test_nobody_sees_the_picture_of_somebody_else(self) -> None:
        item = self.add_box()
        self.client.force_login(self.eve)
        self.assertEqual(self.client.get(f"/api/objects/{item.pk}/portrait.png").status_code, 404)

    def test_the_catalogue_fits_the_size(self) -> None:
        small, large = (self.call("get", f"/catalogue?size_m={size}").json() for size in (0.1, 20))
        for found, size in ((small, 1.5), (large, 36.0)):
            chipping = next(e for e in found["effects"] if e["kind"] == "chipping")
            self.assertEqual(chipping["defaults"]["size_mm"], size)
            self.assertEqual(chipping["schema"]["properties"]["size_mm"]["default"], size)
        self.assertEqual(self.call("get", "/catalogue?size_m=0").status_code, 422)
