"""``limus export``: a delivery: a GLB, or maps."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import resolution
from limus.cli.saying import say_notes
from limus.intake.preparation import beside_scene
from limus.playing.session import Session
from limus.targets.delivery import TARGETS, Along, deliver, write_all
from limus.targets.packing import packed, write_zip


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--to", required=True, choices=TARGETS)
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
    parser.add_argument("--bits", type=int, choices=[8, 16], default=8)
    parser.add_argument(
        "--out",
        required=True,
        metavar="DIR|FILE.zip",
        help="a folder, or a zip with the scene and what was drawn for it",
    )
    parser.add_argument(
        "--masks",
        default="",
        metavar="LIST",
        help="masks to take along, with commas between: rust (where it may be), rust:acted, rust:2 (a line), "
        "paint:coat/primer (where a coat shows)",
    )
    parser.add_argument("--pack", action="store_true", help="four masks in one file, in R, G, B and A")
    parser.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    path = Path(args.scene)
    session, out = Session(scene_asked(args), beside_scene(path.parent)), Path(args.out)
    along = Along(tuple(one.strip() for one in args.masks.split(",") if one.strip()), args.pack)
    if out.suffix.lower() == ".zip":
        packing, notes = packed(session, args.to, args.resolution, bits=args.bits, along=along)
        write_zip(packing, out)
    else:
        files, notes = deliver(session, args.to, args.resolution, bits=args.bits, along=along)
        write_all(files, out)
    say_notes(notes, args.strict)
