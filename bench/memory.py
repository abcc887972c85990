"""Part of the benchmark: what memory documents and sessions take, each in a process of its own."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from bench.tools import demo, peak_mb, resident_mb
from limus.common.store import Store, shared
from limus.document.scene import Scene
from limus.looks.answer import Question
from limus.looks.answering import answer
from limus.materials.encode import encode_surface
from limus.playing.chronicle import Chronicle
from limus.playing.session import Session
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.surface.axes import placed
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of

#: Coats of the document that is compared with one of five.
MANY = 20


def of_a_process(code: str, environment: dict[str, str] | None = None) -> list[float]:
    """The numbers that a process of its own prints in its last line."""
    root = Path(__file__).resolve().parents[1]
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-c", code],
        capture_output=True,
        text=True,
        check=True,
        cwd=root,
        env={**os.environ, **(environment or {})},
    )
    return [float(x) for x in json.loads(done.stdout.strip().splitlines()[-1])]


def coats(count: int) -> None:
    """Play and finish a document of ``count`` paints at 2048, nothing kept; prints the peak in MB."""
    mesh, scene = demo()
    paint = next(layer for layer in scene.layers if layer.effect.kind == "paint").model_copy(update={"episode": ""})
    paint.effect.undercoat = False  # type: ignore[attr-defined]
    paint.effect.sags = 0.0  # type: ignore[attr-defined]
    paint.effect.primer = False  # type: ignore[attr-defined]
    paint.effect.texture_um = 0.0  # type: ignore[attr-defined]
    many = scene.model_copy(
        update={"episodes": [], "layers": [paint.model_copy(update={"id": f"{paint.id}-{k}"}) for k in range(count)]}
    )
    coarse = texels_of(mesh, 256)
    plan = RayPlan.for_mesh(mesh, 4)
    texels = texels_of(mesh, 2048)
    readings = Measured(coarse, plan, measure_rays(coarse, plan)).at(texels)
    chronicle = Chronicle(texels, readings, Store(0))
    pile = chronicle.as_made(many)
    for chapter in chronicle.playing(many):
        pile = chapter.pile
    surface = chronicle.finish(pile)
    encode_surface(texels, surface.sheet, surface.normal, surface.occlusion)
    print(json.dumps([peak_mb()]))


def eight_objects() -> None:
    """Answer for eight objects in turn, each once at 2048; prints resident and budget in MB."""
    mesh, scene = demo()
    for k in range(8):
        # Eight sizes are eight objects: nothing is shared between them.
        one: Mesh = placed(mesh, 1.0 + 0.1 * k, "+y")
        session = Session.on(one, Scene.model_validate(scene.model_dump(mode="json")), good=512)
        session.measure("draft", lambda share, word: None)
        for resolution in (512, 2048):
            answer(session, Question(resolution=resolution, pictures=True))
        del session, one
    print(json.dumps([resident_mb(), shared().budget / (1 << 20)]))


def main() -> None:
    """Run and print."""
    run = "from bench import memory as b; b."
    five, many = of_a_process(run + "coats(5)")[0], of_a_process(run + f"coats({MANY})")[0]
    print(
        f"Memory of coats       {many / five:6.2f} times with {MANY} coats at 2048 what 5 take (wanted: at most "
        f"2.5); {many:.0f} MB against {five:.0f} MB"
    )
    resident, budget = of_a_process(run + "eight_objects()", {"LIMUS_MEMORY": "1536M"})
    print(
        f"Eight objects at 2048 {resident:6.0f} MB stay in memory after them all (wanted: at most "
        f"{budget + 500:.0f}, the budget of {budget:.0f} and 500)"
    )
