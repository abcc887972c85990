"""Making an edit: a command by its name and arguments, on a document, to the next document and what is different."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from limus import commands
from limus.commands.command import Command
from limus.commands.draft import Draft, Ground, Json
from limus.common.errors import InputError
from limus.common.refusal import first_refusal, refuse_odd_text
from limus.common.registry import discover
from limus.common.wording import one_of
from limus.document.scene import Scene, scene_from

#: Every command by its name.
COMMANDS: dict[str, type[Command]] = discover(commands, Command)
#: Bytes of the arguments of a command at most, as JSON.
MOST_BYTES = 4 << 20


@dataclass(frozen=True)
class Edited:
    """``scene`` after the edit and the same as plain ``document``; ``label`` says what was done; ``made`` and
    ``notes`` as in ``Draft``.
    """

    scene: Scene
    document: Json
    label: str
    made: Json
    notes: list[str]


def command_of(name: str, arguments: Any) -> Command:
    """The command, checked.

    Raises
    ------
    InputError : there is none of that name, or an argument is wrong; with its path.
    """
    kind = COMMANDS.get(name)
    if kind is None:
        raise InputError(f"there is no command '{name}'", where="name", remedy=one_of(COMMANDS, name))
    if not isinstance(arguments, dict):
        raise InputError("are no table", where="arguments", remedy="Give every argument by its name")
    refuse_odd_text(arguments, "arguments")
    if len(json.dumps(arguments, default=str)) > MOST_BYTES:
        raise InputError(f"are more than {MOST_BYTES >> 20} MB", where="arguments", remedy="Make several smaller edits")
    try:
        return kind.model_validate({**arguments, "kind": name})
    except ValidationError as error:
        raise first_refusal(error).error("arguments") from error


def edited(document: Json, command: Command, ground: Ground) -> Edited:
    """The document after one command; the one given stays as it is.

    Parameters
    ----------
    document : a scene, plain and whole, as ``Scene.model_dump(mode="json")`` gives it.

    Raises
    ------
    InputError : the command names what is not there, or what it leaves is no scene; with the path of the field.
    """
    draft = Draft.of(document, ground)
    label = _made(draft, command)
    scene = scene_from(draft.document, "scene")
    return Edited(scene, scene.model_dump(mode="json"), label, draft.made, draft.notes)


def changed(document: Json, edits: list[Command], ground: Ground) -> Scene:
    """The scene after several commands, for looking at it: only what the last one leaves is checked. Raises as
    ``edited`` does.
    """
    draft = Draft.of(document, ground)
    for command in edits:
        _made(draft, command)
    return scene_from(draft.document, "scene")


def _made(draft: Draft, command: Command) -> str:
    try:
        label = command.change(draft)
        draft.settle()
    except ValidationError as error:
        raise first_refusal(error).error(command.kind) from error
    except (KeyError, TypeError, IndexError, AttributeError, ValueError) as error:
        if isinstance(error, InputError):
            raise
        # A value of a wrong shape, put there by this command: what it leaves is no scene, and saying so names the
        # field.
        scene_from(draft.document, "scene")
        raise InputError("does not fit the scene", where=command.kind, remedy="Check its arguments") from error
    return label
