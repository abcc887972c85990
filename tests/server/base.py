"""What server tests share: two users, a small object, and jobs that run at once."""

from __future__ import annotations

import json
from typing import Any

from django.contrib.auth import get_user_model
from django.test import TransactionTestCase, override_settings

from limus.formats.gltf_write import glb_bytes
from server.projects.intake import take_in
from server.projects.models import Project, WorkObject
from tests.core import shapes
from tests.core.test_effects import STORY, scene


@override_settings(JOBS_AT_ONCE=True, READINGS_RESOLUTION=128)
class ServerTest(TransactionTestCase):
    """Signed in as ``ada``; ``eve`` is somebody else."""

    def setUp(self) -> None:
        users = get_user_model().objects
        self.ada, self.eve = (
            users.create_user("ada", password="right-of-way-7"),
            users.create_user("eve", password="left-of-way-7"),
        )
        self.client.force_login(self.ada)
        self.project = Project.objects.create(owner=self.ada, name="Bench")

    def add_box(self, **more: Any) -> WorkObject:
        made = scene(*STORY, name="Box", **more)
        return take_in(self.project, "box.glb", [glb_bytes(shapes.box(0.2))], made)

    def call(self, method: str, path: str, body: Any = None, **more: Any) -> Any:
        data = json.dumps(body) if body is not None else ""
        return getattr(self.client, method)(f"/api{path}", data, content_type="application/json", **more)

    def measured(self, item: WorkObject) -> None:
        job = self.call("post", f"/objects/{item.pk}/jobs", {"kind": "measure"}).json()
        self.assertEqual(self.call("get", f"/jobs/{job['id']}").json()["state"], "done")
