"""The benchmark of bases: taking in a large map set, and laying one with its repetition broken."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

from bench import QUICK
from bench.million import best
from bench.tools import peak_mb
from limus.common.store import shared
from limus.formats.field import exr_bytes
from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from limus.map_sets.recognise import recognise
from limus.patterns.by_example import lay_flat, lay_on_sides, prepared
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of


def _make(folder: Path, size: int = 512 if QUICK else 4096) -> None:
    """Eight maps as studios have them: grain that does not pack to nothing."""
    random = np.random.default_rng(1)
    grain = random.integers(0, 60, (size, size), dtype=np.uint8)
    y, x = np.mgrid[0:size, 0:size].astype(np.float32) / size * 40
    wide = (np.sin(x) * np.cos(y) * 60 + 120).astype(np.uint8)
    grey = wide + grain
    colour = np.stack([grey, (grey * 0.8).astype(np.uint8), (grey * 0.6).astype(np.uint8)], axis=2)
    normal = np.stack(
        [
            128 + (np.cos(x) * 30).astype(np.int16),
            128 + (np.sin(y) * 30).astype(np.int16),
            np.full((size, size), 250, np.int16),
        ],
        axis=2,
    )
    Image.fromarray(colour).save(folder / "wall_albedo.png", compress_level=3)
    Image.fromarray(normal.astype(np.uint8)).save(folder / "wall_normal.png", compress_level=3)
    Image.fromarray(grey).save(folder / "wall_rough.jpg", quality=92)
    Image.fromarray(255 - grey).save(folder / "wall_ao.jpg", quality=92)
    Image.fromarray(colour).save(folder / "wall_specular.tif", compression="tiff_deflate")
    write_whole(folder / "wall_height.png", png_bytes((grey.astype(np.uint16) << 8) + grain))
    Image.fromarray(grey // 100 * 255).save(folder / "wall_metalness.webp", lossless=True, method=0)
    write_whole(folder / "wall_opacity.exr", exr_bytes({"Y": grey.astype(np.float32) / 255}))


def _decode(path: Path) -> None:
    """What the libraries do on their own."""
    if path.suffix == ".exr":
        import OpenEXR

        with OpenEXR.File(str(path)) as file:
            _ = file.channels()["Y"].pixels
        return
    with Image.open(path) as image:
        image.load()


def intake(folder: str) -> None:
    """Run in a process of its own, so that the memory is that of the intake."""
    paths = sorted(p for p in Path(folder).iterdir())
    # Once for the compiled loops, on the smallest thing there is.
    small = Path(folder) / "small.png"
    Image.fromarray(np.zeros((8, 8, 3), np.uint8)).save(small)
    recognise([("small.png", "small.png")], lambda n: Path(folder) / n)
    small.unlink()
    turns = []
    for _ in range(2):
        start = time.perf_counter()
        for path in paths:
            _decode(path)
        alone = time.perf_counter() - start
        shared().clear()
        start = time.perf_counter()
        found = recognise([(p.name, p.name) for p in paths], lambda n: Path(folder) / n)
        turns.append((time.perf_counter() - start, alone))
    whole, alone = (min(column) for column in zip(*turns, strict=True))
    roles = sorted(u.role for u in found.uses)
    print(
        f"Eight 4K maps         {whole / alone:6.2f} times their decoding alone (wanted: at most 2): {whole:.1f} s "
        f"against {alone:.1f} s; peak {peak_mb():.0f} MB (wanted: below 1500)"
    )
    if len(roles) != 8:
        print(f"                      only {roles} were recognised")


def main(mesh: Mesh) -> None:
    """Print both figures."""
    with tempfile.TemporaryDirectory() as folder:
        _make(Path(folder))
        code = "import sys; from bench.bases import intake; intake(sys.argv[1])"
        root = Path(__file__).resolve().parents[1]
        print(
            subprocess.run(
                [sys.executable, "-c", code, folder], capture_output=True, text=True, check=True, cwd=root
            ).stdout.rstrip()
        )
    texels = texels_of(mesh, 2048)
    image = np.random.default_rng(2).random((1024, 1024, 3)).astype(np.float32)
    plain, broken = prepared(image), prepared(image, (0,), broken=True)
    points = texels.position * np.float32(4.0)
    u, v = np.ascontiguousarray(points[:, 0]), np.ascontiguousarray(points[:, 1])
    lay_flat(plain, u[:100], v[:100]), lay_on_sides(broken, points[:100], texels.normal[:100], break_up=True)
    turns = [
        (
            best(lambda: lay_on_sides(broken, points, texels.normal, break_up=True), 1),
            best(lambda: lay_flat(plain, u, v), 1),
        )
        for _ in range(5)
    ]
    whole, alone = (min(column) for column in zip(*turns, strict=True))
    print(
        f"Three sides, broken   {whole / alone:6.2f} times a plain bilinear look-up of the same picture at 2048 "
        f"(wanted: at most 6); {whole * 1000:.0f} ms for {len(texels) / 1e6:.1f} M texels"
    )
