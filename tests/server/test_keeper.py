"""The keeper of jobs, with real processes: hanging, greedy, crashing and killed jobs, and a server that is killed."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import TestCase

from django.conf import settings

from tests.server.test_commands import free_port

ROOT = Path(settings.BASE_DIR)
#: What a job does is exchanged for something worse; the keeper and its processes are the real ones.
PRELUDE = """
import json, os, sys, time, signal
from django.contrib.auth import get_user_model
from server.work import runner
from server.work.keeper import Keeper
from server.jobs.models import Job
from server.projects.models import Project, Intake, WorkObject
ada, _ = get_user_model().objects.get_or_create(username="ada")
eve, _ = get_user_model().objects.get_or_create(username="eve")
project, _ = Project.objects.get_or_create(owner=ada, name="Bench")
def job(kind, owner=ada, **more):
    return Job.objects.create(owner=owner, kind=kind, **more)
def until(keeper, done, seconds=30):
    end = time.monotonic() + seconds
    while time.monotonic() < end and not done():
        keeper.look()
        time.sleep(0.05)
def state(one):
    one.refresh_from_db()
    return one.state
def hang(job, watch):
    while True:
        pass
def quick(job, watch):
    time.sleep(0.2)
    return ""
def crash(job, watch):
    os._exit(7)
def greedy(job, watch):
    held = []
    while True:
        held.append(bytearray(b"x" * (64 << 20)))
out = {}
"""


class Keeping(TestCase):
    folder: str

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = tempfile.mkdtemp(prefix="limus-keeper-")
        cls.addClassCleanup(shutil.rmtree, cls.folder, True)
        cls.env = {
            **os.environ,
            "LIMUS_DATA": cls.folder,
            "LIMUS_CACHE": f"{cls.folder}/readings",
            "LIMUS_JOB_MEMORY": "400M",
        }
        cls.env.pop("DJANGO_SETTINGS_MODULE", None)
        subprocess.run(
            [sys.executable, "-W", "ignore", "manage.py", "migrate", "-v", "0"], cwd=ROOT, env=cls.env, check=True
        )

    def play(self, script: str, **env: str) -> dict[str, Any]:
        done = subprocess.run(
            [sys.executable, "-W", "ignore", "manage.py", "shell", "-v", "0", "-c",
                f"{PRELUDE}{script}\nprint(json.dumps(out))"],
            cwd=ROOT, env={**self.env, **env}, capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-1500:])
        return json.loads(done.stdout.splitlines()[-1])  # type: ignore[no-any-return]

    def test_a_poisoned_file_stops_nobody(self) -> None:
        # One hangs without ever looking up, and is cancelled; somebody else's goes through meanwhile; it does not come
        # back.
        out = self.play("""
runner.WORK["export"], runner.WORK["measure"] = hang, quick
bad, good = job("export"), job("measure", owner=eve, options={"drafted": True})
k = Keeper()
until(k, lambda: state(good) == "done")
out["good"], out["bad"] = state(good), state(bad)
Job.objects.filter(pk=bad.pk).update(cancel_requested=True)
began = time.monotonic()
until(k, lambda: state(bad) == "cancelled")
out["seconds"], out["after"], out["left"] = time.monotonic() - began, state(bad), len(k.children)
until(Keeper(), lambda: False, 1)
out["later"] = state(bad)
""")
        self.assertEqual(
            (out["good"], out["bad"], out["after"], out["later"], out["left"]),
            ("done", "running", "cancelled", "cancelled", 0),
        )
        self.assertLess(out["seconds"], 3.0)

    def test_three_attempts_and_no_more(self) -> None:
        out = self.play("""
runner.WORK["inspect"] = crash
intake = Intake.objects.create(project=project, state=Intake.CHECKING)
one = job("inspect", intake=intake)
k = Keeper()
until(k, lambda: state(one) == "failed")
intake.refresh_from_db()
out |= {"state": state(one), "tries": one.tries, "error": one.error, "intake": intake.state}
""")
        self.assertEqual((out["state"], out["tries"], out["intake"]), ("failed", 3, "failed"))
        self.assertIn("three times", out["error"])

    def test_memory_and_time(self) -> None:
        out = self.play("""
runner.WORK["export"] = greedy
one = job("export")
k = Keeper()
until(k, lambda: state(one) == "failed")
out["memory"] = one.error
runner.WORK["measure"] = hang
two = job("measure", options={"drafted": True})
from django.conf import settings
settings.JOB_PATIENCE = 0.001
until(k, lambda: state(two) == "failed")
out["time"] = two.error
""")
        self.assertIn("not enough memory", out["memory"])
        self.assertIn("took longer", out["time"])

    def test_fair_between_people(self) -> None:
        # Two processes: one person's exports take both, and when one ends the other person's readings are next, though
        # they came last.
        out = self.play(
            """
def slow(job, watch):
    time.sleep(1.0)
    return ""
runner.WORK["export"] = runner.WORK["measure"] = slow
mine = [job("export") for _ in range(5)]
theirs = job("measure", owner=eve, options={"drafted": True})
k = Keeper()
until(k, lambda: state(theirs) == "done")
out["done"], out["waiting"] = sum(state(j) == "done" for j in mine), sum(state(j) == "queued" for j in mine)
""",
            LIMUS_WORKERS="2",
        )
        self.assertLessEqual(out["done"], 3)
        self.assertGreaterEqual(out["waiting"], 1)

    def test_a_killed_process_and_a_killed_keeper(self) -> None:
        out = self.play("""
def once_slow(job, watch):
    for _ in range(200 if job.attempt == 0 else 1):
        watch.say(0.1, "Working")
        time.sleep(0.1)
    return ""
runner.WORK["measure"] = once_slow
one = job("measure", options={"drafted": True})
k = Keeper()
until(k, lambda: state(one) == "running", 5)
os.kill(next(iter(k.children)), signal.SIGKILL)
began = time.monotonic()
until(k, lambda: state(one) == "done")
out["killed"], out["seconds"] = state(one), time.monotonic() - began
# A keeper that is gone: its job was heard of a while ago.
two = job("measure", options={"drafted": True}, state="running", tries=1)
from django.utils import timezone
from datetime import timedelta
Job.objects.filter(pk=two.pk).update(heartbeat=timezone.now() - timedelta(seconds=3))
began = time.monotonic()
until(Keeper(), lambda: state(two) == "done")
out["adopted"], out["waited"] = state(two), time.monotonic() - began
""")
        self.assertEqual((out["killed"], out["adopted"]), ("done", "done"))
        self.assertLess(out["seconds"], 5.0)
        self.assertLess(out["waited"], 8.0)


class Parents(TestCase):
    def test_one_that_is_gone_already(self) -> None:
        # Who started it had ended before it came to ask: it ends as well.
        code = "from limus.common.dying import die_with_parent; die_with_parent(1 << 22); print('still here')"
        done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stdout), (1, ""))


class KilledServer(TestCase):
    def test_nothing_outlives_it(self) -> None:
        folder = tempfile.mkdtemp(prefix="limus-killed-")
        self.addCleanup(shutil.rmtree, folder, True)
        port = free_port()
        env = {**os.environ, "LIMUS_DATA": folder, "LIMUS_CACHE": f"{folder}/readings", "PYTHONUNBUFFERED": "1"}
        env.pop("DJANGO_SETTINGS_MODULE", None)
        server = subprocess.Popen(
            [sys.executable, "-W", "ignore", "manage.py", "serve", "--port", str(port)],
            cwd=ROOT,
            env=env,
            stdout=subprocess.PIPE,
            text=True,
        )
        assert server.stdout is not None
        with suppress(StopIteration):
            next(line for line in server.stdout if "ready" in line)
        children = self.children(server.pid)
        self.assertGreaterEqual(len(children), 2)
        # One that dies is started again.
        keeper = next(pid for pid in children if "work" in self.command(pid))
        os.kill(keeper, signal.SIGKILL)
        end = time.monotonic() + 10
        while time.monotonic() < end and not any(
            "work" in self.command(p) for p in self.children(server.pid) if p != keeper
        ):
            time.sleep(0.2)
        children = self.children(server.pid)
        self.assertTrue(any("work" in self.command(p) for p in children))
        server.send_signal(signal.SIGKILL)
        server.wait(10)
        # One that is still loading when its server goes looks for it once it has loaded.
        end = time.monotonic() + 60
        while time.monotonic() < end and any(self.command(pid) for pid in children):
            time.sleep(0.2)
        self.assertEqual([self.command(pid) for pid in children if self.command(pid)], [])
        server.stdout.close()

    @staticmethod
    def children(pid: int) -> list[int]:
        return [int(x) for x in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]

    @staticmethod
    def command(pid: int) -> str:
        with suppress(OSError):
            return Path(f"/proc/{pid}/cmdline").read_text().replace("\0", " ")
        return ""
