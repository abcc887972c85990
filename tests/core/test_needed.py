"""What an export is said to take in memory, against what a process that makes it takes."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from limus.common.store import Store
from limus.playing.needed import Needed, in_bytes
from limus.playing.session import Session
from limus.targets.delivery import outlook
from limus.targets.order import Order
from tests.core import shapes
from tests.core.test_effects import STORY, scene

ROOT = Path(__file__).resolve().parents[2]
PROCESS = """
import json
from limus.common.store import Store
from limus.playing.session import Session
from limus.targets.delivery import deliver, outlook
from limus.targets.order import Order
from tests.core import shapes
from tests.core.test_effects import STORY, scene

def held(what):
    with open("/proc/self/status") as lines:
        return next(int(line.split()[1]) for line in lines if line.startswith(what)) * 1024

session = Session.on(shapes.box(0.2), scene(*STORY), store=Store(64 << 20))
needed = outlook(session, Order()).needed
deliver(session, Order(resolution=256))
before = held("VmRSS")
deliver(session, Order(resolution=1024))
print(json.dumps([held("VmHWM") - before, needed.at(1024)]))
"""


class OfAnExport(TestCase):
    def test_within_a_fifth_of_what_a_process_takes(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run(
                [sys.executable, "-W", "ignore", "-c", PROCESS], cwd=ROOT, capture_output=True, text=True, check=True,
                env={**os.environ, "LIMUS_CACHE": folder},
            )  # fmt: skip
        took, said = json.loads(done.stdout)
        self.assertLess(abs(said / took - 1.0), 0.20, (took, said))

    def test_it_follows_layers_masks_and_sizes(self) -> None:
        mesh = shapes.box(0.2)

        def needed(count: int, *masks: str) -> Needed:
            session = Session.on(mesh, scene(*STORY[:count]), store=Store(256 << 20))
            return outlook(session, Order(target="maps", masks=masks)).needed

        few, many = needed(1), needed(5)
        # Four coats more: a thickness and a colour each at the least.
        self.assertGreater(many.pixel - few.pixel, 4 * 16 * 0.8)
        self.assertEqual(many.at(2048), 4 * many.at(1024))
        self.assertGreater(needed(5, "paint", "dirt").pixel, many.pixel)

    def test_what_fits(self) -> None:
        needed = Needed(500.0, 2)
        self.assertEqual(needed.fitting((256, 512, 1024, 2048), needed.at(1024)), [256, 512, 1024])
        self.assertEqual(needed.fitting((512, 1024), 1), [512])
        self.assertEqual(
            [in_bytes(x) for x in (0, 900 << 20, 1000 << 20, 5 << 30)], ["1 MB", "900 MB", "1.0 GB", "5.0 GB"]
        )
