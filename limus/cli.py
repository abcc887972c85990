"""The core on the command line.

Exit code 0 when done, 2 for bad input with one clear line on standard error.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from limus import __version__
from limus.chronicle import Chronicle, LayerMasks
from limus.delivery import TARGETS, Written, deliver, finished, map_files, write_all
from limus.errors import InputError
from limus.formats.field import write_field
from limus.formats.gltf_write import write_glb
from limus.formats.json_read import read_json
from limus.formats.png import png_bytes, quantise
from limus.formats.read import SUFFIXES, unit_known
from limus.inspection import inspection
from limus.masks.recipe import SOURCES
from limus.masks.vertex_paint import painted_colours
from limus.object_file import ObjectFile, Twin
from limus.preparation import beside_scene, prepared, surroundings
from limus.readings.catalogue import READINGS
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place
from limus.readings.surroundings import Surroundings
from limus.replacement import compare
from limus.scene import Scene, load_scene, scene_from, scene_schema
from limus.setting import Setting
from limus.strata.cache import Cache
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of

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


def _scale(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 1e-12 <= value <= 1e12:
        raise argparse.ArgumentTypeError(f"'{text}' is not a number of metres above 0")
    return value


def _millimetres(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 < value < 1e6:
        raise argparse.ArgumentTypeError(f"'{text}' is not a length in mm above 0 and below 1000000")
    return value


def _brought(args: argparse.Namespace) -> tuple[ObjectFile, Setting, Path]:
    """The object of a file or of a scene document with what the options change about it, its setting, and the folder it lies in."""
    path = Path(args.object)
    document, setting = ObjectFile(file=path.name), Setting()
    if path.suffix.lower() == ".json":
        scene = load_scene(path)
        document, setting = scene.object, scene.setting
    changes: dict[str, Any] = {}
    if args.scale is not None:
        changes["scale"] = args.scale
    if getattr(args, "unwrap", False):
        changes["uv"] = "unwrapped"
    if getattr(args, "twin", None):
        changes["twin"] = Twin(file=str(Path(args.twin).resolve()), reach_mm=args.twin_reach)
    setting = _setting(getattr(args, "setting", []), setting if args.up is None else setting.model_copy(update={"up": args.up}))
    return document.model_copy(update=changes), setting, path.parent


def _inspect(args: argparse.Namespace) -> None:
    document, setting, folder = _brought(args)
    mesh = prepared(document, setting, beside_scene(folder))
    known = args.scale is not None or Path(args.object).suffix.lower() == ".json" or unit_known(folder / document.file)
    report = inspection(mesh, unit_known=known, resolution=args.resolution)
    if args.replaces:
        there = Path(args.replaces)
        scene = load_scene(there)
        old = inspection(prepared(scene.object, scene.setting, beside_scene(there.parent)))
        report["replacement"] = compare(scene, old, report).as_dict()
    if args.json:
        print(json.dumps(report, indent=2))
        return
    uv: dict[str, Any] = report["uv"]
    size = " x ".join(f"{x:.3f}" for x in report["size_m"])
    print(f"{report['file']}: {report['triangles']} triangles, {size} m, {report['area_m2']} m2")
    for part in report["parts"]:
        print(f"  part {part['name']}: {part['triangles']} triangles, map set {part['map_set']}")
    if uv["present"]:
        gap = "one island" if uv["gap"] is None else f"{uv['gap']} texels between islands"
        print(
            f"  UVs: {uv['islands']} islands using {uv['used']:.0%} of the picture; overlapping {uv['overlapping']:.2%}, outside 0..1 {uv['outside']:.2%}, "
            f"flipped {uv['flipped']:.2%}, without area {uv['zero_area']} triangles, stretch {uv['stretch']:.2f}, {gap}"
        )
        print(
            f"  Texel density at 1024: {uv['density']:.0f} per metre ({uv['density_low']:.0f} to {uv['density_high']:.0f}); islands {uv['island_low']:.0f} to {uv['island_high']:.0f}"
        )
    else:
        print("  UVs: missing; the object must be unwrapped before it can be weathered")
    print(
        f"  Vertex colours: {'yes' if report['vertex_colours'] else 'no'}; tangents: {'from the file' if report['tangents'] else 'made here'}; "
        f"longest edge {report['longest_edge_mm']:g} mm"
    )
    for texture in report["textures"]:
        print(f"  Map of the file: {texture}")
    for finding in report["findings"]:
        rest = ". ".join(x for x in (finding["why"], finding["mend"]) if x)
        print(f"  {finding['level'].capitalize()}: {finding['what']}{'. ' + rest if rest else ''}")
    if args.replaces:
        found = report["replacement"]
        for line in found["kept"]:
            print(f"  Carries over: {line}")
        for line in found["look"]:
            print(f"  Needs a look: {line}")
        for gone in found["gone"]:
            asked = f", asked for by {', '.join(gone['used_by'])}" if gone["used_by"] else ""
            like = f"; most like it is {gone['suggestion']}" if gone["suggestion"] else ""
            print(f"  Needs a look: part {gone['name']} is gone{asked}{like}")
        if found["new"]:
            print(f"  New parts: {', '.join(found['new'])}")


def _setting(pairs: list[str], base: Setting) -> Setting:
    """``base`` changed by ``--setting latitude=52 --setting day=172``."""
    given: dict[str, Any] = base.model_dump()
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise InputError(f"'{pair}' is not NAME=VALUE", where="--setting", remedy="For example: --setting latitude=52")
        try:
            given[name] = json.loads(value)
        except ValueError:
            given[name] = value
    try:
        return Setting.model_validate(given)
    except ValidationError as error:
        first = error.errors()[0]
        names = ", ".join(Setting.model_fields)
        field = ".".join(str(x) for x in first["loc"])
        raise InputError(
            f"{first['msg'][0].lower()}{first['msg'][1:]} (got {first.get('input')!r})",
            where=f"--setting {field}",
            remedy=f"The fields are: {names}",
        ) from error


def _measure(args: argparse.Namespace) -> None:
    reading = READINGS[args.reading]
    document, setting, folder = _brought(args)
    find = beside_scene(folder)
    mesh = prepared(document, setting, find)
    around = surroundings(document, setting, mesh, find)
    names = list(mesh.uv_domains)
    if args.map_set is not None and args.map_set not in names:
        raise InputError(f"there is no map set '{args.map_set}'", where="--map-set", remedy=f"Choose one of: {', '.join(names)}")
    if args.component and args.component not in reading.components:
        have = ", ".join(reading.components) or "none: it is one number"
        raise InputError(f"'{args.reading}' has no component '{args.component}'", where="--component", remedy=f"It has {have}")
    if reading.components and not args.component and Path(args.out).suffix.lower() == ".npy":
        pass
    elif reading.components and not args.component:
        raise InputError(
            f"'{args.reading}' has several components",
            where="--component",
            remedy=f"Choose one of {', '.join(reading.components)}, or write .npy",
        )
    page = names.index(args.map_set) if args.map_set else 0
    size_mm = args.radius if args.radius is not None else reading.default_size_mm
    texels = texels_of(mesh, args.resolution)
    radii = (size_mm,) if reading.size == "radius" else (4.0,)
    reach = size_mm if reading.size == "reach" else 4.0
    # Only what is asked for is measured; readings that need no rays get the smallest pass there is.
    plan = RayPlan(radii, (reach,), reach if reading.kind == "thickness" else 4.0, args.pairs if reading.rays else 1)
    exposure = measure_exposure(texels, setting, around, rays=max(8, args.pairs // 4)) if reading.weather else None
    path = Path(args.object)
    strokes = load_scene(path).vertex_paint if path.suffix.lower() == ".json" else []
    colours = painted_colours(mesh, strokes, find) if strokes else None
    place = Place(texels, measure(texels, plan, around=around), setting, exposure, colours)
    missing = reading.missing(place)
    if missing:
        raise InputError(missing[0].lower() + missing[1:], where=f"--reading {args.reading}", remedy="Choose another reading")
    values = reading.value(place, size_mm)
    if args.component:
        values = values[:, reading.components.index(args.component)]
    write_field(Path(args.out), texels.image(values.astype(np.float32), empty=np.nan)[page], low=reading.low, high=reading.high)


def _unwrap(args: argparse.Namespace) -> None:
    document, setting, folder = _brought(args)
    mesh = prepared(document.model_copy(update={"uv": "unwrapped"}), setting, beside_scene(folder))
    out = Path(args.out)
    if out.suffix.lower() != ".glb":
        raise InputError(f"cannot write '{out.suffix or out.name}' files", where="--out", remedy="End the file name with .glb")
    write_glb(out, mesh, name=Path(document.file).stem)


def _mesh_of(path: Path, scene: Scene) -> tuple[Mesh, Surroundings]:
    find = beside_scene(path.parent)
    mesh = prepared(scene.object, scene.setting, find)
    return mesh, surroundings(scene.object, scene.setting, mesh, find)


def _need_layer(scene: Scene, name: str, option: str) -> str:
    for layer in scene.layers:
        if name in (layer.id, layer.name):
            return layer.id
    raise InputError(f"there is no layer '{name}'", where=option, remedy=f"Choose one of: {', '.join(x.id for x in scene.layers)}")


def _weather(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    scene = load_scene(path)
    mesh, around = _mesh_of(path, scene)
    if args.mask:
        wanted = _need_layer(scene, args.mask, "--mask")
        chronicle = _chronicle(scene, mesh, around, args.resolution, path.parent)
        texels = chronicle.texels
        chapters = chronicle.play(scene, until=wanted)
        found = next((c for c in chapters if c.layer.id == wanted), None)
        if found is None:
            raise InputError(f"the layer '{args.mask}' is off", where="--mask", remedy="Switch it on in the scene")
        image = texels.image(quantise(found.mask, 16))
        files = [Written(f"mask_{wanted}_{k}.png", png_bytes(image[k])) for k in range(texels.pages)]
    else:
        until = _need_layer(scene, args.until, "--until") if args.until else None
        texels, surface = finished(scene, mesh, args.resolution, until=until, around=around, files=beside_scene(path.parent))
        files = map_files(scene.name, texels, surface, args.bits)
    write_all(files, Path(args.out))


def _chronicle(scene: Scene, mesh: Mesh, around: Surroundings, resolution: int, folder: Path) -> Chronicle:
    texels = texels_of(mesh, resolution)
    exposure = measure_exposure(texels, scene.setting, around) if scene.asks_for_weather else None
    return Chronicle(texels, measure(texels, around=around), Cache(512 << 20), exposure, beside_scene(folder))


def _pairs(pairs: list[str], option: str) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise InputError(f"'{pair}' is not NAME=VALUE", where=option, remedy=f"For example: {option} size_mm=20")
        try:
            out[name] = json.loads(value)
        except ValueError:
            out[name] = value
    return out


def _recipe(args: argparse.Namespace) -> dict[str, Any]:
    """The recipe of ``--recipe``, or of one line with ``--source``."""
    if (args.recipe is None) == (args.source is None):
        raise InputError("say either --source or --recipe", where="mask", remedy="For example: --source cells --set size_mm=20")
    if args.recipe is None:
        return {"terms": [{"source": {"kind": args.source, **_pairs(args.set, "--set")}, **_pairs(args.shape, "--shape")}]}
    given = read_json(Path(args.recipe))
    return {"terms": given} if isinstance(given, list) else given


def _mask(args: argparse.Namespace) -> None:
    path = Path(args.object)
    document, setting, folder = _brought(args)
    scene = load_scene(path) if path.suffix.lower() == ".json" else Scene(object=document, setting=setting)
    scene = scene.model_copy(update={"object": document, "setting": setting})
    at = _need_layer(scene, args.layer, "--layer") if args.layer else None
    layers = [layer.model_dump(mode="json") for layer in scene.layers]
    # Tried on a layer that does nothing: at the moment asked for, else at the end.
    k = next((k for k, layer in enumerate(scene.layers) if layer.id == at), len(layers))
    probe = {"id": "this-recipe", "name": "this recipe", "on": False, "effect": {"kind": "dust"}, "where": _recipe(args)}
    whole = scene_from({**scene.model_dump(mode="json"), "layers": [*layers[:k], probe, *layers[k:]]}, path.name)
    find = beside_scene(folder)
    mesh = prepared(document, setting, find)
    around = surroundings(document, setting, mesh, find)
    names = list(mesh.uv_domains)
    if args.map_set is not None and args.map_set not in names:
        raise InputError(f"there is no map set '{args.map_set}'", where="--map-set", remedy=f"Choose one of: {', '.join(names)}")
    tried = whole.layers[k]
    weather = tried.where.weather or any(o.where.weather for o in whole.layers if o.on or o.id in tried.where.masks)
    texels = texels_of(mesh, args.resolution)
    exposure = measure_exposure(texels, setting, around) if weather else None
    chronicle = Chronicle(texels, measure(texels, around=around), Cache(512 << 20), exposure, find)
    scope = LayerMasks(chronicle, whole).scope(tried)
    for j, line in enumerate(tried.where.terms):
        found = line.finding(scope)
        if found:
            print(f"line {j + 1}: {found}.", file=sys.stderr)
    values = tried.where.value(scope)
    page = names.index(args.map_set) if args.map_set else 0
    write_field(Path(args.out), texels.image(values, empty=np.nan)[page], low=0.0, high=1.0)
    print(f"covers {texels.share(values):.2%} of the surface")


def _export(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    scene = load_scene(path)
    mesh, around = _mesh_of(path, scene)
    write_all(
        deliver(scene, mesh, args.to, args.resolution, bits=args.bits, around=around, files=beside_scene(path.parent)),
        Path(args.out),
    )


def _bench(args: argparse.Namespace) -> None:
    from limus.bench import main

    main()


def _build() -> _Parser:
    parser = _Parser(prog="limus", description="Weather 3D surfaces: rust, chips, dirt and dust from real geometry.")
    parser.add_argument("--version", action="version", version=f"limus {__version__}")
    commands = parser.add_subparsers(required=True, dest="command", parser_class=_Parser)

    brought = _Parser(add_help=False)
    brought.add_argument("object", help=f"a file ({', '.join(SUFFIXES)}), or a scene (.json) for its object")
    brought.add_argument("--scale", type=_scale, metavar="M", help="metres per unit of the file, e.g. 0.001")
    brought.add_argument("--up", choices=["+y", "-y", "+z", "-z", "+x", "-x"], help="axis of the file that points up")

    one = commands.add_parser("inspect", parents=[brought], help="parts, size, mesh and UV health of an object")
    one.add_argument("--unwrap", action="store_true", help="look at the UVs that unwrapping here would give")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N", help="raster for overlaps and gaps")
    one.add_argument("--replaces", metavar="SCENE", help="say what carries over if this takes the place of that scene's object")
    one.add_argument("--json", action="store_true")
    one.set_defaults(run=_inspect)

    one = commands.add_parser("unwrap", parents=[brought], help="a .glb of the object with new UVs")
    one.add_argument("--out", required=True, metavar="FILE")
    one.set_defaults(run=_unwrap)

    one = commands.add_parser("measure", parents=[brought], help="one reading as .npy, .exr or .png")
    one.add_argument("--unwrap", action="store_true", help="on new UVs made here")
    one.add_argument("--twin", metavar="FILE", help="measure from this high-poly twin")
    one.add_argument("--twin-reach", type=_millimetres, metavar="MM", help="how far from the surface the twin is looked for")
    one.add_argument(
        "--setting", action="append", default=[], metavar="NAME=VALUE", help="a field of the setting, e.g. latitude=52"
    )
    one.add_argument("--component", metavar="NAME", help="x, y, z, R, G, B or A of a reading that has them")
    one.add_argument("--reading", required=True, choices=list(READINGS))
    one.add_argument("--radius", "--reach", type=_millimetres, metavar="MM", help="radius or reach in mm")
    one.add_argument("--map-set", metavar="NAME")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument(
        "--pairs", type=int, choices=[8, 16, 32, 64, 128, 256, 512], default=MEASURE_PAIRS, help="directions around each texel"
    )
    one.add_argument("--out", required=True, metavar="FILE")
    one.set_defaults(run=_measure)

    one = commands.add_parser("mask", parents=[brought], help="any source or recipe as .npy, .exr or .png")
    one.add_argument("--source", choices=list(SOURCES), help="a recipe of one line")
    one.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", help="a field of the source, e.g. size_mm=20")
    one.add_argument("--shape", action="append", default=[], metavar="NAME=VALUE", help="a field of the line, e.g. invert=true")
    one.add_argument("--recipe", metavar="FILE", help="a recipe as JSON, as it stands under 'where' in a scene")
    one.add_argument("--layer", metavar="LAYER", help="at the moment before this layer of the scene (id or name); else at the end")
    one.add_argument("--map-set", metavar="NAME")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument("--out", required=True, metavar="FILE")
    one.set_defaults(run=_mask)

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
