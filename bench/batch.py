"""Part of the benchmark: rows of a batch by one worker and by two, each on one core."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path

from bench import QUICK
from bench.tools import demo
from limus.batch.far import on_this_machine
from limus.batch.run import run
from limus.formats.gltf_write import write_glb

#: Rows, and pixels along a side of their maps.
ROWS, SIZE = (6, 32) if QUICK else (24, 1024)


def _seconds(folder: Path, workers: int) -> float:
    """Of a row, once every worker has done its first: what a worker takes to begin is not counted."""
    rows = [
        {"object": "o.glb", "treatment": "river-iron", "seed": str(k + 1), "out": f"row-{k}", "resolution": str(SIZE)}
        for k in range(ROWS)
    ]
    ends: list[float] = []

    def told(through: float, count: int, line: str) -> None:
        if line:
            ends.append(time.perf_counter())

    run(rows, folder, folder / f"by-{workers}", told, on_this_machine(workers))
    return (ends[-1] - ends[workers - 1]) / (len(ends) - workers)


def main() -> None:
    """Run and print."""
    mesh, _ = demo()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_glb(folder / "o.glb", mesh)
        one, two = (_seconds(folder, workers) for workers in (1, 2))
    print(
        f"Batch of {ROWS} rows     {one / two:.2f} times as quick by two workers as by one, at {SIZE} (wanted: at "
        f"least 1.7 on two cores; this machine has {os.cpu_count()}); {one:.1f} s a row by one"
    )
