"""What a delivery is to be, as options of a command."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from limus.cli.numbers import delivered
from limus.common.errors import InputError
from limus.formats.json_read import read_json
from limus.targets.order import Order, order_from
from limus.targets.recipe import PRESETS
from limus.targets.targets import TARGETS


def order_arguments(parser: argparse.ArgumentParser) -> None:
    """The options; each is a field of ``Order``."""
    parser.add_argument("--to", choices=TARGETS, help="what to write; gltf where nothing says otherwise")
    parser.add_argument("--resolution", type=delivered, metavar="N", help="pixels along a side of each map; 1024")
    parser.add_argument(
        "--bits", type=int, choices=[8, 16, 32], help="of each number; by default the least that the target takes"
    )
    parser.add_argument(
        "--masks",
        metavar="LIST",
        help="masks to take along, with commas between: rust (where it may be), rust:acted, rust:2 (a line), "
        "paint:coat/primer (where a coat shows)",
    )
    parser.add_argument("--pack", action="store_true", help="four masks in one file, in R, G, B and A")
    parser.add_argument("--names", metavar="PATTERN", help="names of maps, like {set}/{object}_{map}_{size}")
    parser.add_argument(
        "--size", action="append", metavar="MAP=N", help="a map that is to be smaller: roughness=512; may be repeated"
    )
    parser.add_argument("--gutter", type=int, metavar="PIXELS", help="how far colours run on beyond the surface")
    parser.add_argument("--gutter-mm", type=float, metavar="MM", help="the same in mm of the surface")
    parser.add_argument("--dither", action="store_true", help="spread the rounding to 8 bit")
    parser.add_argument(
        "--recipe",
        action="append",
        metavar="MAP",
        help="with --to packed: orm=ambient-occlusion,1-roughness,metalness; may be repeated; or one of: "
        + "; ".join(PRESETS),
    )
    parser.add_argument(
        "--variant", action="append", metavar="SNAPSHOT", help="with --to usd: a snapshot as a variant; may be repeated"
    )
    parser.add_argument("--moved", action="store_true", help="with --to vertices: the relief moves the vertices")
    parser.add_argument(
        "--edge-mm", type=float, metavar="MM", help="with --to vertices: the mesh is cut until no edge is longer"
    )
    parser.add_argument("--order", metavar="FILE", help="all of this from a JSON file; options given beside it win")


def order_asked(args: argparse.Namespace) -> Order:
    """The order.

    Raises
    ------
    InputError : a field that cannot be, with its name.
    """
    given: dict[str, Any] = {"resolution": 1024}
    if args.order:
        found = read_json(Path(args.order))
        if not isinstance(found, dict):
            raise InputError("an order is a list of fields", where=args.order, remedy='Write {"target": "maps"}')
        given |= found
    recipe = [line for text in args.recipe or () for line in PRESETS.get(text, (text,))]
    options: dict[str, Any] = {
        "target": args.to, "resolution": args.resolution, "bits": args.bits, "names": args.names,
        "gutter": args.gutter, "gutter_mm": args.gutter_mm, "moved": args.moved or None, "edge_mm": args.edge_mm,
        "dither": args.dither or None, "packed": args.pack or None, "recipe": recipe or None,
        "masks": [one.strip() for one in args.masks.split(",") if one.strip()] if args.masks else None,
        "snapshots": args.variant,
        "sizes": _sizes(args.size) if args.size else None,
    }  # fmt: skip
    given |= {name: value for name, value in options.items() if value is not None}
    return order_from(given, args.order or "order")


def _sizes(given: list[str]) -> dict[str, int]:
    out = {}
    for text in given:
        title, _, number = text.partition("=")
        if not number.strip().isascii() or not number.strip().isdigit():
            raise InputError(f"'{text[:40]}' is no map and size", where="--size", remedy="Write roughness=512")
        out[title.strip()] = int(number)
    return out
