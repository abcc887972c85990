"""On a worker: a question of the view about one scene, answered from what lies here, or what is missing here named."""

from __future__ import annotations

import json
import os
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Literal

from limus import __version__
from limus.afar.machines import own_folder, own_memory
from limus.common.errors import Cancelled, InputError
from limus.common.store import shared
from limus.document.scene import scene_from
from limus.formats.files import write_whole
from limus.looks.answer import Question
from limus.looks.answering import Answered, answer, answer_as_made
from limus.looks.close import CloseQuestion, close_up
from limus.playing.session import Session
from limus.readings.kept import bringing

#: What is asked: the surface, the object as it was made, tiles near by.
Kind = Literal["answer", "as made", "close"]
#: Begins the names of kept files (readings, unwrapped UVs); the others are files that the scene names.
KEPT = "kept:"
#: Questions that nobody waits for any more, by their tokens; as many as can be under way are remembered.
_dropped: dict[str, None] = {}
_held: dict[str, None] = {}
_lock = threading.Lock()


@dataclass(frozen=True)
class Asked:
    """A question, and all that it hangs on but files.

    ``token`` names it, so that it can be dropped; ``missing`` are kept files that were made nowhere; ``has`` pictures
    that need not come back.
    """

    edition: str
    kind: Kind
    scene: str
    question: dict[str, Any]
    good: int
    token: str
    missing: frozenset[str]
    has: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Reply:
    """``worker`` that answered, and its ``answer`` (None: not measured yet); or the file that it ``wants`` first."""

    worker: str
    answer: Any = None
    wants: str = ""


class _Wanted(Exception):
    """A file that lies elsewhere."""


@cache
def _prepared(folder: Path) -> None:
    """Once in a process: readings lie with the worker, and it holds no more than it may."""
    os.environ["LIMUS_CACHE"] = str(folder / "readings")
    limit = own_memory()
    if limit is not None:
        # The rest is for what is under way.
        shared().budget = min(shared().budget, limit // 2)


def asked_here(asked: Asked) -> Reply:
    """Answer, or say what is wanted for it.

    Raises
    ------
    Cancelled : it was dropped. InputError : as the same question at home; another edition.
    """
    from distributed import get_worker

    if asked.edition != __version__:
        raise InputError(f"this worker has Limus {__version__}", remedy=f"Install {asked.edition} on it")
    folder, me = own_folder() / "limus-view", str(get_worker().address)
    _prepared(folder)

    def check() -> None:
        if asked.token in _dropped:
            raise Cancelled

    def find(name: str) -> Path:
        path = _inside(folder, name)
        if not path.is_file():
            raise _Wanted(name)
        return path

    def bring(name: str) -> None:
        if name not in asked.missing:
            raise _Wanted(f"{KEPT}{name}")

    check()
    session = Session(scene_from(json.loads(asked.scene), "scene", trusted=True), find, good=asked.good)
    _held[session.object_key] = None
    try:
        with bringing(bring), shared().visit():
            return Reply(me, _answer(asked, session, check))
    except _Wanted as wanted:
        return Reply(me, wants=str(wanted))


def _answer(asked: Asked, session: Session, check: Callable[[], None]) -> Any:
    if asked.kind == "close":
        return close_up(session, CloseQuestion.model_validate(asked.question), check)
    by = answer if asked.kind == "answer" else answer_as_made
    found = by(session, Question.model_validate(asked.question), check)
    if found is None:
        return None
    return Answered(found.answer, {name: blob for name, blob in found.pictures.items() if name not in asked.has})


def put_here(files: Mapping[str, bytes]) -> None:
    """Keep files under the names that ``Reply.wants`` has."""
    folder = own_folder() / "limus-view"
    for name, data in files.items():
        place = folder / "readings" if name.startswith(KEPT) else folder
        write_whole(_inside(place, name.removeprefix(KEPT)), data)


def drop_here(token: str) -> None:
    """Whatever is under way for this token ends at its next step."""
    with _lock:
        _dropped[token] = None
        while len(_dropped) > 500:
            _dropped.pop(next(iter(_dropped)))


def _inside(folder: Path, name: str) -> Path:
    if name.startswith("/") or {"..", "."} & set(name.split("/")) or "\0" in name:
        raise InputError(f"'{name[:120]}' is no file of this server", where="file", remedy="Bring the file in first")
    return folder / name


def held_here() -> list[str]:
    """Keys of the objects that this worker answered for."""
    return list(_held)
