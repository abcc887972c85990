"""The demo is built once: what is there stays as somebody left it, and what is missing comes back."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from unittest import mock

from django.core.management import call_command
from django.test import TransactionTestCase, override_settings

from server.projects import try_out
from server.projects.management.commands.load_demo import DEMO_USER, OBJECTS, PROJECT, TRY_OUT
from server.projects.models import Project, WorkObject
from server.projects.workshop import session_of


class Loading(TransactionTestCase):
    def setUp(self) -> None:
        # A data folder and readings of its own: other tests have the demo as well.
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.enterContext(override_settings(DATA_DIR=Path(folder.name)))
        self.enterContext(mock.patch.dict(os.environ, {"LIMUS_CACHE": f"{folder.name}/readings"}))

    def test_once_and_again(self) -> None:
        call_command("load_demo", first=True, draft=True, verbosity=0)
        project = Project.objects.get(owner__username=DEMO_USER, name=PROJECT)
        first = project.items.get()
        self.assertEqual(first.name, OBJECTS[0][2]().name)
        self.assertFalse(first.project.owner.has_usable_password())
        # Of these surroundings; better ones where another test of this process has them.
        self.assertIn(session_of(first.scene()).measuring.quality(), [("draft", True), ("good", True)])
        self.assertEqual([name for name in TRY_OUT if (try_out.folder() / name).exists()], [])
        # Somebody worked on it, and called another object the same.
        first.commit(first.head_id, {**first.document, "seed": 77}, "Seed")
        twin = WorkObject.objects.create(project=project, name=first.name, document=first.document, head=first.head)
        call_command("load_demo", draft=True, verbosity=0)
        self.assertEqual(Project.objects.count(), 1)
        names = sorted(project.items.values_list("name", flat=True))
        self.assertEqual(names, sorted([first.name, *(scene().name for _, _, scene in OBJECTS)]))
        first.refresh_from_db()
        self.assertEqual(first.document["seed"], 77)
        self.assertEqual([name for name in TRY_OUT if not (try_out.folder() / name).exists()], [])
        # A third time what went comes back, and nothing else.
        twin.delete()
        project.items.filter(name=OBJECTS[1][2]().name).update(name="Mine")
        before = set(project.items.values_list("pk", flat=True))
        call_command("load_demo", first=True, draft=True, verbosity=0)
        self.assertEqual(set(project.items.values_list("pk", flat=True)), before)
        call_command("load_demo", draft=True, verbosity=0)
        self.assertEqual(len(set(project.items.values_list("pk", flat=True)) - before), 1)
