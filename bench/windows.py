"""Part of the benchmark: windows of the hoist against all of it at once."""

from __future__ import annotations

import json
import tempfile
import time
from pathlib import Path

from bench import QUICK, texels_at
from bench.memory import of_a_process
from bench.tools import demo, peak_mb, resident_mb
from limus.common.store import Store
from limus.looks.close import CloseQuestion, TileAsked, close_up
from limus.playing import measuring
from limus.playing.chronicle import Chronicle
from limus.playing.session import Session
from limus.playing.windows import Windows
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.surface.pyramid import texels_of
from limus.surface.window import tile_blocks
from limus.targets.delivery import deliver
from limus.targets.order import Order

#: How much finer windows are than the whole.
FINE = 2 if QUICK else 16


def _player(size: int) -> Chronicle:
    mesh, _ = demo()
    coarse = texels_of(mesh, 256)
    plan = RayPlan.for_mesh(mesh, 4)
    texels = texels_of(mesh, size)
    return Chronicle(texels, Measured(coarse, plan, measure_rays(coarse, plan)).at(texels), Store(64 << 20))


def _whole(chronicle: Chronicle) -> float:
    """Seconds of a cold play."""
    _, scene = demo()
    chronicle.cache = Store(64 << 20)
    start = time.perf_counter()
    pile = chronicle.as_made(scene)
    for chapter in chronicle.playing(scene):
        pile = chapter.pile
    chronicle.finish(pile)
    return time.perf_counter() - start


def delivery(resolution: int) -> None:
    """Deliver maps of the demo; prints how far memory rose above what the process began with, MB, and its seconds."""
    mesh, scene = demo()
    with tempfile.TemporaryDirectory() as folder:
        session = Session.on(mesh, scene, store=Store(64 << 20))
        before, start = resident_mb(), time.perf_counter()
        deliver(session, Order(target="maps", resolution=resolution), room=Path(folder))
        print(json.dumps([peak_mb() - before, time.perf_counter() - start]))


def main() -> None:
    """Run and print."""
    _, scene = demo()
    small, large = _player(512), _player(1024)
    _whole(small)
    alone = min(_whole(small) for _ in range(2))
    windows = Windows(large, FINE * large.texels.size, Store(64 << 20))
    record = windows.record(scene)
    size = windows.whole.size
    side = max(1, 512 // 16 // (8 if QUICK else 1))
    spent = []
    for k in range(1 if QUICK else 3):
        blocks = tile_blocks(windows.whole, 0, size * (30 + 4 * k) // 100, size * 2 // 5, side, side)
        start = time.perf_counter()
        window, _ = windows.draw(scene, record, blocks)
        spent.append((time.perf_counter() - start, len(window.core)))
    took, core = min(spent)
    print(
        f"Window at 16384       {took / alone:6.2f} times a whole at 512, for 512 x 512 of it ({core} texels and "
        "a rim; wanted: at most 1.5)"
    )
    _whole(large)
    each = _whole(large) / len(large.texels)
    wide = Windows(large, 4 * large.texels.size, Store(64 << 20))
    record = wide.record(scene)
    start = time.perf_counter()
    window, _ = wide.draw(scene, record, tile_blocks(wide.whole, 0, size // 4, size // 4, size // 4, size // 4))
    mine = (time.perf_counter() - start) / len(window.core)
    print(f"Texel of a window     {mine / each:6.2f} times one of the whole at 1024, at 4096 (wanted: at most 1.3)")
    _close_up(alone, each)
    if not QUICK:
        run = "from bench import windows as b; b."
        rose, seconds = of_a_process(run + "delivery(4096)")
        print(f"Delivery at 4096      {rose:6.0f} MB above its beginning (wanted: at most 2500), {seconds:.0f} s")


def _close_up(alone: float, each: float) -> None:
    """Tiles of the view: the first one, one more, and a whole view; a texel of the whole takes ``each`` seconds."""
    mesh, scene = demo()
    session = Session.on(mesh, scene, store=Store(2 << 30), good=256)
    if QUICK:
        # A session finds readings by the size it asked for.
        measuring.texels_of = texels_at
    session.measure("good", lambda share, word: None)
    at = 1024 if QUICK else 16384
    question = CloseQuestion(density=at, resolution=512, tiles=[TileAsked(page=0, x=at // 820, y=at // 630)])
    # As it is when one comes near: the view at large is there.
    measured = session.measuring.best()
    assert measured is not None
    session.chronicle(measured.measured, 512, weather=scene.asks_for_weather).play(scene)
    start = time.perf_counter()
    close_up(session, question)
    first = time.perf_counter() - start
    more = question.model_copy(update={"tiles": [TileAsked(page=0, x=at // 683, y=at // 546)]})
    start = time.perf_counter()
    found = close_up(session, more)
    assert found is not None
    spent = time.perf_counter() - start
    sent = sum(len(blob.data) for blob in found[1].values())
    print(
        f"Tile of a close view  {1000 * spent:6.0f} ms once it is decided, {spent / alone:.2f} times a whole at 512; "
        f"{sent / (256 * 256 * 4 * max(len(found[0].tiles[0].pictures), 1)):.2f} times the bytes of its pixels"
    )
    print(
        f"First close tile      {first / spent:6.2f} times another one, deciding for the whole at 512 counted "
        f"({first:.1f} s; wanted: at most 1.5 and 0.1 s)"
    )
    # Side by side as they are asked for, six at a time: about 0.7 million pixels of the object.
    x, y = at // 500, at // 470
    view = [TileAsked(page=0, x=x + k % 4, y=y + k // 4) for k in range(2 if QUICK else 12)]
    start = time.perf_counter()
    for k in range(0, len(view), 6):
        close_up(session, question.model_copy(update={"tiles": view[k : k + 6]}))
    took = time.perf_counter() - start
    print(
        f"View of close tiles   {took / (each * 65536 * len(view)):6.2f} times as many texels of the whole "
        f"({len(view)} tiles, {took:.1f} s; wanted: at most 1.5)"
    )
    _after_an_edit(session, question)


def _after_an_edit(session: Session, question: CloseQuestion) -> None:
    """Six tiles, from nothing and after an edit of the last layer that is on."""
    first = question.tiles[0]
    tiles = [TileAsked(page=0, x=first.x + k % 3, y=first.y + k // 3) for k in range(1 if QUICK else 6)]
    session.store.clear()
    session.measuring.best()

    def took(shown: Session) -> float:
        start = time.perf_counter()
        close_up(shown, question.model_copy(update={"tiles": tiles}))
        return time.perf_counter() - start

    cold = took(session)
    scene = session.scene
    *_, last = (layer for layer in scene.layers if scene.plays(layer))
    layers = [
        layer.model_copy(update={"strength": 0.9 * layer.strength}) if layer is last else layer
        for layer in scene.layers
    ]
    again = took(session.showing(scene.model_copy(update={"layers": layers})))
    print(
        f"Edit, seen near by    {again / cold:6.2f} of what {len(tiles)} tiles take from nothing ({cold:.1f} s), what "
        "is decided counted in both (wanted: at most 0.33)"
    )


if __name__ == "__main__":
    main()
