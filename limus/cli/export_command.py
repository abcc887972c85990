"""``limus export``: a delivery: a GLB, or maps."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.ordered import order_arguments, order_asked
from limus.cli.saying import say_notes, shown_progress
from limus.intake.preparation import beside_scene
from limus.playing.session import Session
from limus.targets.delivery import deliver, delivery_room, write_all
from limus.targets.packing import packed, write_zip


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    order_arguments(parser)
    parser.add_argument(
        "--out",
        required=True,
        metavar="DIR|FILE.zip",
        help="a folder, or a zip with the scene and what was drawn for it",
    )
    parser.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    path = Path(args.scene)
    session, out = Session(scene_asked(args), beside_scene(path.parent)), Path(args.out)
    order = order_asked(args)
    zipped = out.suffix.lower() == ".zip"
    with delivery_room(out.parent if zipped else out) as room, shown_progress() as say:
        if zipped:
            packing, notes = packed(session, order, room=room, progress=say)
            write_zip(packing, out)
        else:
            files, notes = deliver(session, order, room=room, progress=say)
            write_all(files, out)
    say_notes(notes, args.strict)
