"""The core on the command line.

Exit code 0 when done, 2 for bad input with one clear line on standard error, 3 with ``--strict`` when a layer says that it did nothing or
less than was asked. What layers say of themselves goes to standard error either way.
"""

from __future__ import annotations

import argparse
import contextlib
import errno
import json
import os
import sys
import tempfile
import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import numpy as np
from pydantic import BaseModel, ValidationError

from limus import __version__
from limus.base_file import read_base, with_files, write_base
from limus.bases.as_materialx import base_materialx
from limus.bases.choice import BaseChoice
from limus.bases.from_maps import base_from_maps
from limus.bases.store_room import searched, stock
from limus.chronicle import LayerMasks
from limus.delivery import TARGETS, deliver, write_all
from limus.effects.catalogue import EFFECTS
from limus.errors import InputError
from limus.formats.bundle import unpack_pictures
from limus.formats.field import write_field
from limus.formats.files import nowhere, write_whole
from limus.formats.gltf_write import write_glb
from limus.formats.json_read import read_json
from limus.formats.picture_read import PICTURES
from limus.formats.png import png_bytes, quantise
from limus.formats.read import SUFFIXES, unit_known, usual_up
from limus.intake.inspection import inspection
from limus.intake.object_file import ObjectFile, Twin
from limus.intake.preparation import beside_scene, prepared, surroundings
from limus.map_sets.recognise import recognise
from limus.map_sets.roles import ROLES
from limus.masks.hand.vertex_paint import painted_colours
from limus.masks.recipe import SOURCES, Term
from limus.object_size import ObjectSize
from limus.readings.catalogue import READINGS
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.readings.reading import Place, asks_weather
from limus.refusal import first_refusal, refuse_odd_text
from limus.replacement import compare
from limus.scene import Scene, load_scene, scene_from, scene_schema
from limus.session import Session, layer_of
from limus.setting import Setting
from limus.start import started
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from limus.targets.maps import map_files
from limus.targets.written import Written
from limus.wording import LONGEST, one_of, plain

#: Directions around each texel (pairs) on the command line, where nobody waits for a picture.
MEASURE_PAIRS = 64


class Noted(Exception):
    """Layers had something to say, and that was to be an error."""


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


def _tile(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0.01 <= value <= 100000:
        raise argparse.ArgumentTypeError(f"'{text}' is not a width from 0.01 to 100000 cm")
    return value


def _brought(args: argparse.Namespace) -> tuple[ObjectFile, Setting, Path]:
    """The object of a file or of a scene document with what the options change about it, its setting, and the folder it lies in."""
    path = Path(args.object)
    document, setting = ObjectFile(file=path.name), Setting()
    if path.suffix.lower() == ".json":
        scene = load_scene(path)
        document, setting = scene.object, scene.setting
    elif args.up is None:
        # One rule with the interface: a format without axes is taken as its programs mostly write it, and that is said.
        setting = setting.model_copy(update={"up": usual_up(path)})
        if setting.up != "+y":
            say = f"{path.name}: {setting.up[1]} is taken for up, as such files mostly have it; --up +y says otherwise"
            print(say, file=sys.stderr if getattr(args, "json", False) or args.command in ("measure", "mask") else sys.stdout)
    changes: dict[str, Any] = {}
    if args.scale is not None:
        changes["scale"] = args.scale
    if args.second_uv:
        changes["uv"] = "second"
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
        print(json.dumps(report, indent=2, allow_nan=False))
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
        f"longest edge {report['longest_edge_mm']:g} mm{'; a second UV set is there (--second-uv)' if report['second_uv'] else ''}"
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
        found = first_refusal(error)
        raise InputError(
            found.problem, where=f"--setting {found.path}", remedy=f"The fields are: {', '.join(Setting.model_fields)}"
        ) from error


def _measure(args: argparse.Namespace) -> None:
    reading = READINGS[args.reading]
    document, setting, folder = _brought(args)
    find = beside_scene(folder)
    mesh = prepared(document, setting, find)
    around = surroundings(document, setting, mesh, find)
    page = _page(mesh, args.map_set)
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
    size = ObjectSize(mesh.diagonal)
    size_mm = args.radius if args.radius is not None else size.mm(reading.default_size_mm, reading.grows)
    texels = texels_of(mesh, args.resolution)
    radii = (size_mm,) if reading.size == "radius" else (4.0,)
    reach = size_mm if reading.size == "reach" else 4.0
    # Only what is asked for is measured; readings that need no rays get the smallest pass there is.
    plan = RayPlan(radii, (reach,), reach if reading.kind == "thickness" else 4.0, args.pairs if "rays" in reading.reads else 1)
    exposure = measure_exposure(texels, setting, around, rays=max(8, args.pairs // 4)) if asks_weather(reading.reads) else None
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


def _say(notes: Sequence[str], strict: bool) -> None:
    """What layers have to say of themselves, on standard error.

    Raises
    ------
    Noted : there is something, and ``strict`` was asked for.
    """
    for note in notes:
        print(note if note.endswith(".") else f"{note}.", file=sys.stderr)
    if notes and strict:
        raise Noted


def _scene(args: argparse.Namespace) -> Scene:
    """The scene asked for, at a snapshot of its own where one is named."""
    scene = load_scene(Path(args.scene))
    return scene.at_snapshot(args.snapshot) if args.snapshot else scene


def _weather(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    scene = _scene(args)
    session = Session(scene, beside_scene(path.parent))
    if args.mask:
        wanted = layer_of(scene, args.mask, "--mask")
        chronicle = session.exact(args.resolution)
        texels = chronicle.texels
        chapter = next((c for c in chronicle.playing(scene, until=wanted) if c.layer.id == wanted), None)
        if chapter is None:
            raise InputError(f"the layer '{args.mask}' is off", where="--mask", remedy="Switch it on in the scene")
        image = texels.image(quantise(chapter.mask, 16))
        files = [Written(f"mask_{wanted}_{k}.png", png_bytes(image[k])) for k in range(texels.pages)]
        notes = [f"{chapter.layer.name}: {chapter.note[0].lower()}{chapter.note[1:]}"] if chapter.note else []
    else:
        until = layer_of(scene, args.until, "--until") if args.until else None
        texels, surface, notes = session.finished(args.resolution, until=until)
        files = map_files(scene.name, texels, surface, args.bits)
    write_all(files, Path(args.out))
    _say(notes, args.strict)


def _pairs(pairs: list[str], option: str, model: type[BaseModel]) -> dict[str, Any]:
    """Fields of ``model``, as NAME=VALUE."""
    out: dict[str, Any] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise InputError(f"'{pair}' is not NAME=VALUE", where=option, remedy=f"For example: {option} size_mm=20")
        field = model.model_fields.get(name)
        # A choice between words stays a word, even where the words are numbers.
        word = field is not None and get_origin(field.annotation) is Literal and value in get_args(field.annotation)
        try:
            out[name] = value if word else json.loads(value)
        except ValueError:
            out[name] = value
    return out


def _recipe(args: argparse.Namespace) -> dict[str, Any]:
    """The recipe of ``--recipe``, or of one line with ``--source``."""
    if (args.recipe is None) == (args.source is None):
        raise InputError("say either --source or --recipe", where="mask", remedy="For example: --source cells --set size_mm=20")
    if args.recipe is None:
        source = {"kind": args.source, **_pairs(args.set, "--set", SOURCES[args.source])}
        return {"terms": [{"source": source, **_pairs(args.shape, "--shape", Term)}]}
    given = read_json(Path(args.recipe))
    refuse_odd_text(given, Path(args.recipe).name)
    return {"terms": given} if isinstance(given, list) else given


def _mask(args: argparse.Namespace) -> None:
    path = Path(args.object)
    document, setting, folder = _brought(args)
    scene = load_scene(path) if path.suffix.lower() == ".json" else Scene(object=document, setting=setting)
    scene = scene.model_copy(update={"object": document, "setting": setting})
    at = layer_of(scene, args.layer, "--layer") if args.layer else None
    layers = [layer.model_dump(mode="json") for layer in scene.layers]
    # Tried on a layer that does nothing: at the moment asked for, else at the end.
    k = next((k for k, layer in enumerate(scene.layers) if layer.id == at), len(layers))
    probe = {"id": "this-recipe", "name": "this recipe", "on": False, "effect": {"kind": "dust"}, "where": _recipe(args)}
    whole = scene_from({**scene.model_dump(mode="json"), "layers": [*layers[:k], probe, *layers[k:]]}, path.name)
    session = Session(whole, beside_scene(folder))
    page = _page(session.mesh, args.map_set)
    tried = whole.layers[k]
    weather = tried.where.weather or any(o.where.weather for o in whole.layers if o.on or o.id in tried.where.masks)
    chronicle = session.exact(args.resolution, weather=weather)
    texels = chronicle.texels
    scope = LayerMasks(chronicle, whole).scope(tried)
    notes = [f"line {j + 1}: {found}" for j, line in enumerate(tried.where.terms) if (found := line.finding(scope))]
    values = tried.where.value(scope)
    write_field(Path(args.out), texels.image(values, empty=np.nan)[page], low=0.0, high=1.0)
    print(f"covers {texels.share(values):.2%} of the surface")
    _say(notes, args.strict)


def _page(mesh: Mesh, wanted: str | None) -> int:
    """Number of the map set with this name, by default the first."""
    names = list(mesh.uv_domains)
    if wanted is None:
        return 0
    if wanted not in names:
        raise InputError(f"there is no map set '{wanted}'", where="--map-set", remedy=one_of(names, wanted))
    return names.index(wanted)


def _export(args: argparse.Namespace) -> None:
    path = Path(args.scene)
    files, notes = deliver(Session(_scene(args), beside_scene(path.parent)), args.to, args.resolution, bits=args.bits)
    write_all(files, Path(args.out))
    _say(notes, args.strict)


def _start(args: argparse.Namespace) -> None:
    document, setting, folder = _brought(args)
    session = Session(Scene(object=document, setting=setting), beside_scene(folder))
    if session.mesh.uv is None or session.mesh.without_uv:
        # Without UVs nothing can be weathered: they are made then, as the interface does.
        document = document.model_copy(update={"uv": "unwrapped"})
        print(f"{document.file}: there are no UVs in it; they are made here (see them with 'limus unwrap')")
    layers = None if args.layers is None else [name.strip() for name in args.layers.split(",") if name.strip()]
    out = Path(args.out)
    # Paths in a scene document are relative to it.
    file = os.path.relpath(folder / document.file, out.parent)
    scene = started(
        document.model_copy(update={"file": Path(file).as_posix()}),
        setting,
        session.size,
        base=_base_given(args.base, out.parent),
        layers=layers,
        name=args.name,
    )
    write_whole(out, (scene.model_dump_json(indent=2) + "\n").encode())
    print(
        f"{out}: {scene.bases[0].title.lower()}, {', '.join(layer.name.lower() for layer in scene.layers) or 'no layers'}; sizes for an object of {session.size.diagonal_m:.2g} m"
    )


def _base_given(text: str | None, beside: Path) -> str | BaseChoice | None:
    """``--base``: a name of the store room, or a file."""
    if text is not None and text.lower().endswith(".json"):
        return read_base(Path(text), beside)
    return text


def _pictures_in(names: Sequence[str], unpacked: Path) -> list[tuple[str, str]]:
    """(path, name) of the texture files named, those in zips among them."""
    out: list[tuple[str, str]] = []
    for k, name in enumerate(names):
        path = Path(name)
        if path.is_dir():
            inside = sorted(p for p in path.iterdir() if p.suffix.lower() in PICTURES and p.is_file())
            if not inside:
                raise InputError(
                    f"there is no picture in this folder ({', '.join(PICTURES)})", where=path.name, remedy="Name the texture files"
                )
            out += [(str(p), p.name) for p in inside]
        elif path.suffix.lower() == ".zip":
            folder = unpacked / str(k)
            folder.mkdir(parents=True)
            out += [(str(p), p.name) for p in unpack_pictures(path, folder, path.name)]
        else:
            out.append((str(path), path.name))
    return out


def _write_base(path: Path, base: BaseChoice) -> None:
    """As a file for ``limus start``, or as a MaterialX document."""
    if path.suffix.lower() == ".mtlx":
        there = path.resolve().parent
        write_whole(
            path, base_materialx(with_files(base, lambda name: Path(os.path.relpath(Path(name).resolve(), there)).as_posix()))
        )
    elif path.suffix.lower() == ".json":
        write_base(path, base)
    else:
        raise InputError(
            f"cannot write '{path.suffix or path.name}' files", where="--out", remedy="End the file name with .json or .mtlx"
        )


def _base(args: argparse.Namespace) -> None:
    if args.list:
        if args.json:
            rows = [
                {"name": s.name, "about": s.about, "kind": s.kind, "family": s.family, "words": list(s.words)}
                for s in searched(args.search)
            ]
            print(json.dumps(rows, indent=2, allow_nan=False))
            return
        for s in searched(args.search):
            print(f"{s.name:20} {s.family:14} {s.about}")
        return
    if len(args.files) == 1 and stock(args.files[0]) is not None:
        chosen = BaseChoice.model_validate({"material": args.files[0]})
        if not args.out:
            print(chosen.model_dump_json(indent=2))
            return
        _write_base(Path(args.out), chosen)
        print(f"{args.out}: {chosen.title}")
        return
    if not args.files:
        raise InputError("no texture files are named", where="limus base", remedy="Name the files of one material, or use --list")
    if args.out and any(name.lower().endswith(".zip") for name in args.files):
        raise InputError("a base cannot point into a zip", where="--out", remedy="Unpack the zip first, and name its files")
    with tempfile.TemporaryDirectory() as folder:
        files = _pictures_in(args.files, Path(folder))
        found = recognise(files, Path)
        base = base_from_maps(found, args.name or "", size_cm=args.size)
        if args.out:
            _write_base(Path(args.out), base)
    names = dict(files)
    if args.json:
        rows = [
            {
                "file": names[u.file],
                "role": u.role,
                "component": u.component,
                "kind": u.colour,
                "channel": ROLES[u.role].channel if u.role in ROLES else "",
                "why": why,
            }
            for u, why in zip(found.uses, found.why, strict=True)
        ]
        print(
            json.dumps(
                {
                    "name": base.name,
                    "maps": rows,
                    "green": found.green,
                    "range_share": found.range_share,
                    "findings": found.findings,
                },
                indent=2,
            )
        )
        return
    print(f"{base.name}: {len(found.files)} files, tile {args.size:g} cm")
    wide = max(len(names[u.file]) for u in found.uses)
    for use, why in zip(found.uses, found.why, strict=True):
        role = ROLES[use.role].title if use.role in ROLES else use.role
        what = (
            ""
            if use.role not in ROLES
            else (
                "colour, sRGB"
                if use.colour == "srgb"
                else ("colour, linear" if ROLES[use.role].kind == "colour" else ROLES[use.role].kind)
            )
        )
        print(f"  {names[use.file]:{wide}}  {'' if use.component == 'all' else use.component:1}  {role:18} {what:15} {why}")
    for text in found.findings:
        print(f"  Note: {text}.")


def _build() -> _Parser:
    parser = _Parser(prog="limus", description="Weather 3D surfaces: rust, chips, dirt and dust from real geometry.")
    parser.add_argument("--version", action="version", version=f"limus {__version__}")
    commands = parser.add_subparsers(required=True, dest="command", parser_class=_Parser)

    brought = _Parser(add_help=False)
    brought.add_argument("object", help=f"a file ({', '.join(SUFFIXES)}), or a scene (.json) for its object")
    brought.add_argument("--scale", type=_scale, metavar="M", help="metres per unit of the file, e.g. 0.001")
    brought.add_argument("--second-uv", action="store_true", help="work on the second UV set of the file")
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
    one.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")
    one.set_defaults(run=_mask)

    one = commands.add_parser("weather", help="the finished maps of a scene, or the mask of one layer")
    one.add_argument("scene")
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    one.add_argument("--until", metavar="LAYER", help="stop after this layer (id or name)")
    one.add_argument("--mask", metavar="LAYER", help="write only this layer's mask")
    one.add_argument("--bits", type=int, choices=[8, 16], default=8)
    one.add_argument("--out", required=True, metavar="DIR")
    one.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")
    one.set_defaults(run=_weather)

    one = commands.add_parser("export", help="a delivery: a GLB, or maps")
    one.add_argument("scene")
    one.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    one.add_argument("--to", required=True, choices=TARGETS)
    one.add_argument("--resolution", type=_resolution, default=1024, metavar="N")
    one.add_argument("--bits", type=int, choices=[8, 16], default=8)
    one.add_argument("--out", required=True, metavar="DIR")
    one.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")
    one.set_defaults(run=_export)

    one = commands.add_parser("base", help="texture files recognised as a base, or the bases of the store room")
    one.add_argument(
        "files", nargs="*", metavar="FILES", help="texture files or zips of one material; or one name of the store room"
    )
    one.add_argument("--out", metavar="FILE", help="write the base: .json for 'limus start --base', .mtlx for other programs")
    one.add_argument("--name", help="name of the base (default: what the files have in common)")
    one.add_argument("--size", type=_tile, default=100.0, metavar="CM", help="real width of one tile (default: 100)")
    one.add_argument("--list", action="store_true", help="the bases of the store room")
    one.add_argument("--search", default="", metavar="WORDS", help="with --list: only those that these words fit")
    one.add_argument("--json", action="store_true")
    one.set_defaults(run=_base)

    one = commands.add_parser("start", parents=[brought], help="a scene document that works, with sizes that fit the object")
    one.add_argument(
        "--base",
        metavar="NAME|FILE",
        help="what it is made of: a name of the store room, or a file made by 'limus base' (default: cast iron)",
    )
    one.add_argument(
        "--layers",
        metavar="KINDS",
        help=f"what happened to it, oldest first, of {', '.join(EFFECTS)}; default: what suits the base",
    )
    one.add_argument("--name", help="name of the scene (default: that of the file)")
    one.add_argument("--out", required=True, metavar="SCENE.json")
    one.set_defaults(run=_start)

    one = commands.add_parser("schema", help="JSON Schema of the scene document")
    one.set_defaults(run=lambda args: print(json.dumps(scene_schema(), indent=2, allow_nan=False)))

    return parser


def _quietly_closed() -> None:
    """Whoever read our output has gone: what is still in the buffer goes nowhere, without a complaint at exit."""
    with contextlib.suppress(OSError):
        nowhere(sys.stdout)


def _refused(line: str) -> int:
    print(plain(line, LONGEST), file=sys.stderr)
    return 2


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code. Never ends in a traceback, unless LIMUS_TRACE=1 asks for one."""
    try:
        args = _build().parse_args(argv)
        with warnings.catch_warnings():
            # What libraries warn of names lines of theirs and of ours; whoever looks for a fault asks for them.
            warnings.simplefilter("default" if os.environ.get("LIMUS_TRACE") == "1" else "ignore")
            args.run(args)
        sys.stdout.flush()
    except InputError as error:
        return _refused(error.line)
    except ValidationError as error:
        return _refused(first_refusal(error).error("command line").line)
    except Noted:
        return 3
    except BrokenPipeError:
        _quietly_closed()
        return 0
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 130
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return _refused("The disk is full. Make room, or write to another place.")
        reason = error.strerror or error
        return _refused(f"{error.filename or 'file'}: cannot be written or read ({reason}). Check the path and the space left.")
    except MemoryError:
        return _refused("There is not enough memory for this. Use a smaller resolution, or a smaller object.")
    except Exception as error:
        if os.environ.get("LIMUS_TRACE") == "1":
            raise
        return _refused(
            f"This could not be done, and it is a fault of Limus ({type(error).__name__}: {plain(error, 120)}). "
            "Run it again with LIMUS_TRACE=1 and report what it prints."
        )
    return 0


if __name__ == "__main__":
    sys.exit(main())
