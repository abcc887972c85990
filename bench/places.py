"""The benchmark of places: noise, a stroke, and a recipe of which one line changes."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from bench.million import best as _best
from limus.common.store import Store
from limus.formats.files import write_whole
from limus.masks.hand.painting import Canvas, footprint, painted
from limus.masks.hand.stroke import Brush, Stroke
from limus.masks.recipe import Recipe, Term
from limus.masks.source import Scope
from limus.masks.sources.noise import Noise
from limus.patterns.noise import fractal
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from limus.surface.texels import Texels


def _noise() -> None:
    """Five octaves over 1024 x 1024 points of a plane in space, by this program and by a general noise library."""
    side = np.linspace(0, 1, 1024, dtype=np.float32)
    u, v = np.meshgrid(side, side)
    points = np.stack([u.ravel(), v.ravel(), (0.3 * u + 0.2 * v).ravel()], axis=1)
    ours = _best(lambda: fractal(points, 50.0, octaves=5), 5)
    try:
        from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType
    except ImportError:
        print(
            f"Noise, 5 octaves      {ours * 1000:6.0f} ms for 1024 x 1024 points (pyfastnoiselite is not installed "
            "to compare)"
        )
        return
    columns = np.ascontiguousarray(points.T)
    words = []
    for name, title in (
        ("NoiseType_Perlin", "gradient"),
        ("NoiseType_OpenSimplex2", "simplex"),
        ("NoiseType_Value", "value"),
    ):
        other = FastNoiseLite(3)
        other.noise_type, other.fractal_type = getattr(NoiseType, name), FractalType.FractalType_FBm
        other.fractal_octaves, other.frequency = 5, 20
        words.append(
            f"{_best(lambda other=other: other.gen_from_coords(columns), 3) / ours:.1f} times its {title} noise"
        )  # type: ignore[misc]
    print(
        f"Noise, 5 octaves      {', '.join(words)} of pyfastnoiselite (wanted: at least 3); {ours * 1000:.0f} ms "
        "for 1024 x 1024 points"
    )


def _path(texels: Texels, count: int, size_mm: float, seed: int) -> Stroke:
    """A stroke of ``count`` dabs over the surface."""
    rng = np.random.default_rng(seed)
    first = int(rng.integers(len(texels)))
    p, n = texels.position[first].astype(float), texels.normal[first].astype(float)
    side = np.cross(n, [0.3, 0.8, 0.5])
    side /= np.linalg.norm(side)
    brush = Brush(size_mm=size_mm, spacing=0.15, pressure_flow=0.0)
    step = size_mm / 1000 * brush.spacing
    points = [(*map(float, p + side * step * k), *map(float, n), 1.0, 0.0, 0.0) for k in range(count)]
    return Stroke(brush=brush, points=points)


def _strokes(mesh: Mesh) -> None:
    texels = texels_of(mesh, 1024)
    canvas = Canvas.of(texels)
    spent, touched = [], []
    for k in range(8):
        drawn = _path(texels, 50, 40.0, k)
        footprint(canvas, drawn)
        spent.append(_best(lambda drawn=drawn: footprint(canvas, drawn), 3))  # type: ignore[misc]
        touched.append(len(footprint(canvas, drawn)[0]))
    print(
        f"Stroke of 50 dabs     {np.mean(spent) * 1000:6.1f} ms at 1024, {max(spent) * 1000:.1f} at most (wanted: "
        f"under 60); touches {np.mean(touched):.0f} of {len(texels)} texels"
    )
    with tempfile.TemporaryDirectory() as folder:
        here = Path(folder)
        names = [f"{k}.json" for k in range(1001)]
        for k, name in enumerate(names):
            write_whole(here / name, _path(texels, 20, 15.0, k).model_dump_json().encode())
        cache = Store(1 << 30)
        whole = _best(lambda: painted(texels, names[:-1], lambda n: here / n, Store(1 << 30)), 1)
        painted(texels, names[:-1], lambda n: here / n, cache)
        more = _best(lambda: painted(texels, names, lambda n: here / n, cache), 1)
    print(
        f"The 1001st stroke     {more * 1000:6.1f} ms on top of a thousand, which took {whole * 1000:.0f} ms from "
        f"nothing: {more / whole:.1%}"
    )


def _recipe(mesh: Mesh) -> None:
    texels = texels_of(mesh, 1024)
    _ = texels.stencil
    cache = Store(1 << 30)
    scope = Scope(Place(texels, Measured.blank(texels), Setting()), cache, 1)
    lines = [
        Term(source=Noise(size_mm=20.0 + 9 * k, octaves=5, seed=k), soften_mm=2.0, combine="screen", amount=0.3)
        for k in range(8)
    ]
    cold = _best(lambda: Recipe(terms=lines).value(scope), 1)
    before = cache.misses
    changed = [*lines[:4], lines[4].model_copy(update={"low": 0.3}), *lines[5:]]
    again = _best(lambda: Recipe(terms=changed).value(scope), 1)
    made = cache.misses - before - 1
    print(
        f"Recipe of 8 lines     one range changed: {made} of 8 lines made again (wanted: 1), {again / cold:.0%} of "
        f"the time from nothing; {again * 1000:.0f} ms against {cold * 1000:.0f} ms at 1024"
    )


def main(mesh: Mesh) -> None:
    """Print the figures of places."""
    _noise()
    _strokes(mesh)
    _recipe(mesh)
