"""``limus start``: a scene document that works, with sizes that fit the object."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from limus.bases.choice import BaseChoice
from limus.cli.bringing import bringing, brought
from limus.document.base_file import read_base
from limus.document.scene import Scene
from limus.document.start import started
from limus.effects.catalogue import EFFECTS
from limus.formats.files import write_whole
from limus.intake.preparation import beside_scene
from limus.playing.session import Session
from limus.surface.udim import tiles_of


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    bringing(parser)
    parser.add_argument(
        "--base",
        metavar="NAME|FILE",
        help="what it is made of: a name of the store room, or a file made by 'limus base' (default: cast iron)",
    )
    parser.add_argument(
        "--layers",
        metavar="KINDS",
        help=f"what happened to it, oldest first, of {', '.join(EFFECTS)}; default: what suits the base",
    )
    parser.add_argument("--name", help="name of the scene (default: that of the file)")
    parser.add_argument("--out", required=True, metavar="SCENE.json")


def base_given(text: str | None, beside: Path) -> str | BaseChoice | None:
    """``--base``: a name of the store room, or a file."""
    if text is not None and text.lower().endswith(".json"):
        return read_base(Path(text), beside)
    return text


def run(args: argparse.Namespace) -> None:
    """Do it."""
    document, setting, folder = brought(args)
    session = Session(Scene(object=document, setting=setting), beside_scene(folder))
    if session.mesh.uv is None or session.mesh.without_uv:
        # Without UVs nothing can be weathered: they are made then, as the interface does.
        document = document.model_copy(update={"uv": "unwrapped"})
        print(f"{document.file}: there are no UVs in it; they are made here (see them with 'limus unwrap')")
    elif document.uv == "own" and (tiles := tiles_of(session.mesh)):
        document = document.model_copy(update={"uv": "tiles"})
        print(f"{document.file}: UVs lie in {len(tiles)} tiles; each becomes a map set of its own")
    layers = None if args.layers is None else [name.strip() for name in args.layers.split(",") if name.strip()]
    out = Path(args.out)
    # Paths in a scene document are relative to it.
    file = os.path.relpath(folder / document.file, out.parent)
    scene = started(
        document.model_copy(update={"file": Path(file).as_posix()}),
        setting,
        session.size,
        base=base_given(args.base, out.parent),
        layers=layers,
        name=args.name,
    )
    write_whole(out, (scene.model_dump_json(indent=2) + "\n").encode())
    print(
        f"{out}: {scene.bases[0].title.lower()}, "
        f"{', '.join(layer.name.lower() for layer in scene.layers) or 'no layers'}; sizes for an object of "
        f"{session.size.diagonal_m:.2g} m"
    )
