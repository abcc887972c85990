"""What an export is said to take in memory, against what a process that makes it takes."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any
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
import ctypes
import gc
import json
from dataclasses import replace
from unittest.mock import patch
from limus.common.store import Store
from limus.playing.session import Session
from limus.targets.delivery import deliver, outlook
from limus.targets.order import Order
from tests.core import shapes
from tests.core.test_effects import STORY, scene

def held(what):
    with open("/proc/self/status") as lines:
        return next(int(line.split()[1]) for line in lines if line.startswith(what)) * 1024

def peak(session, resolution):
    # What was let go and is not yet the system's would be taken again, unseen.
    gc.collect()
    ctypes.CDLL(None).malloc_trim(0)
    with open("/proc/self/clear_refs", "w") as anew:
        anew.write("5")
    before = held("VmRSS")
    deliver(session, Order(resolution=resolution))
    return held("VmHWM") - before

box = shapes.box(0.2)
session = Session.on(box, scene(*STORY), store=Store(64 << 20))
needed = outlook(session, Order()).needed
deliver(session, Order(resolution=256))
out = {"whole": [peak(session, 1024), needed.at(1024)]}
# A quarter of the map set, so that it does not take all day: some fifteen tiles of this size.
session = Session.on(replace(box, uv=box.uv * 0.5), scene(STORY[0], STORY[3]), store=Store(64 << 20))
needed = outlook(session, Order()).needed
deliver(session, Order(resolution=256))
with patch("limus.playing.needed.TILE_TEXELS", 1 << 18), patch("limus.playing.needed.TILE_ROWS", 512):
    out["tiles"] = [peak(session, 4096), needed.at(4096)]
out["at once"] = needed.pixel * 4096 * 4096
print(json.dumps(out))
"""


class OfAnExport(TestCase):
    said: dict[str, Any]

    @classmethod
    def setUpClass(cls) -> None:
        with tempfile.TemporaryDirectory() as folder:
            done = subprocess.run(
                [sys.executable, "-W", "ignore", "-c", PROCESS], cwd=ROOT, capture_output=True, text=True, check=True,
                env={**os.environ, "LIMUS_CACHE": folder},
            )  # fmt: skip
        cls.said = json.loads(done.stdout)

    def test_within_a_fifth_of_what_a_process_takes(self) -> None:
        took, said = self.said["whole"]
        self.assertLess(abs(said / took - 1.0), 0.20, (took, said))

    def test_4096_takes_what_a_tile_takes_and_not_the_whole(self) -> None:
        took, said = self.said["tiles"]
        # A fifth, and buffers that are the same for any tile: beside those that are used, four times as large, they
        # count for little.
        self.assertLess(took, 1.2 * said + (96 << 20))
        # All at once would take several times that.
        self.assertLess(3 * took, self.said["at once"])

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
