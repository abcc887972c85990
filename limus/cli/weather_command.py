"""``limus weather``: the finished maps of a scene, or the mask of one layer."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.asked import scene_asked
from limus.cli.numbers import resolution
from limus.cli.saying import say_notes
from limus.common.errors import InputError
from limus.formats.png import png_bytes, quantise
from limus.intake.preparation import beside_scene
from limus.playing.session import Session, layer_of
from limus.targets.delivery import write_all
from limus.targets.kinds.maps import map_files
from limus.targets.written import Written


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("scene")
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
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
    say_notes(notes, args.strict)
