"""What the tests would not notice: changes the code of a room, one place at a time.

``make mutate ROOM=limus/commands`` (CASES=60 of each room, drawn at random by SEED=1; CASES=0 for all) counts the
changes that no test finds, and prints them with their place and what became of the line, to be looked at. Works on
copies of what stands in the folder. First all tests of the room run once, and it is kept which test runs which line;
then each change is tried by the tests that run its line, the quickest first, until one fails (`tools/forked.py`).
The changes are those of cosmic-ray. Not part of ``make test``.
"""

from __future__ import annotations

import importlib
import os
import pkgutil
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from cosmic_ray import plugins
from cosmic_ray.ast import ast_nodes, get_ast_from_path
from cosmic_ray.mutating import apply_mutation

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tools import forked

ROOT = Path(__file__).resolve().parents[1]
#: What brings a database of an earlier edition up is tried on one, and a benchmark by running it.
EXCUSED = ("/migrations/", "bench_drag.py")
#: Tests that start processes of their own say nothing about what those ran.
SERVER = [
    f"tests.server.test_{name}"
    for name in (
        "edits", "gate", "tokens", "treatments", "findings", "guide", "watch", "drawn", "lanes", "base_stage",
        "contract", "demo", "photographs", "intakes", "batches", "api", "object_stage", "safety", "upgrade_and_faults",
        "hardening",
    )
]  # fmt: skip
#: Room -> the tests that are to notice.
ROOMS: dict[str, list[str]] = {
    "limus/commands": [
        "tests.core.test_commands",
        "tests.core.test_contract",
        "tests.core.test_findings",
        "tests.server.test_edits",
        "tests.server.test_findings",
    ],
    "limus/document/scene.py": ["tests.core.test_scene", "tests.core.test_commands"],
    "limus/masks/recipe.py": ["tests.core.test_masks", "tests.core.test_places"],
    "limus/masks/shape.py": ["tests.core.test_masks", "tests.core.test_places"],
    "limus/strata": ["tests.core.test_substances", "tests.core.test_effects", "tests.core.test_weather"],
    "limus/effects/dust.py": [
        "tests.core.test_contract",
        "tests.core.test_kept_looks",
        "tests.core.test_settings_of_effects",
    ],
    "limus/effects/paint.py": [
        "tests.core.test_contract",
        "tests.core.test_kept_looks",
        "tests.core.test_settings_of_effects",
    ],
    "limus/effects/rust.py": [
        "tests.core.test_contract",
        "tests.core.test_kept_looks",
        "tests.core.test_settings_of_effects",
    ],
    "server/projects": SERVER,
    "server/api": SERVER,
    "server/jobs": [*SERVER, "tests.server.test_keeper"],
}
#: Seconds of tests that one change may take, reckoned from how long they took; what is beyond is left out.
MOST = 90.0
#: Copies that are worked on at once.
COPIES = 2


@dataclass(frozen=True)
class Change:
    """One change of one place."""

    path: str
    operator: str
    occurrence: int
    first: int
    last: int


def changes(copy: Path, room: str) -> Iterator[Change]:
    """All changes of a room that could mean something."""
    top = copy / room
    for path in [top] if top.is_file() else sorted(top.rglob("*.py")):
        if any(word in str(path) for word in EXCUSED):
            continue
        tree = get_ast_from_path(path)
        for name in plugins.operator_names():
            # `int | None` of an annotation is never reckoned; the others need arguments.
            if "BitOr_" in name or plugins.get_operator(name).arguments():
                continue
            operator = plugins.get_operator(name)()
            places = (place for node in ast_nodes(tree) for place in operator.mutation_positions(node))
            for occurrence, (start, end) in enumerate(places):
                yield Change(str(path.relative_to(copy)), name, occurrence, start[0], end[0])


def copied(into: Path) -> Path:
    """A copy of the project as it stands, with its compiled code."""
    names = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
    kept = {name.split("/")[0] for name in names if name} - {"web", "docs"}
    for name in kept:
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(source, into / name, copy_function=shutil.copy2)
        elif source.exists():
            into.mkdir(parents=True, exist_ok=True)
            shutil.copy2(source, into / name)
    (into / "web").symlink_to(ROOT / "web")
    (into / "docs").symlink_to(ROOT / "docs")
    return into


def preloaded(room: str, copy: Path) -> None:
    """Load what does not hang on the room, once for all processes."""
    for name in ("django.test", "numba", "pydantic"):
        importlib.import_module(name)
    if room.startswith("server"):
        sys.path.insert(0, str(copy))
        import limus

        for module in pkgutil.walk_packages(limus.__path__, "limus."):
            # What may start threads stays out: a process that is split off has none of them.
            if not module.name.startswith(("limus.afar", "limus.batch", "limus.cli")):
                importlib.import_module(module.name)


class Trial:
    """Changes of one room, tried one after the other in a few copies."""

    def __init__(self, copies: list[Path], seen: forked.Seen) -> None:
        self.seen = seen
        self.free = list(copies)
        self.under: dict[Path, tuple[forked.Under, Change, str, str]] = {}
        self.lost: list[str] = []
        self.cut = 0

    def begin(self, change: Change) -> None:
        """Try one change in a free copy."""
        while not self.free:
            self.look()
            time.sleep(0.02)
        names = self.seen.of(change.path, change.first, change.last)
        copy = self.free.pop()
        before, after = apply_mutation(copy / change.path, plugins.get_operator(change.operator)(), change.occurrence)
        if not names or after is None:
            self.put_back(copy, change, before)
            self.say(change, before, after or before, "no test runs it")
            return
        chosen, took = [], 0.0
        for name in names:
            took += self.seen.seconds.get(name, 0.0)
            if chosen and took > MOST:
                self.cut += 1
                break
            chosen.append(name)
        log = copy.with_suffix(".log")
        shutil.rmtree(log.with_suffix(".data"), ignore_errors=True)
        under = forked.begun(lambda: forked.tested(chosen), copy, log, 60 + 6 * took)
        self.under[copy] = (under, change, before, after)

    def look(self) -> None:
        """See whether one has ended."""
        for copy, (under, change, before, after) in list(self.under.items()):
            code = forked.ended(under)
            if code is None:
                continue
            del self.under[copy]
            self.put_back(copy, change, before)
            if not code:
                self.say(change, before, after, "")

    def put_back(self, copy: Path, change: Change, before: str) -> None:
        path = copy / change.path
        path.write_text(before)
        # As it was, so that compiled code of the file still fits.
        stat = (ROOT / change.path).stat()
        os.utime(path, ns=(stat.st_atime_ns, stat.st_mtime_ns))
        self.free.append(copy)

    def say(self, change: Change, before: str, after: str, why: str) -> None:
        old, new = before.split("\n"), after.split("\n")
        pairs = [(a.strip(), b.strip()) for a, b in zip(old, new) if a != b]
        became = f"{pairs[0][0]}  ->  {pairs[0][1]}" if pairs else change.operator
        line = f"  not noticed: {change.path}:{change.first}  {became}{f'  ({why})' if why else ''}"
        self.lost.append(line)
        print(line, flush=True)

    def through(self) -> None:
        """Wait for what is under way."""
        while self.under:
            self.look()
            time.sleep(0.02)


def main() -> int:
    """Mutate one room; exit code 1 where the tests fail without any change."""
    room, cases = sys.argv[1], int(os.environ.get("CASES", "60"))
    if room not in ROOMS:
        print(f"There is no room '{room}'. Choose one of: {', '.join(ROOMS)}")
        return 2
    with tempfile.TemporaryDirectory(prefix="limus-mutate-") as place:
        copies = [copied(Path(place) / f"copy{k}") for k in range(COPIES)]
        preloaded(room, copies[0])
        kept = Path(place) / "seen"
        watch = forked.begun(
            lambda: forked.watched(ROOMS[room], room.removesuffix(".py").replace("/", "."), kept),
            copies[0], Path(place) / "watch.log", 3600.0,
        )  # fmt: skip
        while (code := forked.ended(watch)) is None:
            time.sleep(0.1)
        if code:
            print((Path(place) / "watch.log").read_text()[-3000:])
            print("The tests fail without any change.")
            return 1
        seen = forked.read(kept, copies[0])
        every = list(changes(copies[0], room))
        chosen = (
            every
            if not cases or cases >= len(every)
            else random.Random(int(os.environ.get("SEED", "1"))).sample(every, cases)
        )
        print(f"{len(seen.seconds)} tests in {sum(seen.seconds.values()):.0f} s; {len(chosen)} of {len(every)} changes")
        trial = Trial(copies, seen)
        for change in chosen:
            trial.begin(change)
        trial.through()
        noticed = len(chosen) - len(trial.lost)
        print(f"{room}: {noticed} of {len(chosen)} changes noticed, {noticed / max(len(chosen), 1):.0%}", end="")
        print(f"; {trial.cut} times not all tests that run the line were asked" if trial.cut else "")
    return 0


if __name__ == "__main__":
    sys.exit(main())
