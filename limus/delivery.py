"""A delivery: the finished object as a GLB, or as a set of PNG maps."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from limus.chronicle import Chronicle, Surface
from limus.formats.files import write_whole
from limus.formats.gltf_write import GltfMaps, glb_bytes
from limus.formats.png import png_bytes, quantise
from limus.masks.vertex_paint import painted_colours
from limus.materials.channels import CLEAR_COAT, CLEAR_COAT_ROUGHNESS, METALNESS, ROUGHNESS
from limus.materials.colour import to_srgb
from limus.materials.encode import encode_surface
from limus.preparation import Finder
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.surroundings import NOTHING, Surroundings
from limus.scene import Scene
from limus.strata.cache import Cache
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from limus.surface.texels import Texels

Progress = Callable[[float, str], None]
TARGETS = ("gltf", "maps")


@dataclass(frozen=True)
class Written:
    """One file of a delivery."""

    name: str
    data: bytes


def file_stem(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r"[^A-Za-z0-9]+", "-", name).strip("-").lower() or "object"


def finished(
    scene: Scene,
    mesh: Mesh,
    resolution: int,
    *,
    until: str | None = None,
    progress: Progress | None = None,
    cache: Cache | None = None,
    around: Surroundings = NOTHING,
    files: Finder | None = None,
) -> tuple[Texels, Surface]:
    """Measure (from disk where possible), play the chronicle and finish the surface at ``resolution``; ``files`` finds what it names."""
    say = progress or (lambda share, word: None)
    say(0.0, "Preparing texels")
    texels = texels_of(mesh, resolution)
    measured = measure(texels, progress=lambda share: say(0.02 + 0.48 * share, "Measuring readings"), around=around)
    exposure = None
    if scene.asks_for_weather:
        exposure = measure_exposure(
            texels, scene.setting, around, progress=lambda share: say(0.5 + 0.1 * share, "Measuring sun, rain and run-off")
        )
    say(0.6, "Playing the chronicle")
    chronicle = Chronicle(texels, measured, cache or Cache(64 << 20), exposure, files)
    count = max(len(scene.layers), 1)
    done = [0]

    def check() -> None:
        say(0.6 + 0.25 * done[0] / count, "Playing the chronicle")
        done[0] += 1

    chapters = chronicle.play(scene, until=until, check=check)
    pile = chapters[-1].pile if chapters else chronicle.as_made(scene)
    say(0.86, "Finishing maps")
    return texels, chronicle.finish(pile)


def gltf_maps(texels: Texels, surface: Surface) -> list[GltfMaps]:
    """PNG files for a GLB, one entry per map set; the clear coat only where there is one."""
    maps = encode_surface(texels, surface.sheet, surface.normal, surface.occlusion)
    coated = bool((surface.sheet[:, CLEAR_COAT] > 0.002).any())
    return [
        GltfMaps(
            base_color=png_bytes(maps["base_color"][k, :, :, :3].copy(), srgb=True),
            orm=png_bytes(maps["orm"][k, :, :, :3].copy()),
            normal=png_bytes(maps["normal"][k, :, :, :3].copy()),
            clear_coat=png_bytes(maps["clear_coat"][k, :, :, :3].copy()) if coated else None,
        )
        for k in range(texels.pages)
    ]


def map_files(name: str, texels: Texels, surface: Surface, bits: int = 8) -> list[Written]:
    """Separate PNG maps, one per channel and map set.

    Colour is sRGB; data maps are linear. Normal and height are 16 bit whatever ``bits`` says: 8 bit steps show in both. Height runs
    from the lowest to the highest relief of the object; the range in millimetres stands in ``maps.json``.
    """
    out: list[Written] = []
    sheet = surface.sheet
    low, high = float(surface.relief.min()), float(surface.relief.max())
    span = max(high - low, 1e-6)
    fields: list[tuple[str, np.ndarray, int, bool]] = [
        ("base-color", to_srgb(sheet[:, :3]), bits, True),
        ("roughness", sheet[:, ROUGHNESS], bits, False),
        ("metalness", sheet[:, METALNESS], bits, False),
        ("ambient-occlusion", 1 - surface.occlusion, bits, False),
        ("normal", surface.normal * 0.5 + 0.5, 16, False),
        ("height", (surface.relief - low) / span, 16, False),
    ]
    if (sheet[:, CLEAR_COAT] > 0.002).any():
        fields.append(("clear-coat", sheet[:, CLEAR_COAT], bits, False))
        fields.append(("clear-coat-roughness", sheet[:, CLEAR_COAT_ROUGHNESS], bits, False))
    about: dict[str, object] = {
        "object": name,
        "resolution": texels.size,
        "normal": "tangent space, green up (glTF)",
        "height": {"black_mm": round(low, 5), "white_mm": round(high, 5)},
        "files": {},
    }
    listing: dict[str, object] = {}
    for channel, values, depth, srgb in fields:
        pages = texels.image(quantise(values, depth))
        for k, title in enumerate(texels.mesh.uv_domains):
            file = f"{file_stem(name)}_{file_stem(title)}_{channel}.png"
            out.append(Written(file, png_bytes(pages[k], srgb=srgb)))
            listing[file] = {"channel": channel, "map_set": title, "bits": depth, "colour": "sRGB" if srgb else "linear"}
    about["files"] = listing
    out.append(Written("maps.json", json.dumps(about, indent=2).encode()))
    return out


def deliver(
    scene: Scene,
    mesh: Mesh,
    target: str,
    resolution: int,
    *,
    bits: int = 8,
    progress: Progress | None = None,
    around: Surroundings = NOTHING,
    files: Finder | None = None,
) -> list[Written]:
    """All files of a delivery, in memory. ``target`` is "gltf" or "maps"; may raise ``Cancelled`` through ``progress``."""
    texels, surface = finished(scene, mesh, resolution, progress=progress, around=around, files=files)
    if progress:
        progress(0.9, "Writing files")
    if target == "gltf":
        if scene.vertex_paint:
            mesh = replace(mesh, colours=painted_colours(mesh, scene.vertex_paint, files))
        out = [Written(f"{file_stem(scene.name)}.glb", glb_bytes(mesh, gltf_maps(texels, surface), name=scene.name))]
    else:
        out = map_files(scene.name, texels, surface, bits)
    if progress:
        progress(1.0, "Done")
    return out


def write_all(files: list[Written], folder: Path) -> None:
    """Write the files, each whole or not at all."""
    for file in files:
        write_whole(folder / file.name, file.data)
