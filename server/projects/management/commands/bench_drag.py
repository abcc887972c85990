"""How a drag feels: over HTTP, on the demo's whole stories, as the page asks for it; alone and while many drag."""

from __future__ import annotations

import http.client
import json
import os
import statistics
import sys
import threading
import time
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.core.wsgi import get_wsgi_application
from django.db import connections
from django.test import Client

from limus.looks.packed import unpacked
from server.config.front import make_server
from server.projects.demo_sign_in import DEMO_USER
from server.projects.models import WorkObject
from server.projects.workshop import session_of

#: What the page takes while something is dragged (web/src/stores/work/pace.ts): sizes, and milliseconds from which on
#: it goes down.
SIZES, SLOW = (128, 256, 512), 140.0
#: Objects of the demo, and steps of a drag.
OBJECTS, STEPS = ("Gate hoist", "Pier cap"), 12
#: People who drag at once, and steps of each.
PEOPLE, EACH = 12, 4


class Person:
    """One browser tab."""

    def __init__(self, port: int, cookie: str, item: WorkObject, tab: str) -> None:
        self.port, self.cookie, self.pk, self.tab, self.item = port, cookie, item.pk, tab, item
        self.base, self.layers = item.head_id, item.document["layers"]
        self.has: list[str] = []
        self.ticket = 0
        self.line = http.client.HTTPConnection("127.0.0.1", port, timeout=300)
        self.size = 1

    def twin(self, tab: str) -> Person:
        """Another tab of the same."""
        return Person(self.port, self.cookie, self.item, tab)

    @property
    def last(self) -> str:
        """What is dragged of the last layer."""
        return f"layers[{self.layers[-1]['id']}].strength"

    def ask(self, resolution: int, *, pictures: bool = False, set_: dict[str, Any] | None = None) -> float:
        """Seconds from the question to the answer with all its maps; ``set_`` is what is dragged."""
        self.ticket += 1
        body = {
            "ticket": self.ticket, "client": self.tab, "base": self.base, "resolution": resolution, "has": self.has,
            "edits": [{"name": "set", "arguments": {"values": set_}}] if set_ else [],
            "selected": self.layers[-1]["id"], "pictures": pictures,
        }  # fmt: skip
        began = time.perf_counter()
        data = self._call("POST", f"/api/objects/{self.pk}/evaluate", json.dumps(body).encode())
        took = time.perf_counter() - began
        self.has = list(unpacked(data).pictures)
        return took

    def _call(self, method: str, path: str, body: bytes | None) -> bytes:
        token = "b" * 32
        head = {
            "Cookie": f"sessionid={self.cookie}; csrftoken={token}", "X-CSRFToken": token,
            "Content-Type": "application/json", "Host": "localhost",
            "Accept": "application/octet-stream",
        }  # fmt: skip
        self.line.request(method, path, body, head)
        answer = self.line.getresponse()
        data = answer.read()
        assert answer.status == 200, (answer.status, data[:300])
        return data

    def drag(self, where: int, steps: int) -> list[float]:
        """Move the strength of a layer; each step at the size that the one before allowed."""
        address, times, now = f"layers[{self.layers[where]['id']}].strength", [], {}
        for k in range(steps):
            now = {address: round(0.4 + 0.03 * k + 0.0001 * (sum(map(ord, self.tab)) % 97), 5)}
            times.append(self.ask(SIZES[self.size], set_=now))
            if times[-1] * 1000 > SLOW and self.size:
                self.size -= 1
        self.sharp = self.ask(1024, set_=now)
        return times


class Command(BaseCommand):
    """Part of ``make bench``."""

    help = "Measure drags through the API"

    def handle(self, *args: Any, **options: Any) -> None:
        """Load the demo where it is missing, then drag the first, the middle and the last layer of two objects."""
        # As the server does.
        sys.setswitchinterval(0.0005)
        quick = os.environ.get("LIMUS_BENCH") == "quick"
        names, steps = (OBJECTS[:1], 2) if quick else (OBJECTS, STEPS)
        call_command("migrate", verbosity=0)
        call_command("load_demo", verbosity=0, first=quick, draft=quick)
        user = get_user_model().objects.get(username=DEMO_USER)
        client = Client()
        client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        cookie = client.cookies["sessionid"].value
        server = make_server(get_wsgi_application(), "127.0.0.1", 0)
        port = server.socket.getsockname()[1]
        threading.Thread(target=server.run, daemon=True).start()
        tabs = {}
        for name in names:
            item = WorkObject.objects.select_related("head").get(project__owner=user, name=name)
            session_of(item.scene()).measure("draft", lambda share, word: None)
            person = tabs[name] = Person(port, cookie, item, name)
            # As it is when somebody has looked at it for a while: at rest, and the sizes of a drag made ready.
            for size in (1024, *SIZES) if not quick else SIZES[:1]:
                person.ask(size)
            count = len(person.layers)
            for word, where in (("first", 0), ("middle", count // 2), ("last", count - 1)):
                person.size = 0 if quick else 1
                times = person.drag(where, steps)
                rest = sorted(times[1:])
                layer = person.layers[where]
                self.stdout.write(
                    f"Drag, {name}, {word:6} of {count} ({layer['id']}): first step {times[0] * 1000:.0f} ms "
                    "(wanted: 300), then "
                    f"{statistics.median(rest) * 1000:.0f} ms, at most {rest[-1] * 1000:.0f} (wanted: 150) at "
                    f"{SIZES[person.size]}; "
                    f"sharp at 1024 {person.sharp:.1f} s after letting go (wanted: 2)"
                )
        self._many(port, cookie, tabs, 2 if quick else PEOPLE, 1 if quick else EACH)
        connections.close_all()
        os._exit(0)

    def _many(self, port: int, cookie: str, tabs: dict[str, Person], people: int, each: int) -> None:
        one = next(iter(tabs.values()))
        alone = statistics.median(one.ask(SIZES[0]) for _ in range(1)) and self._alone(one)
        times: list[float] = []

        def drag(k: int) -> None:
            base = list(tabs.values())[k % len(tabs)]
            person = base.twin(f"tab {k}")
            for step in range(each):
                times.append(person.ask(SIZES[0], set_={person.last: round(0.5 + 0.02 * step + 0.0007 * k, 5)}))

        threads = [threading.Thread(target=drag, args=(k,)) for k in range(people)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        times.sort()
        self.stdout.write(
            f"Many drag at once     {times[int(0.95 * len(times))] / alone:6.1f} times one step alone at the 95th "
            f"percentile with {people} tabs "
            f"(wanted: at most 1.3 for each); median {statistics.median(times):.2f} s"
        )
        self.stdout.flush()

    @staticmethod
    def _alone(person: Person) -> float:
        return statistics.median(person.ask(SIZES[0], set_={person.last: round(0.7 + 0.01 * k, 4)}) for k in range(5))
