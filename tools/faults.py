"""Faults on purpose: processes of a running server are killed under edits, strokes, uploads and jobs, then many
clients work at once.

Run by hand: ``.venv/bin/python tools/faults.py [--kills 200] [--clients 30] [--minutes 5]``. It starts a server of its
own on loopback, with a data folder of its own that is removed at the end, and kills nothing that it did not start. What
it finds goes to standard output; the exit code is 1 when something that had been acknowledged is missing, or something
hangs.
"""

from __future__ import annotations

import argparse
import http.client
import json
import os
import random
import shutil
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
#: Kinds of kills and how often each: a job's process, the keeper, the web server, the whole of it.
KILLS = {"job": 0.5, "keeper": 0.3, "web": 0.15, "serve": 0.05}
STROKE = {"brush": {"size_mm": 40.0}, "points": [[0.0, 0.1, 0.0, 0, 1, 0, 1, 0, 0], [0.05, 0.1, 0.0, 0, 1, 0, 1, 0, 0]]}


class Server:
    """`manage.py serve --demo` with a data folder of its own."""

    def __init__(self, memory: str) -> None:
        self.folder = tempfile.mkdtemp(prefix="limus-faults-")
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port: int = probe.getsockname()[1]
        self.env = {
            **os.environ, "LIMUS_DATA": self.folder, "LIMUS_CACHE": f"{self.folder}/readings",
            "LIMUS_READINGS_RESOLUTION": "256",
            "LIMUS_MEMORY": memory, "PYTHONUNBUFFERED": "1",
        }  # fmt: skip
        self.env.pop("DJANGO_SETTINGS_MODULE", None)
        self.process: subprocess.Popen[str] | None = None
        self.log = open(f"{self.folder}/log", "w")  # noqa: SIM115  (closed in stop)

    def start(self) -> None:
        """Start it and wait until it answers."""
        self.process = subprocess.Popen(
            [sys.executable, "-W", "ignore", "manage.py", "serve", "--demo", "--port", str(self.port)],
            cwd=ROOT, env=self.env, stdout=self.log, stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip
        self.wait()

    def wait(self, seconds: float = 240.0) -> float:
        """Until it answers again; how long that took."""
        began = time.monotonic()
        while time.monotonic() - began < seconds:
            with suppress(OSError, http.client.HTTPException):
                status, _ = Client(self.port).ask("GET", "/api/session")
                if status == 200:
                    return time.monotonic() - began
            time.sleep(0.1)
        raise SystemExit("The server does not answer any more.")

    def children(self, pid: int | None = None) -> list[int]:
        """Processes that a process started."""
        pid = pid or (self.process.pid if self.process else 0)
        with suppress(OSError):
            return [int(x) for x in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
        return []

    def find(self, kind: str) -> int | None:
        """A process of a kind, where there is one."""
        assert self.process is not None
        if kind == "serve":
            return self.process.pid
        for pid in self.children():
            with suppress(OSError):
                line = Path(f"/proc/{pid}/cmdline").read_text()
                if kind == "web" and "front" in line:
                    return pid
                if kind in ("keeper", "job") and "work" in line:
                    jobs = self.children(pid)
                    return pid if kind == "keeper" else (random.choice(jobs) if jobs else None)
        return None

    def kill(self, kind: str) -> bool:
        """Kill one of ours; False where there is none of that kind."""
        pid = self.find(kind)
        if pid is None:
            return False
        os.kill(pid, signal.SIGKILL)
        if kind == "serve":
            assert self.process is not None
            self.process.wait(30)
            self.start()
        return True

    def held(self) -> int:
        """Bytes that the web server has in memory."""
        pid = self.find("web")
        with suppress(OSError, StopIteration):
            return next(
                int(x.split()[1]) << 10
                for x in Path(f"/proc/{pid}/status").read_text().splitlines()
                if x.startswith("VmRSS")
            )
        return 0

    def stop(self) -> None:
        """End it and remove its folder."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            with suppress(subprocess.TimeoutExpired):
                self.process.wait(20)
        self.log.close()
        shutil.rmtree(self.folder, ignore_errors=True)


class Client:
    """Speaks to the server as the demo's user."""

    def __init__(self, port: int) -> None:
        self.port, self.cookie, self.token = port, "", ""

    def ask(self, method: str, path: str, body: Any = None, raw: bytes | None = None) -> tuple[int, Any]:
        """(status, parsed answer); raises ``OSError`` where there is none."""
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        try:
            data = raw if raw is not None else json.dumps(body).encode() if body is not None else None
            headers = {"Cookie": self.cookie, "X-CSRFToken": self.token, "Content-Type": "application/json"}
            line.request(method, path, data, headers)
            answer = line.getresponse()
            text = answer.read()
            for name, value in answer.getheaders():
                if name.lower() == "set-cookie":
                    key, _, rest = value.partition("=")
                    cookies = dict(x.split("=", 1) for x in self.cookie.split("; ") if "=" in x)
                    cookies[key] = rest.split(";")[0]
                    self.cookie = "; ".join(f"{k}={v}" for k, v in cookies.items())
                    self.token = cookies.get("csrftoken", self.token)
            with suppress(ValueError):
                return answer.status, json.loads(text)
            return answer.status, text
        finally:
            line.close()

    def arrive(self) -> None:
        """Load the page once, for a session."""
        while True:
            with suppress(OSError, http.client.HTTPException):
                if self.ask("GET", "/")[0] == 200:
                    return
            time.sleep(0.2)


class Worker(threading.Thread):
    """Edits, draws, uploads and starts jobs until told to stop; remembers what was acknowledged."""

    def __init__(
        self, server: Server, project: int, template: dict[str, Any], file: bytes, number: int, light: bool = False
    ) -> None:
        super().__init__(daemon=True)
        self.server, self.project, self.template, self.file, self.number, self.light = (
            server,
            project,
            template,
            file,
            number,
            light,
        )
        self.client = Client(server.port)
        self.stopping = False
        self.seeds: list[int] = []
        self.strokes: list[str] = []
        self.objects: list[int] = []
        self.jobs: list[int] = []
        self.errors: list[str] = []
        self.times: list[float] = []
        self.item = 0

    def run(self) -> None:
        """Work."""
        rng = random.Random(self.number)
        self.client.arrive()
        self._own()
        k = 0
        while not self.stopping:
            k += 1
            began = time.monotonic()
            with suppress(OSError, http.client.HTTPException):
                self._one(rng, k)
                self.times.append(time.monotonic() - began)

    def _note(self, status: int, answer: Any, what: str) -> bool:
        if status >= 500:
            self.errors.append(f"{what}: {status} {str(answer)[:120]}")
        return status < 300

    def _own(self) -> None:
        """An object of its own."""
        while not self.item and not self.stopping:
            with suppress(OSError, http.client.HTTPException):
                status, answer = self.client.ask(
                    "PUT", f"/api/projects/{self.project}/objects?name=box{self.number}.glb", raw=self.file
                )
                if status == 201:
                    self.item = answer["id"]
                    self.objects.append(self.item)

    def _one(self, rng: random.Random, k: int) -> None:
        what = rng.random()
        if what < (0.75 if self.light else 0.6):
            status, version = self.client.ask("GET", f"/api/objects/{self.item}/scene")
            if status != 200:
                self._note(status, version, "scene")
                return
            document = version["document"]
            seed = self.number * 1_000_000 + k
            document["seed"] = seed
            status, answer = self.client.ask(
                "PUT",
                f"/api/objects/{self.item}/scene",
                {"base": version["version"], "document": document, "label": "Seed"},
            )
            if self._note(status, answer, "edit"):
                self.seeds.append(seed)
        elif what < 0.85:
            stroke = json.loads(json.dumps(STROKE))
            stroke["brush"]["size_mm"] = 20 + k % 200 + self.number / 100
            status, answer = self.client.ask("POST", f"/api/objects/{self.item}/strokes", {"stroke": stroke})
            if self._note(status, answer, "stroke"):
                self.strokes.append(answer["file"])
        elif what < 0.9 and not self.light:
            status, answer = self.client.ask(
                "PUT", f"/api/projects/{self.project}/objects?name=more{k}.glb", raw=self.file
            )
            if self._note(status, answer, "upload"):
                self.objects.append(answer["id"])
        elif self.light:
            status, answer = self.client.ask(
                "POST", f"/api/objects/{self.item}/look", {"resolution": 64, "client": str(self.number), "ticket": k}
            )
            self._note(status, answer, "look")
        else:
            wanted = {"kind": "measure"} if k % 3 == 0 else {"kind": "export", "target": "maps", "resolution": 512}
            status, answer = self.client.ask("POST", f"/api/objects/{self.item}/jobs", wanted)
            if self._note(status, answer, "job"):
                self.jobs.append(answer["id"])


def versions_of(server: Server) -> tuple[set[int], set[str], set[int], dict[str, int]]:
    """Seeds of all versions, strokes and objects that the database has, and jobs by state."""
    script = """
import json
from server.projects.models import SceneVersion, SourceFile, WorkObject
from server.jobs.models import Job
from server.projects.data_files import find
changes = SceneVersion.objects.values_list('change', flat=True)
seeds = [s[2] for v in changes for s in v if s[0] == 'set' and s[1] == ['seed']]
drawn = SourceFile.objects.filter(path__startswith='strokes/').values_list('path', flat=True)
strokes = [p for p in drawn if find(p).is_file()]
objects = [o.pk for o in WorkObject.objects.all() if find(o.scene().object.file).is_file()]
states = {}
for s in Job.objects.values_list('state', flat=True): states[s] = states.get(s, 0) + 1
print(json.dumps([seeds, strokes, objects, states]))
"""
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "manage.py", "shell", "-v", "0", "-c", script],
        cwd=ROOT, env=server.env, capture_output=True, text=True, check=True,
    )  # fmt: skip
    seeds, strokes, objects, states = json.loads(done.stdout.splitlines()[-1])
    return set(seeds), set(strokes), set(objects), states


def checked(server: Server, workers: list[Worker]) -> int:
    """How much of what was acknowledged is missing."""
    seeds, strokes, objects, states = versions_of(server)
    lost = 0
    for name, had, has in (
        ("edits", {s for w in workers for s in w.seeds}, seeds),
        ("strokes", {s for w in workers for s in w.strokes}, strokes),
        ("objects", {o for w in workers for o in w.objects}, objects),
    ):
        missing = had - has
        lost += len(missing)
        print(f"  {len(had):6} {name} acknowledged, {len(missing)} lost")
    print(f"  jobs: {', '.join(f'{n} {s}' for s, n in sorted(states.items())) or 'none'}")
    return lost


def killing(server: Server, workers: list[Worker], kills: int) -> tuple[int, int]:
    """Kill again and again while they work; (lost, hanging)."""
    for worker in workers:
        worker.start()
    while not all(worker.item for worker in workers):
        time.sleep(0.2)
    rng = random.Random(7)
    done: dict[str, int] = {}
    back: list[float] = []
    began = time.monotonic()
    while sum(done.values()) < kills:
        time.sleep(rng.uniform(0.2, 1.0))
        kind = rng.choices(list(KILLS), list(KILLS.values()))[0]
        if server.kill(kind):
            done[kind] = done.get(kind, 0) + 1
            if kind in ("web", "serve"):
                back.append(server.wait())
            if sum(done.values()) % 25 == 0:
                print(f"  {sum(done.values())} kills, {time.monotonic() - began:.0f} s", flush=True)
    for worker in workers:
        worker.stopping = True
    for worker in workers:
        worker.join(90)
    print(
        f"{kills} kills in {time.monotonic() - began:.0f} s: {', '.join(f'{n} {k}' for k, n in sorted(done.items()))}"
    )
    if back:
        print(
            f"  the web server answered again after {statistics.median(back):.1f} s (median), {max(back):.1f} s at most"
        )
    # Everything comes to an end by itself.
    client = Client(server.port)
    client.arrive()
    hanging = {job for worker in workers for job in worker.jobs}
    # A queue that was left behind is worked off two at a time; it hangs when two minutes go by and none of it ended.
    left, moved = len(hanging), time.monotonic()
    while hanging and time.monotonic() - moved < 120:
        if len(hanging) < left:
            left, moved = len(hanging), time.monotonic()
        for job in list(hanging):
            with suppress(OSError, http.client.HTTPException):
                status, answer = client.ask("GET", f"/api/jobs/{job}")
                if status == 404 or answer["state"] not in ("queued", "running"):
                    hanging.discard(job)
        time.sleep(0.3)
    print(
        f"  {len(hanging)} jobs left hanging; the last one ended {time.monotonic() - began:.0f} s after the beginning"
    )
    faults = [error for worker in workers for error in worker.errors]
    print(f"  {len(faults)} answers of 500 or more while processes were killed{': ' + faults[0] if faults else ''}")
    return checked(server, workers), len(hanging)


def crowd(server: Server, workers: list[Worker], minutes: float, memory: int) -> tuple[int, int, bool]:
    """Many at once; (errors, lost, within the budget of memory)."""
    for worker in workers:
        worker.start()
    end = time.monotonic() + minutes * 60
    most = 0
    while time.monotonic() < end:
        most = max(most, server.held())
        time.sleep(1.0)
    for worker in workers:
        worker.stopping = True
    for worker in workers:
        worker.join(90)
    times = sorted(t for worker in workers for t in worker.times)
    errors = [error for worker in workers for error in worker.errors]
    print(
        f"{len(workers)} clients for {minutes:g} minutes: {len(times)} answers, {len(errors)} "
        f"errors{': ' + errors[0] if errors else ''}"
    )
    print(
        f"  median {1000 * statistics.median(times):.0f} ms, 95th percentile "
        f"{1000 * times[int(0.95 * len(times))]:.0f} ms"
    )
    print(f"  the web server held {most >> 20} MB at most; results may take {memory >> 20} MB of that")
    # What a process takes besides results: the program, its libraries, what is under way.
    return len(errors), checked(server, workers), most < memory + (1 << 30)


PEOPLE = """
import copy, json, sys
from django.contrib.auth import get_user_model
from django.contrib.sessions.backends.db import SessionStore
from server.projects.models import Project, SourceFile, WorkObject
from server.projects.workshop import session_of
people, objects = int(sys.argv[-2]), int(sys.argv[-1])
first = WorkObject.objects.select_related('head').get(name='Gate hoist')
out = []
for p in range(people):
    user = get_user_model().objects.create(username=f'person {p}')
    store = SessionStore()
    store['_auth_user_id'], store['_auth_user_backend'] = str(user.pk), 'django.contrib.auth.backends.ModelBackend'
    store['_auth_user_hash'] = user.get_session_auth_hash()
    store.save()
    project = Project.objects.create(owner=user, name='Load')
    for file in first.project.files.all():
        SourceFile.objects.create(project=project, path=file.path, name=file.name)
    document = copy.deepcopy(first.document)
    document['object']['scale'] = 1.0 + 0.07 * (p % objects)
    item = WorkObject.objects.create(project=project, name=f'Hoist {p}')
    item.commit(None, document, 'As made')
    if p < objects:
        session_of(item.scene()).measure('draft', lambda share, word: None)
    out.append([store.session_key, item.pk, document])
print(json.dumps(out))
"""


class Dragging(threading.Thread):
    """One person: a layer of the hoist's whole story is dragged, step after step, each answered before the next. After
    ``BURST`` steps that person looks for ``rest`` seconds; 0: never pauses.
    """

    def __init__(
        self, server: Server, key: str, item: int, document: dict[str, Any], number: int, rest: float = 0.0
    ) -> None:
        super().__init__(daemon=True)
        self.client = Client(server.port)
        self.client.cookie, self.client.token = f"sessionid={key}; csrftoken={'c' * 32}", "c" * 32
        self.item, self.document, self.number, self.rest = item, document, number, rest
        self.times: list[float] = []
        self.errors: list[str] = []
        self.ticket = 0
        self.stopping = False

    def step(self) -> float:
        """One step of a drag; seconds."""
        self.ticket += 1
        layer = self.document["layers"][(self.number * 5) % len(self.document["layers"])]
        layer["strength"] = round(0.3 + (self.ticket * 37 + self.number) % 600 / 1000, 4)
        body = {"ticket": self.ticket, "client": f"tab {self.number}", "document": self.document, "resolution": 512}
        began = time.monotonic()
        status, answer = self.client.ask("POST", f"/api/objects/{self.item}/evaluate", body)
        if status != 200:
            self.errors.append(f"{status} {str(answer)[:100]}")
        return time.monotonic() - began

    def run(self) -> None:
        """Until told to stop."""
        # Not all of them at once.
        time.sleep(self.rest * (self.number % 10) / 10)
        while not self.stopping:
            with suppress(OSError, http.client.HTTPException):
                self.times.append(self.step())
            if self.rest and not len(self.times) % BURST:
                time.sleep(self.rest)


#: Steps of one drag of somebody who looks at what came of it then.
BURST = 6


def dragging(server: Server, people: int, objects: int, seconds: float, rest: float = 0.0) -> None:
    """Many people drag at once, and one more begins while they do; printed beside one step of one person alone."""
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "manage.py", "shell", "-v", "0", "-c",
            f"import sys; sys.argv = ['x', '{people + 1}', '{objects}']\n{PEOPLE}"],
        cwd=ROOT, env=server.env, capture_output=True, text=True, check=True,
    )  # fmt: skip
    everybody = [
        Dragging(server, *one, number, rest) for number, one in enumerate(json.loads(done.stdout.splitlines()[-1]))
    ]
    *crowd_, late = everybody
    for person in crowd_[:objects]:
        person.step()
    # Of every layer that somebody drags: the mean step, as it is alone and warm.
    alone = []
    for person in crowd_[:objects]:
        alone += [person.step() for _ in range(2)][1:]
    one = statistics.mean(alone)
    for person in crowd_:
        person.start()
    time.sleep(seconds / 2)
    first = late.step()
    time.sleep(seconds / 2)
    for person in crowd_:
        person.stopping = True
    for person in crowd_:
        person.join(120)
    # The first of each is that of the start.
    times = sorted(t for person in crowd_ for t in person.times[1:])
    errors = [e for person in everybody for e in person.errors]
    p95, median = times[int(0.95 * len(times))], statistics.median(times)
    print(
        f"{people} people drag on {objects} objects, 14 layers at 512: {len(times)} steps, {len(errors)} "
        f"errors{': ' + errors[0] if errors else ''}"
    )
    print(
        f"  one step alone {one:.2f} s; median {median:.2f} s, 95th percentile {p95:.2f} s ({p95 / median:.2f} "
        "times, wanted: 1.5)"
    )
    print(
        f"  the longest {times[-1]:.2f} s, {times[-1] / (one * people):.2f} times people x one step alone (wanted: 1.3)"
    )
    print(
        f"  somebody who began meanwhile had the first answer after {first:.2f} s, {first / one:.1f} steps (wanted: 3)"
    )
    print(f"  the web server held {server.held() >> 20} MB")


def main() -> None:
    """Run both and say how it went."""
    from limus.formats.gltf_write import glb_bytes
    from tests.core import shapes

    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--clients", type=int, default=30)
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--people", type=int, default=0, help="only this: so many people who drag")
    parser.add_argument("--rest", type=float, default=0.0, help="seconds that each of them looks between drags")
    parser.add_argument("--objects", type=int, default=10)
    parser.add_argument("--memory", default="1G")
    args = parser.parse_args()
    server = Server(args.memory)
    if args.people:
        try:
            server.start()
            dragging(server, args.people, args.objects, args.minutes * 60, args.rest)
        finally:
            server.stop()
        return
    bad = False
    try:
        server.start()
        client = Client(server.port)
        client.arrive()
        project = client.ask("GET", "/api/projects")[1][0]["id"]
        file = glb_bytes(shapes.box(0.2))
        if args.kills:
            lost, hanging = killing(server, [Worker(server, project, {}, file, k) for k in range(1, 7)], args.kills)
            bad = bad or bool(lost or hanging)
        if args.minutes:
            people = [Worker(server, project, {}, file, 100 + k, light=True) for k in range(args.clients)]
            errors, lost, within = crowd(server, people, args.minutes, 1 << 30)
            bad = bad or bool(errors or lost or not within)
    finally:
        server.stop()
    print("Something was lost, hung or failed." if bad else "Nothing was lost, nothing hung, nothing failed.")
    sys.exit(int(bad))


if __name__ == "__main__":
    main()
