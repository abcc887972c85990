"""``limus unwrap``: a .glb of the object with new UVs."""

from __future__ import annotations

import argparse
from pathlib import Path

from limus.cli.bringing import bringing, brought
from limus.common.errors import InputError
from limus.formats.gltf_write import write_glb
from limus.intake.preparation import beside_scene, prepared


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    bringing(parser)
    parser.add_argument("--out", required=True, metavar="FILE")


def run(args: argparse.Namespace) -> None:
    """Do it."""
    document, setting, folder = brought(args)
    mesh = prepared(document.model_copy(update={"uv": "unwrapped"}), setting, beside_scene(folder))
    out = Path(args.out)
    if out.suffix.lower() != ".glb":
        raise InputError(
            f"cannot write '{out.suffix or out.name}' files", where="--out", remedy="End the file name with .glb"
        )
    write_glb(out, mesh, name=Path(document.file).stem)
