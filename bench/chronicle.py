"""Part of the benchmark: the whole story of the hoist, a dozen layers and more."""

from __future__ import annotations

import itertools
import json
import time

import numpy as np

from bench import QUICK
from bench.memory import of_a_process
from bench.tools import demo, peak_mb
from limus.common.store import Store, leaves_of
from limus.document.scene import Scene
from limus.materials.encode import encode_surface
from limus.playing.chronicle import Chronicle
from limus.playing.needed import needed_by
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.strata.pile import Pile
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of


def _bytes(pile: Pile) -> int:
    return sum({leaf: size for leaf, size, _ in leaves_of((pile.skin, pile.coats))}.values())


def _play(chronicle: Chronicle, scene: Scene) -> list[tuple[str, float, int]]:
    """(layer, seconds, bytes that are new in the pile) for each, and the finishing and encoding at the end."""
    out = []
    pile = chronicle.as_made(scene)
    start = time.perf_counter()
    for chapter in chronicle.playing(scene):
        now = time.perf_counter()
        out.append((chapter.layer.effect.kind, now - start, max(0, _bytes(chapter.pile) - _bytes(pile))))
        pile, start = chapter.pile, time.perf_counter()
    surface = chronicle.finish(pile)
    encode_surface(chronicle.texels, surface.sheet, surface.normal, surface.occlusion)
    out.append(("finish", time.perf_counter() - start, sum(v.nbytes for v in surface.sheet.values())))
    return out


def whole_at(size: int) -> None:
    """Play and finish the whole story at a resolution, nothing kept; prints the peak in MB."""
    mesh, scene = demo()
    coarse = texels_of(mesh, 256)
    plan = RayPlan.for_mesh(mesh, 4)
    texels = texels_of(mesh, size)
    readings = Measured(coarse, plan, measure_rays(coarse, plan)).at(texels)
    _play(Chronicle(texels, readings, Store(0)), scene)
    print(json.dumps([peak_mb()]))


def _bracket(mesh: Mesh, scene: Scene, readings: Measured) -> None:
    """Nine values of a field side by side, of an early layer and of a late one, against one cold evaluation."""
    texels = texels_of(mesh, 256 if QUICK else 512)
    measured, told = readings.at(texels), []
    _ = texels.stencil
    start = time.perf_counter()
    kept = Chronicle(texels, measured, Store(4 << 30))
    kept.finish(kept.play(scene)[-1].pile)
    cold = time.perf_counter() - start
    for place in (1, len(scene.layers) // 2, len(scene.layers) - 1):
        start = time.perf_counter()
        for value in np.linspace(0.4, 0.95, 9):
            layers = list(scene.layers)
            layers[place] = layers[place].model_copy(update={"strength": float(value)})
            kept.finish(kept.play(scene.model_copy(update={"layers": layers}))[-1].pile)
        told.append(f"{(time.perf_counter() - start) / cold:.1f} of layer {place + 1}")
    print(f"Bracket of nine       {', '.join(told)} cold evaluations (wanted: at most 4)")


def main(mesh: Mesh, scene: Scene, readings: Measured) -> None:
    """Run and print."""
    wide = np.zeros(64 << 20, np.uint8)
    target = np.empty_like(wide)
    start = time.perf_counter()
    for _ in range(4):
        np.copyto(target, wide)
    copy = 8 * wide.nbytes / (time.perf_counter() - start)
    colds = {}
    steps: list[tuple[str, float, int]] = []
    for size in (256, 1024, 2048):
        texels = texels_of(mesh, size)
        _ = texels.stencil
        start = time.perf_counter()
        steps = _play(Chronicle(texels, readings.at(texels), Store(0)), scene)
        colds[size] = time.perf_counter() - start
    print(
        f"Whole chronicle       {len(scene.layers)} layers cold: {colds[1024]:.1f} s at 1024, {colds[2048]:.1f} s "
        f"at 2048 ({colds[2048] / colds[1024]:.2f} times)"
    )
    total = sum(spent for _, spent, _ in steps)
    shares = ", ".join(f"{kind} {spent / total:.0%}" for kind, spent, _ in sorted(steps, key=lambda s: -s[1])[:8])
    moved = sum(size for _, _, size in steps)
    print(
        f"                      of it at 2048: {shares}; {moved / 1e6:.0f} MB of new results, "
        f"{moved / copy / total:.1%} of the time that memory needs to copy them"
    )
    kept = Chronicle(texels_of(mesh, 1024), readings.at(texels_of(mesh, 1024)), Store(6 << 30))
    kept.finish(kept.play(scene)[-1].pile)
    edits = []
    for k, layer in enumerate(scene.layers):
        changed = scene.model_copy(
            update={"layers": [x.model_copy(update={"strength": 0.93}) if x is layer else x for x in scene.layers]}
        )
        start = time.perf_counter()
        kept.finish(kept.play(changed)[-1].pile)
        edits.append((k, time.perf_counter() - start))
    told = ", ".join(f"{k + 1}: {spent * 1000:.0f}" for k, spent in itertools.islice(edits, None))
    print(
        f"Edit of one layer     ms at 1024 by its place: {told}; mean "
        f"{np.mean([s for _, s in edits]) / colds[1024]:.0%} of the whole"
    )
    _bracket(mesh, scene, readings)
    peak = of_a_process(f"from bench import chronicle as b; b.whole_at({512 if QUICK else 4096})")[0]
    small = Chronicle(texels_of(mesh, 256), readings.at(texels_of(mesh, 256)), Store(1 << 30))
    pile = small.play(scene)[-1].pile
    said = needed_by(small, pile, small.finish(pile)).at(4096) / (1 << 20)
    print(
        f"Memory at 4096        {peak:6.0f} MB at most for the whole chronicle (wanted: below 6144); the guard before "
        f"an export reckons with {said:.0f} MB"
    )
