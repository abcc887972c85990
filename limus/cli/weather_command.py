"""``limus weather``: the finished maps of a scene, or the mask of one layer."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import delivered
from limus.cli.saying import say_notes, shown_progress
from limus.common.errors import InputError
from limus.intake.preparation import beside_scene
from limus.playing.measuring import Say
from limus.playing.session import Session, layer_of
from limus.targets.delivery import deliver, delivery_room, draw_maps, write_all
from limus.targets.masks import MaskAsked, MaskTaker, mask_rasters
from limus.targets.naming import Naming
from limus.targets.order import Order
from limus.targets.written import Written


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--resolution", type=delivered, default=1024, metavar="N")
    parser.add_argument("--snapshot", metavar="NAME", help="layers on and off as in this snapshot of the scene")
    parser.add_argument("--until", metavar="LAYER", help="stop after this layer (id or name)")
    parser.add_argument("--mask", metavar="LAYER", help="write only this layer's mask")
    parser.add_argument("--bits", type=int, choices=[8, 16], default=8)
    parser.add_argument("--out", required=True, metavar="DIR")
    parser.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    path = Path(args.scene)
    scene = scene_asked(args)
    session, out = Session(scene, beside_scene(path.parent)), Path(args.out)
    with delivery_room(out) as room, shown_progress() as say:
        if args.mask:
            files, notes = _mask(session, layer_of(scene, args.mask, "--mask"), args, room, say)
        else:
            until = layer_of(scene, args.until, "--until") if args.until else None
            order = Order(target="maps", resolution=args.resolution, bits=args.bits)
            files, notes = deliver(session, order, until=until, progress=say, room=room)
        write_all(files, out)
    say_notes(notes, args.strict)


def _mask(
    session: Session, wanted: str, args: argparse.Namespace, room: Path, say: Say
) -> tuple[list[Written], list[str]]:
    """The mask of one layer, 16 bit, a file for each map set."""
    scene = session.scene
    layer = scene.layer(wanted)
    if layer is None or not scene.plays(layer):
        raise InputError(f"the layer '{args.mask}' is off", where="--mask", remedy="Switch it on in the scene")
    taker = MaskTaker(scene, [MaskAsked(wanted)])
    naming = Naming("", scene.name, session.mesh)
    raster = mask_rasters(naming, args.resolution, scene, taker.asked, 16, packed=False)[0]
    named = replace(raster, files=tuple(f"mask_{wanted}_{k}.png" for k in range(len(raster.files))))
    drawn = draw_maps(
        session, args.resolution, lambda texels, surface, slack: [named], taker, until=wanted, say=say, room=room
    )
    mine = f"{layer.name}: "
    return list(drawn.files), [note for note in drawn.notes if note.startswith(mine)]
