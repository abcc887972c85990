"""Views answered by workers of a real Dask scheduler: what they show is what this process shows, to the byte, whoever
is lost meanwhile.
"""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import connections
from django.test import Client, override_settings

from limus.afar import asking
from limus.afar.question import held_here
from limus.formats.gltf_write import glb_bytes
from limus.playing.session import object_key
from server.projects import answerers
from server.projects.gate import gate
from server.projects.intake import take_in
from server.projects.models import WorkObject
from tests.core import shapes
from tests.core.machines import Machines
from tests.core.test_effects import STORY, scene
from tests.server.base import ServerTest


class Views(Machines, ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="limus-afar-"))
        self.addCleanup(shutil.rmtree, self.folder, True)

    def tearDown(self) -> None:
        # Before the scheduler ends.
        answerers.let_go()
        super().tearDown()

    @staticmethod
    def wait_for(count: int) -> Any:
        """The workers, once there are so many."""
        far, deadline = answerers.far(), time.monotonic() + 60
        while time.monotonic() < deadline:
            with suppress(asking.Away):
                if len(far.workers()) == count:
                    return far
            time.sleep(0.1)
        raise AssertionError("they never came")

    def brought(self, side: float) -> WorkObject:
        made = scene(*STORY, name=f"Box of {side:g}")
        return take_in(self.project, "box.glb", [glb_bytes(shapes.box(side))], made)

    def add(self, side: float) -> WorkObject:
        item = self.brought(side)
        self.measured(item)
        return item

    def asked(self, item: WorkObject, size_mm: float, *, ticket: int = 0, **more: Any) -> Any:
        """A step of a drag: the size of the chips is set anew on the saved version."""
        edits = [{"name": "set", "arguments": {"values": {"layers[chips].effect.size_mm": size_mm}}}]
        body = {"resolution": 128, "base": item.head_id, "edits": edits, "client": "tab", "ticket": ticket, **more}
        return self.call("post", f"/objects/{item.pk}/evaluate", body)

    @staticmethod
    def seen(answer: Any) -> dict[str, Any]:
        """What it says, but for whose it was and how long it took; pictures by the hash of their content."""
        return {name: value for name, value in answer.json().items() if name not in ("ticket", "spent_ms")}

    def test_a_drag_goes_on_when_its_worker_is_lost(self) -> None:
        address = self.scheduler()
        workers = [self.worker(address) for _ in range(2)]
        # None of it is answered here.
        not_here = mock.patch.object(answerers, "_at_home", side_effect=AssertionError("answered here"))
        with override_settings(SCHEDULER=address), not_here:
            far = self.wait_for(2)
            # Two objects, one at each.
            one = self.add(0.2)
            other = next(
                item for item in (self.brought(0.21 + 0.01 * k) for k in range(40))
                if far.place(item.scene()) != far.place(one.scene())
            )  # fmt: skip
            self.measured(other)
            away = {item.pk: [self.seen(self.asked(item, size)) for size in (4.0, 6.0)] for item in (one, other)}
            keys = {item.pk: object_key(item.scene().object, item.scene().setting.up) for item in (one, other)}
            held = far._client.run(held_here)
            for item in (one, other):
                self.assertEqual(held[far.place(item.scene())], [keys[item.pk]])
            # It is stopped, so that the next step is under way at it, and then killed.
            lost = far.place(one.scene())
            pids = far._client.run(os.getpid)
            os.kill(pids[lost], signal.SIGSTOP)
            threading.Timer(1.0, os.kill, (pids[lost], signal.SIGKILL)).start()
            steps = [9.0, 11.0, 13.0]
            gone_on = []
            for size in steps:
                answer = self.asked(one, size)
                self.assertEqual(answer.status_code, 200, answer.content[:300])
                gone_on.append(self.seen(answer))
            self.assertEqual(list(far.workers()), [far.place(other.scene())])
            self.assertEqual(set(far._client.run(held_here)[far.place(one.scene())]), set(keys.values()))
            near = self.call(
                "post", f"/objects/{one.pk}/close-up",
                {"resolution": 128, "density": 1024, "tiles": [{"page": 0, "x": 1, "y": 1}]},
            ).json()  # fmt: skip
            bare = self.seen(self.call("post", f"/objects/{one.pk}/look", {"resolution": 128, "bases": True}))
        self.assertEqual(sum(w.poll() is None for w in workers), 1)
        for item in (one, other):
            self.assertEqual(away[item.pk], [self.seen(self.asked(item, size)) for size in (4.0, 6.0)])
        self.assertEqual(gone_on, [self.seen(self.asked(one, size)) for size in steps])
        self.assertNotEqual(gone_on[0], gone_on[2])
        here = self.call(
            "post", f"/objects/{one.pk}/close-up",
            {"resolution": 128, "density": 1024, "tiles": [{"page": 0, "x": 1, "y": 1}]},
        ).json()  # fmt: skip
        self.assertEqual(near, here)
        self.assertEqual(
            bare, self.seen(self.call("post", f"/objects/{one.pk}/look", {"resolution": 128, "bases": True}))
        )

    def test_who_moves_on_waits_for_nothing(self) -> None:
        address = self.scheduler()
        self.worker(address)
        item = self.add(0.2)
        with override_settings(SCHEDULER=address):
            far = self.wait_for(1)
            self.assertEqual(self.asked(item, 4.0).status_code, 200)
            ((place, pid),) = far._client.run(os.getpid).items()
            os.kill(pid, signal.SIGSTOP)
            self.addCleanup(os.kill, pid, signal.SIGCONT)
            found: list[int] = []

            def ask() -> None:
                found.append(self.asked(item, 6.0, ticket=1).status_code)
                connections.close_all()

            waiting = threading.Thread(target=ask)
            waiting.start()
            time.sleep(0.5)
            self.assertEqual(found, [])
            gate.newest(self.ada.pk, "tab", 2)
            waiting.join(20)
            self.assertEqual(found, [409])
            os.kill(pid, signal.SIGCONT)
            self.assertEqual(self.asked(item, 8.0, ticket=3).status_code, 200)
            # It was answered there, by the one that is there.
            self.assertEqual(far.place(item.scene()), place)

    def test_the_scheduler_is_lost(self) -> None:
        address = self.scheduler()
        self.worker(address)
        item = self.add(0.2)
        with override_settings(SCHEDULER=address), self.assertLogs("limus.afar.asking", "WARNING") as said:
            self.wait_for(1)
            away = self.seen(self.asked(item, 4.0))
            os.killpg(self.running[0].pid, signal.SIGKILL)
            # The next step finds nobody, and is made here.
            after = self.seen(self.asked(item, 4.0))
            again = self.seen(self.asked(item, 6.0))
            deadline = time.monotonic() + 30
            while "meanwhile" not in " ".join(said.output) and time.monotonic() < deadline:
                self.assertEqual(self.asked(item, 6.0).status_code, 200)
        self.assertEqual(after, away)
        self.assertNotEqual(again, away)
        self.assertIn("Views are answered here meanwhile", " ".join(said.output))

    def test_nobody_there(self) -> None:
        item = self.add(0.2)
        here = self.seen(self.asked(item, 4.0))
        with (
            override_settings(SCHEDULER="tcp://127.0.0.1:9"), mock.patch("limus.afar.machines.PATIENCE", 0.5),
            self.assertLogs("limus.afar.asking", "WARNING") as said,
        ):  # fmt: skip
            deadline = time.monotonic() + 30
            while not said.output and time.monotonic() < deadline:
                # Nobody waits until it is known that nobody answers there.
                self.assertEqual(self.seen(self.asked(item, 4.0)), here)
            self.asked(item, 5.0)
        # Said once, and not tried again at every step.
        self.assertEqual(len(said.output), 1)
        self.assertIn("LIMUS_SCHEDULER: no scheduler answers at tcp://127.0.0.1:9", said.output[0])

    def test_workers_of_another_edition_are_not_asked(self) -> None:
        address = self.scheduler()
        self.worker(address)
        item = self.add(0.2)
        here = self.seen(self.asked(item, 4.0))
        with (
            override_settings(SCHEDULER=address), mock.patch("limus.afar.machines.__version__", "0.0"),
            self.assertLogs("limus.afar.asking", "WARNING") as said,
        ):  # fmt: skip
            deadline = time.monotonic() + 60
            while not said.output and time.monotonic() < deadline:
                self.assertEqual(self.seen(self.asked(item, 4.0)), here)
            # Said once, and it is asked for nothing.
            time.sleep(3.0)
            self.assertEqual(self.seen(self.asked(item, 4.0)), here)
            self.assertEqual(answerers.far()._client.run(held_here), {w: [] for w in answerers.far()._known})
        self.assertEqual(len(said.output), 1)
        self.assertIn("is not asked: it has Limus", said.output[0])

    def test_bad_input_is_refused_as_at_home(self) -> None:
        address = self.scheduler()
        self.worker(address)
        item = self.add(0.2)
        body = {"resolution": 128, "density": 1000, "tiles": [{"page": 0, "x": 0, "y": 0}]}
        here = self.call("post", f"/objects/{item.pk}/close-up", body)
        with override_settings(SCHEDULER=address):
            self.wait_for(1)
            there = self.call("post", f"/objects/{item.pk}/close-up", body)
        self.assertEqual((there.status_code, there.json()), (here.status_code, here.json()))
        self.assertEqual(there.status_code, 422)
        # Whoever is signed in as somebody else finds nothing there either.
        stranger = Client()
        stranger.force_login(self.eve)
        with override_settings(SCHEDULER=address):
            found = stranger.post(f"/api/objects/{item.pk}/evaluate", {"resolution": 128}, "application/json")
        self.assertEqual(found.status_code, 404)
