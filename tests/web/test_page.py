"""What the page itself computes: each file of ``web/tests`` is one test here, run once for all by the page's own
tools (Vitest).
"""

from __future__ import annotations

import json
import os
import subprocess
import tempfile
from pathlib import Path
from typing import Any, ClassVar

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.test import override_settings

from tests.live import Front

WEB = Path(__file__).resolve().parents[2] / "web"
#: Parts of the names of files that are run alone, while they are being written: LIMUS_PAGE_TESTS="export batch".
ONLY = os.environ.get("LIMUS_PAGE_TESTS", "").split()
FILES = sorted(
    path.relative_to(WEB / "tests").as_posix()
    for path in (WEB / "tests").rglob("*.test.ts")
    if not ONLY or any(word in path.name for word in ONLY)
)


@override_settings(
    DEMO_SIGN_IN=True,
    READINGS_RESOLUTION=128,
    JOBS_AT_ONCE=True,
    ALLOWED_HOSTS=["localhost", "127.0.0.1"],
    ROOT_URLCONF="tests.web.fresh",
)
class Page(StaticLiveServerTestCase):
    """One method for each file; see ``_add``. Tests that mount a stage talk to this class's server."""

    host = "127.0.0.1"
    server_thread_class = Front
    _found: ClassVar[dict[str, Any]] = {}
    _said: ClassVar[str] = ""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        call_command("load_demo", verbosity=0, first=True)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "found.json"
            run = subprocess.run(
                ["npx", "--no-install", "vitest", "run", "--reporter=json", f"--outputFile={out}", *ONLY],
                cwd=WEB, capture_output=True, text=True, check=False, timeout=900,
                env={**os.environ, "LIMUS_SERVER": cls.live_server_url},
            )  # fmt: skip
            cls._said = f"{run.stdout}\n{run.stderr}"[-3000:]
            report = json.loads(out.read_text()) if out.exists() else {"testResults": []}
        cls._found = {
            Path(entry["name"]).relative_to(WEB / "tests").as_posix(): entry for entry in report["testResults"]
        }

    def of_file(self, name: str) -> None:
        """Every test of a file passed, and there was one."""
        entry = self._found.get(name)
        self.assertIsNotNone(entry, f"{name} was not run: {self._said}")
        assert entry is not None
        lines = [
            f"{one['fullName']}: {' '.join(one.get('failureMessages', []))[:800]}"
            for one in entry["assertionResults"]
            if one["status"] != "passed"
        ]
        self.assertEqual(lines, [], f"{entry.get('message', '')}\n" + "\n".join(lines))
        self.assertGreater(len(entry["assertionResults"]), 0, f"{name} holds no test")


def _add(name: str) -> None:
    def test(self: Page) -> None:
        self.of_file(name)

    setattr(Page, f"test_{name.removesuffix('.test.ts').replace('/', '_')}", test)


for _name in FILES:
    _add(_name)
