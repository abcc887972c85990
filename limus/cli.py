"""The core on the command line.

Exit code 0 when done, 2 for bad input with one clear line on standard error.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from limus import __version__
from limus.delivery import TARGETS, Written, deliver, finished, map_files, write_all
from limus.errors import InputError
from limus.formats.field import write_field
from limus.formats.gltf_read import read_gltf
from limus.formats.png import png_bytes, quantise
from limus.readings.catalogue import READINGS
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place
from limus.scene import Scene, load_scene, scene_schema
from limus.setting import Setting
from limus.strata.cache import Cache
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from limus.surface.uv_health import uv_health

#: Directions around each texel (pairs) on the command line, where nobody waits for a picture.
MEASURE_PAIRS = 64


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise InputError(message, where=self.prog, remedy=f"See '{self.prog} --help'")


def _resolution(text: str) -> int:
    try:
        value = int(text)
    except ValueError:
        value = 0
    if not 16 <= value <= 8192:
        raise argparse.ArgumentTypeError(f"'{text}' is not a resolution from 16 to 8192")
    return value


def _millimetres(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 < value < 1e6:
        raise argparse.ArgumentTypeError(f"'{text}' is not a length in mm above 0 and below 1000000")
    return value


def inspection(mesh: Mesh) -> dict[str, object]:
    """What ``limus inspect`` reports, as plain data."""
    low, high = mesh.bounds
    return {
        "file": mesh.source,
        "triangles": len(mesh.triangles),
        "vertices": len(mesh.positions),
        "size_m": [round(float(x), 6) for x in high - low],
        "area_m2": round(float(mesh.areas.sum()), 6),
        "parts": [{"name": p.name, "triangles": p.count, "map_set": mesh.uv_domains[p.map_set]} for p in mesh.parts],
        "map_sets": list(mesh.uv_domains),
        "vertex_colours": mesh.colours is not None,
        "tangents": mesh.tangents is not None,
        "uv": uv_health(mesh).as_dict(),
        "notes": list(mesh.notes),
    }


def _inspect(args: argparse.Namespace) -> None:
    report = inspection(read_gltf(args.object))
    if args.json:
        print(json.dumps(report, indent=2))
        return
    uv: dict[str, object] = report["uv"]  # type: ignore[assignment]
    size = " x ".join(f"{x:.3f}" for x in report["size_m"])  # type: ignore[attr-defined]
    print(f"{report['file']}: {report['triangles']} triangles, {size} m, {report['area_m2']} m2")
    for part in report["parts"]:  # type: ignore[attr-defined]
        print(f"  part {part['name']}: {part['triangles']} triangles, map set {part['map_set']}")
    if not uv["present"]:
        print("  UVs: missing; the object must be unwrapped before it can be weathered")
    else:
        print(
            f"  UVs: {uv['islands']} islands using {uv['used']:.0%} of the picture; overlapping {uv['overlapping']:.2%}, outside 0..1 {uv['outside']:.2%}, "
            f"flipped {uv['flipped']:.2%}, without area {uv['zero_area']} triangles, stretch {uv['stretch']:.2f}"
        )
        print(f"  Texel density at 1024: {uv['density']:.0f} per metre ({uv['density_low']:.0f} to {uv['density_high']:.0f})")
    print(
        f"  Vertex colours: {'yes' if report['vertex_colours'] else 'no'}; tangents: {'from the file' if report['tangents'] else 'made here'}"
    )
    for note in report["notes"]:  # type: ignore[attr-defined]
        print(f"  Note: {note}")


def _measure(args: argparse.Namespace) -> None:
    mesh = read_gltf(args.object)
    reading = READINGS[args.reading]
    names = list(mesh.uv_domains)
    if args.map_set is not None and args.map_set not in names:
        raise InputError(f"there is no map set '{args.map_set}'", where="--map-set", remedy=f"Choose one of: {', '.join(names)}")
    page = names.index(args.map_set) if args.map_set else 0
    size_mm = args.radius if args.radius is not None else reading.default_size_mm
    texels = texels_of(mesh, args.resolution)
    radii = (size_mm,) if reading.size == "radius" else (4.0,)
    reach = size_mm if reading.size == "reach" else 4.0
    # Only what is asked for is measured; readings that need no rays get the smallest pass there is.
    plan = RayPlan(radii, (reach,), reach if reading.kind == "thickness" else 4.0, args.pairs if reading.rays else 1)
    values = reading.value(Place(texels, measure(texels, plan), Setting()), size_mm)
    write_field(Path(args.out), texels.image(values.astype(np.float32), empty=np.nan)[page], low=reading.low, high=reading.high)


def _mesh_of(path: Path, scene: Scene) -> Mesh:
    return read_gltf(path.parent / scene.object.file)


def _need_layer(scene: Scene, name: str, option: str) -> str:
    for layer in scene.layers:
        if name in (layer.id, layer.name):
            return layer.id
    raise InputError(f"there is no layer '{name}'", where=option, remedy=f"Choose one of: {', '.join(x.id for x in scene.layers)}")


def _weather(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    scene = load_scene(path)
    mesh = _mesh_of(path, scene)
    if args.mask:
        wanted = _need_layer(scene, args.mask, "--mask")
        from limus.chronicle import Chronicle

        texels = texels_of(mesh, args.resolution)
        chapters = Chronicle(texels, measure(texels), Cache(64 << 20)).play(scene, until=wanted)
        found = next((c for c in chapters if c.layer.id == wanted), None)
        if found is None:
            raise InputError(f"the layer '{args.mask}' is off", where="--mask", remedy="Switch it on in the scene")
        image = texels.image(quantise(found.mask, 16))
        files = [Written(f"mask_{wanted}_{k}.png", png_bytes(image[k])) for k in range(texels.pages)]
    else:
        until = _need_layer(scene, args.until, "--until") if args.until else None
        texels, surface = finished(scene, mesh, args.resolution, until=until)
        files = map_files(scene.name, texels, surface, args.bits)
    write_all(files, Path(args.out))


def _export(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    scene = load_scene(path)
    write_all(deliver(scene, _mesh_of(path, scene), args.to, args.resolution, bits=args.bits), Path(args.out))


def _bench(args: argparse.Namespace) -> None:
    from limus.bench import main

    main()


def _build() -> _Parser:
    parser = _Parser(prog="limus", description="Weather 3D surfaces: rust, chips, dirt and dust from real geometry.")
    parser.add_argument("--version", action="version", version=f"limus {__version__}")
    commands = parser.add_subparsers(required=True, dest="command", parser_class=_Parser)

    one = commands.add_parser("inspect", help="parts, size and UV health of an object")
    one.add_argument("object")
    one.add_argument("--json", action="store_true")
    one.set_defaults(run=_inspect)

    one = commands.add_parser("measure", help="one reading as .npy, .exr or .png")
    one.add_argument("object")
    one.add_argument("--reading", required=True, choices=list(READINGS))
    one.add_argument("--radius", "--reach", type=_millimetres, metavar="MM", help="radius or reach in mm")
    one.add_argument("--map-set", metavar="NAME")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument(
        "--pairs", type=int, choices=[8, 16, 32, 64, 128, 256, 512], default=MEASURE_PAIRS, help="directions around each texel"
    )
    one.add_argument("--out", required=True, metavar="FILE")
    one.set_defaults(run=_measure)

    one = commands.add_parser("weather", help="the finished maps of a scene, or the mask of one layer")
    one.add_argument("scene")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument("--until", metavar="LAYER", help="stop after this layer (id or name)")
    one.add_argument("--mask", metavar="LAYER", help="write only this layer's mask")
    one.add_argument("--bits", type=int, choices=[8, 16], default=8)
    one.add_argument("--out", required=True, metavar="DIR")
    one.set_defaults(run=_weather)

    one = commands.add_parser("export", help="a delivery: a GLB, or maps")
    one.add_argument("scene")
    one.add_argument("--to", required=True, choices=TARGETS)
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument("--bits", type=int, choices=[8, 16], default=8)
    one.add_argument("--out", required=True, metavar="DIR")
    one.set_defaults(run=_export)

    one = commands.add_parser("schema", help="JSON Schema of the scene document")
    one.set_defaults(run=lambda args: print(json.dumps(scene_schema(), indent=2)))

    one = commands.add_parser("bench", help="the benchmark, as ratios measured in one run")
    one.set_defaults(run=_bench)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    try:
        args = _build().parse_args(argv)
        args.run(args)
    except InputError as error:
        print(error.line.replace("\n", " "), file=sys.stderr)
        return 2
    except OSError as error:
        print(
            f"{error.filename or 'file'}: cannot be written or read ({error.strerror}). Check the path and the space left.",
            file=sys.stderr,
        )
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
