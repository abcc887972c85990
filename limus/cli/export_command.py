"""``limus export``: a delivery: a GLB, or maps."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import delivered
from limus.cli.saying import say_notes, shown_progress
from limus.common.errors import InputError
from limus.intake.preparation import beside_scene
from limus.playing.session import Session
from limus.targets.delivery import TARGETS, Along, deliver, delivery_room, write_all
from limus.targets.packing import packed, write_zip


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--to", required=True, choices=TARGETS)
    parser.add_argument("--resolution", type=delivered, default=1024, metavar="N")
    parser.add_argument(
        "--bits", type=int, choices=[8, 16, 32], help="of each number; by default the least that the target takes"
    )
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
    bits = args.bits or TARGETS[args.to].depths[0]
    if bits not in TARGETS[args.to].depths:
        offered = ", ".join(map(str, TARGETS[args.to].depths))
        raise InputError(f"{args.to} has no maps of {bits} bits", where="--bits", remedy=f"Take {offered}")
    zipped = out.suffix.lower() == ".zip"
    with delivery_room(out.parent if zipped else out) as room, shown_progress() as say:
        if zipped:
            packing, notes = packed(session, args.to, args.resolution, bits=bits, along=along, room=room, progress=say)
            write_zip(packing, out)
        else:
            files, notes = deliver(session, args.to, args.resolution, bits=bits, along=along, room=room, progress=say)
            write_all(files, out)
    say_notes(notes, args.strict)
