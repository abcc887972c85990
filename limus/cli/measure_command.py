"""``limus measure``: one reading as .npy, .exr or .png."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from limus.cli.bringing import bringing, brought, page_named
from limus.cli.numbers import millimetres, resolution
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.scene import load_scene
from limus.formats.field import write_field
from limus.intake.preparation import beside_scene, prepared, surroundings
from limus.masks.hand.vertex_paint import painted_colours
from limus.readings.catalogue import READINGS
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place, asks_weather
from limus.surface.pyramid import texels_of

#: Directions around each texel (pairs), where nobody waits for a picture.
MEASURE_PAIRS = 64


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    bringing(parser)
    parser.add_argument("--unwrap", action="store_true", help="on new UVs made here")
    parser.add_argument("--twin", metavar="FILE", help="measure from this high-poly twin")
    parser.add_argument(
        "--twin-reach", type=millimetres, metavar="MM", help="how far from the surface the twin is looked for"
    )
    parser.add_argument(
        "--setting", action="append", default=[], metavar="NAME=VALUE", help="a field of the setting, e.g. latitude=52"
    )
    parser.add_argument("--component", metavar="NAME", help="x, y, z, R, G, B or A of a reading that has them")
    parser.add_argument("--reading", required=True, choices=list(READINGS))
    parser.add_argument("--radius", "--reach", type=millimetres, metavar="MM", help="radius or reach in mm")
    parser.add_argument("--map-set", metavar="NAME")
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
    parser.add_argument(
        "--pairs",
        type=int,
        choices=[8, 16, 32, 64, 128, 256, 512],
        default=MEASURE_PAIRS,
        help="directions around each texel",
    )
    parser.add_argument("--out", required=True, metavar="FILE")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    reading = READINGS[args.reading]
    document, setting, folder = brought(args)
    find = beside_scene(folder)
    mesh = prepared(document, setting, find)
    around = surroundings(document, setting, mesh, find)
    page = page_named(mesh, args.map_set)
    if args.component and args.component not in reading.components:
        have = ", ".join(reading.components) or "none: it is one number"
        raise InputError(
            f"'{args.reading}' has no component '{args.component}'", where="--component", remedy=f"It has {have}"
        )
    if reading.components and not args.component and Path(args.out).suffix.lower() == ".npy":
        pass
    elif reading.components and not args.component:
        raise InputError(
            f"'{args.reading}' has several components",
            where="--component",
            remedy=f"Choose one of {', '.join(reading.components)}, or write .npy",
        )
    size = ObjectSize(mesh.diagonal)
    size_mm = args.radius if args.radius is not None else size.mm(reading.default_size_mm, reading.grows)
    texels = texels_of(mesh, args.resolution)
    radii = (size_mm,) if reading.size == "radius" else (4.0,)
    reach = size_mm if reading.size == "reach" else 4.0
    # Only what is asked for is measured; readings that need no rays get the smallest pass there is.
    plan = RayPlan(
        radii, (reach,), reach if reading.kind == "thickness" else 4.0, args.pairs if "rays" in reading.reads else 1
    )
    exposure = (
        measure_exposure(texels, setting, around, rays=max(8, args.pairs // 4)) if asks_weather(reading.reads) else None
    )
    path = Path(args.object)
    strokes = load_scene(path).vertex_paint if path.suffix.lower() == ".json" else []
    colours = painted_colours(mesh, strokes, find) if strokes else None
    place = Place(texels, measure(texels, plan, around=around), setting, exposure, colours)
    missing = reading.missing(place)
    if missing:
        raise InputError(
            missing[0].lower() + missing[1:], where=f"--reading {args.reading}", remedy="Choose another reading"
        )
    values = reading.value(place, size_mm)
    if args.component:
        values = values[:, reading.components.index(args.component)]
    write_field(
        Path(args.out), texels.image(values.astype(np.float32), empty=np.nan)[page], low=reading.low, high=reading.high
    )
