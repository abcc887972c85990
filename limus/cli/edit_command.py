"""``limus edit``: one edit of a scene document, by the commands that the interface uses."""

from __future__ import annotations

import argparse
import json
import types
from pathlib import Path
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from limus.commands.command import Command
from limus.commands.draft import Ground, of_the_program
from limus.commands.edit import COMMANDS, command_of, edited
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.document.difference import difference
from limus.document.scene import Scene, load_scene
from limus.document.treatment import Treatment, treatment_from
from limus.formats.files import bytes_of, write_whole


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options: the scene, and a parser for each command from the fields it declares."""
    parser.add_argument("scene", help="the scene document; it is written in place unless --out names another file")
    _output(parser, None, False)
    verbs = parser.add_subparsers(required=True, dest="verb", metavar="EDIT", parser_class=type(parser))
    for name, command in COMMANDS.items():
        about = (command.__doc__ or "").strip().split("\n")[0]
        one = verbs.add_parser(name, help=about, description=about)
        # Before the edit or behind it.
        _output(one, argparse.SUPPRESS, argparse.SUPPRESS)
        for field, info in command.model_fields.items():
            if field != "kind":
                _option(one, command, field, info.annotation, info.is_required(), info.description or "")


def _output(parser: argparse.ArgumentParser, out: Any, as_json: Any) -> None:
    parser.add_argument("--out", metavar="FILE", default=out, help="write here, and leave the scene as it is")
    parser.add_argument(
        "--json", action="store_true", default=as_json, help="print what changed, as steps, instead of a line"
    )


def _option(
    parser: argparse.ArgumentParser, command: type[Command], field: str, annotation: Any, needed: bool, about: str
) -> None:
    """A field as an argument: by its place where the command takes it without a name, else by ``--name``."""
    by_place = field in command.words
    name = field if by_place else f"--{field.replace('_', '-')}"
    more: dict[str, Any] = {"help": about.replace("%", "%%")}
    kinds = set(_kinds(annotation))
    if bool in kinds and not by_place:
        more["action"] = argparse.BooleanOptionalAction
        more["default"] = None
    elif dict in kinds and str not in kinds:
        more |= {"nargs": "*" if by_place else "+", "metavar": "NAME=VALUE"}
    elif list in kinds:
        more["nargs"] = "+"
    if by_place and "nargs" not in more and not needed:
        more["nargs"] = "?"
    if not by_place:
        more["dest"] = field
        if needed:
            more["required"] = True
    parser.add_argument(name, **more)


def _kinds(annotation: Any) -> list[Any]:
    """The plain types that an annotation is made of."""
    origin = get_origin(annotation)
    if origin is Annotated:
        return _kinds(get_args(annotation)[0])
    if origin in (Union, types.UnionType):
        return [kind for inner in get_args(annotation) for kind in _kinds(inner)]
    if origin is Literal:
        return [str]
    return [list if origin in (list, tuple) else dict if origin is dict else annotation]


def _value(annotation: Any, given: Any) -> Any:
    """What was typed, as the field takes it: a text where it holds texts, else JSON."""
    kinds = set(_kinds(annotation))
    if dict in kinds and isinstance(given, list):
        return dict(_pair(text) for text in given)
    if isinstance(given, list):
        inner = next((a for a in get_args(_bare(annotation)) if a is not Ellipsis), str)
        return [_value(inner, one) for one in given]
    if not isinstance(given, str) or (str in kinds and not given.lstrip().startswith("{")):
        return given
    return _json(given)


def _bare(annotation: Any) -> Any:
    """Without marks and without the choice of None."""
    if get_origin(annotation) is Annotated:
        return _bare(get_args(annotation)[0])
    if get_origin(annotation) in (Union, types.UnionType):
        return next((_bare(a) for a in get_args(annotation) if a is not type(None)), str)
    return annotation


def _pair(text: str) -> tuple[str, Any]:
    name, equals, value = text.partition("=")
    if not equals:
        raise InputError(
            f"'{text}' is not NAME=VALUE", where="edit", remedy="For example: layers[rust].effect.years=20"
        )
    return name, _json(value)


def _json(text: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        return text


def _treatment(name: str) -> Treatment:
    """A treatment that ships, or a file."""
    if name.lower().endswith(".json"):
        return treatment_from(bytes_of(Path(name)), Path(name).name)
    return of_the_program(name)


def _size(scene: Scene, folder: Path) -> ObjectSize:
    """Of the object, which is read only for edits that hang on it."""
    from limus.intake.preparation import beside_scene
    from limus.playing.session import Session

    return Session(scene, beside_scene(folder)).size


def run(args: argparse.Namespace) -> None:
    """Make the edit."""
    path = Path(args.scene)
    scene = load_scene(path)
    fields = COMMANDS[args.verb].model_fields
    given = {
        name: _value(info.annotation, getattr(args, name))
        for name, info in fields.items()
        if name != "kind" and getattr(args, name, None) is not None
    }
    before = scene.model_dump(mode="json")
    ground = Ground(lambda: _size(scene, path.parent), _treatment)
    done = edited(before, command_of(args.verb, given), ground)
    out = Path(args.out) if args.out else path
    write_whole(out, (done.scene.model_dump_json(indent=2) + "\n").encode())
    if args.json:
        change = difference(before, done.document)[0]
        print(json.dumps({"label": done.label, "made": done.made, "notes": done.notes, "change": change}, indent=1))
        return
    made = f" ({', '.join(f'{what} {name}' for what, name in done.made.items() if name != -1)})" if done.made else ""
    print(f"{out}: {done.label}{made}")
    for note in done.notes:
        print(f"  Note: {note}.")
