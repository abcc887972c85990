"""What the parts of the benchmark share."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
from functools import cache
from pathlib import Path

from limus.document.scene import Scene, scene_from
from limus.formats.gltf_read import read_gltf
from limus.surface.mesh import Mesh


@cache
def demo() -> tuple[Mesh, Scene]:
    """The demo object and its scene, built by a process of its own: the core does not know the demo."""
    with tempfile.TemporaryDirectory() as folder:
        code = (
            "import sys, pathlib; sys.path.insert(0, '.'); from demo.gate_hoist import build; from demo.scenario "
            "import gate_hoist_scene;"
            "from limus.formats.gltf_write import glb_bytes; p = pathlib.Path(sys.argv[1]);"
            "(p / 'o.glb').write_bytes(glb_bytes(build())); print(gate_hoist_scene().model_dump_json())"
        )
        root = Path(__file__).resolve().parents[1]
        done = subprocess.run(
            [sys.executable, "-c", code, folder], capture_output=True, text=True, check=True, cwd=root
        )
        return read_gltf(Path(folder) / "o.glb"), scene_from(json.loads(done.stdout))


def peak_mb() -> float:
    """Most memory that this process ever held (Linux); the figure of ``getrusage`` would be that of the process it
    came from.
    """
    with open("/proc/self/status") as lines:
        return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024


def resident_mb() -> float:
    """Memory that this process holds now (Linux)."""
    with open("/proc/self/statm") as figures:
        return int(figures.read().split()[1]) * resource.getpagesize() / (1 << 20)
