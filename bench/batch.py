"""Part of the benchmark: rows of a batch by one worker and by two, each on one core, and by none."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench import QUICK
from bench.tools import demo
from limus.batch.far import on_this_machine
from limus.batch.run import run
from limus.formats.gltf_write import write_glb

#: Rows, and pixels along a side of their maps.
ROWS, SIZE = (4, 32) if QUICK else (24, 1024)
#: Of those, what is done without workers to compare with.
FEW = 2 if QUICK else 6


def _seconds(folder: Path, workers: int, size: int = SIZE, count: int = ROWS) -> float:
    """Of a row, once every worker (0: this process) has done its first: what it takes to begin is not counted."""
    rows = [
        {"object": "o.glb", "treatment": "river-iron", "seed": str(k + 1), "out": f"row-{k}", "resolution": str(size)}
        for k in range(count)
    ]
    ends: list[float] = []

    def told(through: float, total: int, line: str) -> None:
        if line:
            ends.append(time.perf_counter())

    run(rows, folder, folder / f"by-{workers}", told, on_this_machine(workers) if workers else None)
    first = max(workers, 1)
    return (ends[-1] - ends[first - 1]) / (len(ends) - first)


def _without_workers(folder: Path) -> float:
    """The same by a process of its own on one core; at the size that is asked for in a quick run too, as workers do."""
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-m", "bench.batch", str(folder), str(SIZE), str(FEW)], capture_output=True,
        text=True, check=True, env={**os.environ, "LIMUS_THREADS": "1", "LIMUS_BENCH": ""},
    )  # fmt: skip
    return float(done.stdout.split()[-1])


def main() -> None:
    """Run and print."""
    mesh, _ = demo()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_glb(folder / "o.glb", mesh)
        none = _without_workers(folder)
        one, two = (_seconds(folder, workers) for workers in (1, 2))
    print(
        f"Batch of {ROWS} rows     {one / two:.2f} times as quick by two workers as by one, at {SIZE} (wanted: at "
        f"least 1.7 on two cores; this machine has {os.cpu_count()}); {one:.1f} s a row by one, "
        f"{one / none:.2f} times what it takes without (wanted: less than 1.05)"
    )


if __name__ == "__main__":
    print(_seconds(Path(sys.argv[1]), 0, int(sys.argv[2]), int(sys.argv[3])))
