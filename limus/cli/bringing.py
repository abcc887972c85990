"""The object that a command works on: of a file, or of a scene document."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from limus.cli.numbers import scale
from limus.common.errors import InputError
from limus.common.refusal import first_refusal
from limus.common.wording import one_of
from limus.document.scene import load_scene
from limus.formats.read import SUFFIXES, usual_up
from limus.intake.object_file import ObjectFile, Twin
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh


def bringing(parser: argparse.ArgumentParser) -> None:
    """Options of commands that take an object."""
    parser.add_argument("object", help=f"a file ({', '.join(SUFFIXES)}), or a scene (.json) for its object")
    parser.add_argument("--scale", type=scale, metavar="M", help="metres per unit of the file, e.g. 0.001")
    parser.add_argument("--second-uv", action="store_true", help="work on the second UV set of the file")
    parser.add_argument("--up", choices=["+y", "-y", "+z", "-z", "+x", "-x"], help="axis of the file that points up")


def brought(args: argparse.Namespace) -> tuple[ObjectFile, Setting, Path]:
    """The object of a file or of a scene document with what the options change about it, its setting, and the folder
    it lies in.
    """
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
            print(
                say,
                file=sys.stderr if getattr(args, "json", False) or args.command in ("measure", "mask") else sys.stdout,
            )
    changes: dict[str, Any] = {}
    if args.scale is not None:
        changes["scale"] = args.scale
    if args.second_uv:
        changes["uv"] = "second"
    if getattr(args, "unwrap", False):
        changes["uv"] = "unwrapped"
    if getattr(args, "twin", None):
        changes["twin"] = Twin(file=str(Path(args.twin).resolve()), reach_mm=args.twin_reach)
    setting = _setting(
        getattr(args, "setting", []), setting if args.up is None else setting.model_copy(update={"up": args.up})
    )
    return document.model_copy(update=changes), setting, path.parent


def _setting(pairs: list[str], base: Setting) -> Setting:
    """``base`` changed by ``--setting latitude=52 --setting day=172``."""
    given: dict[str, Any] = base.model_dump()
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise InputError(
                f"'{pair}' is not NAME=VALUE", where="--setting", remedy="For example: --setting latitude=52"
            )
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


def page_named(mesh: Mesh, wanted: str | None) -> int:
    """Number of the map set with this name, by default the first."""
    names = list(mesh.uv_domains)
    if wanted is None:
        return 0
    if wanted not in names:
        raise InputError(f"there is no map set '{wanted}'", where="--map-set", remedy=one_of(names, wanted))
    return names.index(wanted)
