"""``limus inspect``: parts, size, mesh and UV health of an object."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from limus.cli.bringing import bringing, brought
from limus.cli.numbers import resolution
from limus.document.replacement import compare
from limus.document.scene import load_scene
from limus.formats.read import unit_known
from limus.intake.inspection import inspection
from limus.intake.preparation import beside_scene, prepared


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    bringing(parser)
    parser.add_argument("--unwrap", action="store_true", help="look at the UVs that unwrapping here would give")
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N", help="raster for overlaps and gaps")
    parser.add_argument(
        "--replaces", metavar="SCENE", help="say what carries over if this takes the place of that scene's object"
    )
    parser.add_argument("--json", action="store_true")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    document, setting, folder = brought(args)
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
            f"  UVs: {uv['islands']} islands using {uv['used']:.0%} of the picture; overlapping "
            f"{uv['overlapping']:.2%}, outside 0..1 {uv['outside']:.2%}, "
            f"flipped {uv['flipped']:.2%}, without area {uv['zero_area']} triangles, stretch {uv['stretch']:.2f}, {gap}"
        )
        print(
            f"  Texel density at 1024: {uv['density']:.0f} per metre ({uv['density_low']:.0f} to "
            f"{uv['density_high']:.0f}); islands {uv['island_low']:.0f} to {uv['island_high']:.0f}"
        )
    else:
        print("  UVs: missing; the object must be unwrapped before it can be weathered")
    print(
        f"  Vertex colours: {'yes' if report['vertex_colours'] else 'no'}; tangents: "
        f"{'from the file' if report['tangents'] else 'made here'}; "
        f"longest edge {report['longest_edge_mm']:g} "
        f"mm{'; a second UV set is there (--second-uv)' if report['second_uv'] else ''}"
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
