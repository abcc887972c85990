"""What the tests would not notice: changes the code of a room, one place at a time.

``make mutate ROOM=limus/commands`` (CASES=60 of each room, spread evenly; CASES=0 for all) counts the changes that no
test finds, and prints them with their place, to be looked at. Works on a copy, where everything is compiled once; a
changed file is compiled anew. Uses cosmic-ray. Not part of ``make test``.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
from pathlib import Path

from cosmic_ray.work_db import WorkDB, use_db
from cosmic_ray.work_item import TestOutcome, WorkerOutcome, WorkResult

ROOT = Path(__file__).resolve().parents[1]
#: The quick ones first: a change that one of them notices needs no other. Those that start processes of their own come
#: last or not at all.
SERVER = [
    f"tests.server.test_{name}"
    for name in (
        "edits", "gate", "tokens", "treatments", "findings", "guide", "watch", "drawn", "lanes", "base_stage",
        "photographs", "intakes", "batches", "api", "object_stage", "safety", "upgrade_and_faults", "hardening",
    )
]  # fmt: skip
#: What brings a database of an earlier edition up is tried on one, and a benchmark by running it.
EXCUSED = [
    "server/projects/migrations/*",
    "server/jobs/migrations/*",
    "server/projects/management/commands/bench_drag.py",
]
#: Room -> the tests that are to notice. Those of the core run without Django, which begins quicker.
ROOMS: dict[str, list[str]] = {
    "limus/commands": ["tests.core.test_commands"],
    "limus/document/scene.py": ["tests.core.test_scene", "tests.core.test_commands"],
    "limus/masks/recipe.py": ["tests.core.test_masks", "tests.core.test_places"],
    "limus/masks/shape.py": ["tests.core.test_masks", "tests.core.test_places"],
    "limus/strata": ["tests.core.test_substances", "tests.core.test_effects"],
    "limus/effects/dust.py": ["tests.core.test_kept_looks", "tests.core.test_settings_of_effects"],
    "limus/effects/paint.py": ["tests.core.test_kept_looks", "tests.core.test_settings_of_effects"],
    "limus/effects/rust.py": ["tests.core.test_kept_looks", "tests.core.test_settings_of_effects"],
    "server/projects": SERVER,
    "server/api": SERVER,
}
#: Seconds that the tests of a room may take.
PATIENCE = {"server": 900.0, "limus": 240.0}


def command_of(room: str) -> str:
    """The test command of a room, run in the copy."""
    tests = " ".join(ROOMS[room])
    python = f"{ROOT}/.venv/bin/python -W ignore"
    if room.startswith("server"):
        return f"{python} manage.py test --noinput --failfast {tests}"
    return f"{python} -m unittest -f {tests}"


def main() -> int:
    """Mutate one room; exit code 1 where the tests fail without any change."""
    room, cases = sys.argv[1], int(os.environ.get("CASES", "60"))
    if room not in ROOMS:
        print(f"There is no room '{room}'. Choose one of: {', '.join(ROOMS)}")
        return 2
    with tempfile.TemporaryDirectory(prefix="limus-mutate-") as place:
        copy = Path(place) / "limus"
        subprocess.run(["git", "clone", "-q", str(ROOT), str(copy)], check=True)
        for name in (".venv", "web/node_modules", "web/dist"):
            (copy / name).parent.mkdir(parents=True, exist_ok=True)
            (copy / name).symlink_to(ROOT / name)
        environment = {**os.environ, "LIMUS_CACHE": str(Path(place) / "readings")}
        python = str(ROOT / ".venv" / "bin" / "python")
        subprocess.run([python, "-m", "limus.cli", "compile"], cwd=copy, env=environment, check=True)
        config, session = copy / "mutate.toml", copy / "mutate.sqlite"
        config.write_text(
            f'[cosmic-ray]\nmodule-path = "{room}"\ntimeout = {PATIENCE[room.split("/")[0]]}\n'
            f"excluded-modules = {EXCUSED}\n"
            f'test-command = "{command_of(room)}"\n[cosmic-ray.distributor]\nname = "local"\n'
        )

        def run(*words: str) -> int:
            tool = str(ROOT / ".venv" / "bin" / "cosmic-ray")
            return subprocess.run([tool, *words], cwd=copy, env=environment, check=False).returncode

        if run("init", str(config), str(session)) or run("baseline", str(config)):
            print("The tests fail without any change.")
            return 1
        tried = _sampled(session, cases)
        run("exec", str(config), str(session))
        return _said(session, room, tried)


def _sampled(session: Path, cases: int) -> int:
    """Leave so many changes to be tried, spread over the room; the rest is marked as skipped."""
    with use_db(str(session), WorkDB.Mode.open) as found:
        # `int | None` of an annotation is never reckoned: a change there can be noticed by nothing.
        items = list(found.work_items)
        ids = [
            item.job_id
            for item in items
            if not any("ReplaceBinaryOperator_BitOr_" in change.operator_name for change in item.mutations)
        ]
        chosen = set(ids if not cases or cases >= len(ids) else random.Random(1).sample(ids, cases))
        for item in items:
            if item.job_id not in chosen:
                found.set_result(item.job_id, WorkResult(worker_outcome=WorkerOutcome.SKIPPED))
        return len(chosen)


def _said(session: Path, room: str, tried: int) -> int:
    with use_db(str(session), WorkDB.Mode.open) as found:
        survived = [job for job, result in found.results if result.test_outcome == TestOutcome.SURVIVED]
        items = {item.job_id: item for item in found.work_items}
        for job in survived:
            for change in items[job].mutations:
                line = change.start_pos[0]
                print(f"  not noticed: {change.module_path}:{line} {change.operator_name.rsplit('/', 1)[-1]}")
    noticed = tried - len(survived)
    print(f"{room}: {noticed} of {tried} changes noticed, {noticed / max(tried, 1):.0%}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
