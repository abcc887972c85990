"""The commands that start things, and the make targets' scripts."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from http.cookiejar import CookieJar
from io import StringIO
from pathlib import Path
from unittest import TestCase, mock

from django.conf import settings
from django.core.management import CommandError, call_command

from demo.scenario import gate_hoist_scene
from limus.common.store import shared
from limus.formats.read import read_object
from limus.masks.hand.painting import _lay
from server.projects.models import Intake, Project, SceneVersion, WorkObject
from server.projects.try_out import try_out_files
from server.projects.warm_up import compile_once, evaluate_once
from tests.server.base import ServerTest

ROOT = Path(settings.BASE_DIR)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class LoadDemo(ServerTest):
    def test_twice_makes_it_once(self) -> None:
        call_command("load_demo", "--draft", verbosity=0)
        call_command("load_demo", "--draft", verbosity=0)
        self.assertEqual(Project.objects.filter(owner__username="demo").count(), 1)
        items = {item.name: item for item in WorkObject.objects.filter(project__owner__username="demo")}
        self.assertEqual(set(items), {"Gate hoist", "Gauge board", "Pier cap", "Slate panel"})
        item = items["Gate hoist"]
        self.assertEqual(SceneVersion.objects.filter(object__in=items.values()).count(), 4)
        self.assertEqual([l["id"] for l in item.head.document["layers"]], [one.id for one in gate_hoist_scene().layers])  # type: ignore[union-attr]
        self.assertFalse(item.project.owner.has_usable_password())
        # Nothing of the demo waits half taken in; one of the files to try has no UVs.
        self.assertEqual(Intake.objects.count(), 0)
        files = try_out_files()
        self.assertEqual(set(files), {"slate-panel-without-uvs.obj", "gate-hoist-high.glb", "gauge-board-newer.glb"})
        self.assertIsNone(read_object(files["slate-panel-without-uvs.obj"]).uv)

    def test_what_its_owner_did_to_it_keeps_nobody_out(self) -> None:
        call_command("load_demo", "--draft", verbosity=0)
        items = {item.name: item for item in WorkObject.objects.filter(project__owner__username="demo")}
        # Names that are there twice; a layer of a later program; a file that is gone.
        first = items["Pier cap"].project
        Project.objects.create(owner=first.owner, name=first.name)
        WorkObject.objects.filter(pk=items["Pier cap"].pk).update(name="Gate hoist")
        later = items["Gauge board"].document
        later["layers"][0]["effect"] = {"kind": "of_a_later_program"}
        WorkObject.objects.filter(pk=items["Gauge board"].pk).update(document=later)
        lost = items["Slate panel"].document
        lost["object"]["file"] = "gone.glb"
        WorkObject.objects.filter(pk=items["Slate panel"].pk).update(document=lost)
        shared().clear()
        said = StringIO()
        call_command("load_demo", verbosity=0, stderr=said)
        lines = said.getvalue().splitlines()
        self.assertEqual(sorted(line.split(":")[0] for line in lines), ["Gauge board", "Slate panel"], lines)


class WarmUp(ServerTest):
    def test_drawing_is_compiled_before_it_is_asked_for(self) -> None:
        compile_once()
        self.assertTrue(_lay.signatures)  # type: ignore[attr-defined]

    def test_it_evaluates_what_is_measured_and_nothing_else(self) -> None:
        item = self.add_box()
        with mock.patch.dict("os.environ", {"LIMUS_CACHE": f"{settings.DATA_DIR}/none"}):
            shared().clear()
            self.assertFalse(evaluate_once(item, 128))
        self.measured(item)
        self.assertTrue(evaluate_once(item, 128))
        misses = shared().misses
        again = self.call(
            "post", f"/objects/{item.pk}/evaluate", {"resolution": 128}, headers={"accept": "application/octet-stream"}
        )
        self.assertEqual(again.status_code, 200)
        # The same maps were there already: nothing was played or encoded again.
        self.assertLess(shared().misses - misses, 4)


class Serve(ServerTest):
    def test_port_taken_is_one_clear_line(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            with self.assertRaises(CommandError) as caught:
                call_command("serve", "--port", str(port))
        line = str(caught.exception)
        self.assertIn(f"Port {port}", line)
        self.assertIn(f"PORT={port + 1}", line)
        self.assertNotIn("\n", line)

    def test_bad_port(self) -> None:
        with self.assertRaises(CommandError):
            call_command("serve", "--port", "99999", stdout=StringIO())


class WholeServer(TestCase):
    """The web server and the keeper of jobs as processes of their own, spoken to over HTTP."""

    def setUp(self) -> None:
        self.folder = tempfile.mkdtemp(prefix="limus-serve-")
        self.addCleanup(shutil.rmtree, self.folder, True)
        self.port = free_port()
        env = {
            **os.environ,
            "LIMUS_DATA": self.folder,
            "LIMUS_CACHE": f"{self.folder}/readings",
        }
        env.pop("DJANGO_SETTINGS_MODULE", None)
        command = [sys.executable, "-W", "ignore", "manage.py", "serve", "--demo", "--port", str(self.port)]
        self.server = subprocess.Popen(
            command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.addCleanup(self.stop)
        self.jar = CookieJar()
        self.http = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def stop(self) -> None:
        if self.server.poll() is None:
            self.server.send_signal(signal.SIGTERM)
        self.server.wait(30)
        assert self.server.stdout is not None
        self.server.stdout.close()

    def get(self, path: str) -> bytes:
        with self.http.open(f"http://127.0.0.1:{self.port}{path}", timeout=60) as answer:
            return answer.read()  # type: ignore[no-any-return]

    def post(self, path: str, body: dict[str, object]) -> dict[str, object]:
        token = next(c.value for c in self.jar if c.name == "csrftoken")
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}",
            json.dumps(body).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": str(token)},
        )
        with self.http.open(request, timeout=60) as answer:
            return json.load(answer)  # type: ignore[no-any-return]

    def test_start_work_stop(self) -> None:
        assert self.server.stdout is not None
        lines = []
        for line in self.server.stdout:
            lines.append(line)
            if "ready" in line:
                break
        self.assertRegex("".join(lines), rf"Limus is ready: http://localhost:{self.port}/ +\(Ctrl\+C stops it\)")

        page = self.get("/").decode()
        script = re.search(r'src="(/static/web/assets/[^"]+\.js)"', page)
        assert script is not None
        self.assertGreater(len(self.get(script.group(1))), 1000)
        projects = json.loads(self.get("/api/projects"))
        item = projects[0]["objects"][0]["id"]
        found = self.post(f"/api/objects/{item}/evaluate", {"resolution": 128})
        self.assertEqual(found["readings"], "good")

        job = self.post(f"/api/objects/{item}/jobs", {"kind": "export", "order": {"resolution": 256}})
        limit = time.monotonic() + 120
        while job["state"] in ("queued", "running") and time.monotonic() < limit:
            time.sleep(0.3)
            job = json.loads(self.get(f"/api/jobs/{job['id']}"))
        self.assertEqual((job["state"], job["error"]), ("done", ""))
        self.assertEqual(self.get(str(job["file"]))[:2], b"PK")

        self.server.send_signal(signal.SIGTERM)
        self.server.wait(30)
        with socket.socket() as probe:
            self.assertNotEqual(probe.connect_ex(("127.0.0.1", self.port)), 0)


class Scripts(TestCase):
    """The shell scripts behind make say what is missing, in one line."""

    def run_(self, script: str, path: str) -> subprocess.CompletedProcess[str]:
        with tempfile.TemporaryDirectory() as folder:
            env = {"PATH": path, "HOME": folder}
            return subprocess.run(
                ["/bin/sh", str(ROOT / "tools" / script)],
                cwd=folder,
                env=env,
                capture_output=True,
                text=True,
                check=False,
            )

    def fake(self, folder: str, name: str, body: str) -> None:
        path = Path(folder) / name
        path.write_text(f"#!/bin/sh\n{body}\n")
        path.chmod(0o755)

    def test_wrong_python(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            self.fake(folder, "python3", 'case "$1" in --version) echo "Python 3.9.2";; *) exit 1;; esac')
            done = self.run_("python.sh", folder)
        self.assertEqual(done.returncode, 1)
        self.assertIn("needs Python 3.11 and found Python 3.9.2", done.stderr)
        self.assertEqual(done.stderr.count("\n"), 1)

    def test_node_missing_or_old(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            done = self.run_("node.sh", folder)
            self.assertEqual((done.returncode, "needs Node 20" in done.stderr), (1, True))
            self.fake(folder, "npm", "exit 0")
            self.fake(folder, "node", 'case "$1" in -p) echo 16;; *) echo v16.20.0;; esac')
            old = self.run_("node.sh", folder)
        self.assertEqual(old.returncode, 1)
        self.assertIn("found v16.20.0", old.stderr)

    def test_chromium_missing_and_not_root(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            self.fake(folder, "id", "echo 1000")
            done = self.run_("browser.sh", folder)
            self.assertEqual(done.returncode, 1)
            self.assertIn("apt install chromium", done.stderr)
            self.fake(folder, "chromium", "exit 0")
            self.assertEqual(self.run_("browser.sh", folder).returncode, 0)


class Settings(TestCase):
    def test_secret_is_this_installations_own(self) -> None:
        code = "from server.config import settings; print(settings.SECRET_KEY)"
        keys = []
        with tempfile.TemporaryDirectory() as one, tempfile.TemporaryDirectory() as two:
            for folder in (one, one, two):
                env = {**os.environ, "LIMUS_DATA": folder}
                done = subprocess.run(
                    [sys.executable, "-c", code], env=env, cwd=ROOT, capture_output=True, text=True, check=True
                )
                keys.append(done.stdout.strip())
            self.assertEqual(oct((Path(one) / "secret-key").stat().st_mode & 0o777), "0o600")
        self.assertEqual(keys[0], keys[1])
        self.assertNotEqual(keys[0], keys[2])
        self.assertGreater(len(keys[0]), 40)
