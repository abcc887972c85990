"""Who answers views: this process, or, with ``LIMUS_SCHEDULER``, the workers of a Dask scheduler."""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings
from pydantic import BaseModel

from limus.afar.question import Kind
from limus.document.scene import Scene
from limus.looks.answer import Question
from limus.looks.answering import answer, answer_as_made
from limus.looks.close import CloseQuestion, close_up
from limus.playing.session import Session
from server.projects.data_files import find
from server.projects.gate import Gate, gate
from server.projects.workshop import session_of

#: Answers a question of a kind; see ``limus.afar.asking.Far.ask``.
Ask = Callable[[Kind, BaseModel, Callable[[], None], Collection[str]], Any]
_lock = threading.Lock()
_far: Any = None
#: Turns at each worker, by its address; objects that it answered for, with the resolution.
_gates: dict[str, Gate] = {}
_warm: set[tuple[str, str, int]] = set()


def far() -> Any:
    """The workers of the scheduler that the settings name; None without one."""
    global _far
    if not settings.SCHEDULER:
        return None
    with _lock:
        if _far is None:
            # Dask is loaded where it is used.
            from limus.afar.asking import Far

            _far = Far(settings.SCHEDULER, find, settings.READINGS_RESOLUTION)
        return _far


def let_go() -> None:
    """End what connects this process with the scheduler; it is made anew when it is needed."""
    global _far
    with _lock:
        gone, _far = _far, None
        _gates.clear()
        _warm.clear()
    if gone is not None:
        gone.close()


def _gate_of(worker: str, slots: int) -> Gate:
    with _lock:
        return _gates.setdefault(worker, Gate(slots))


def _at_home(session: Session, kind: Kind, question: Any, check: Callable[[], None]) -> Any:
    if kind == "close":
        return close_up(session, question, check)
    return (answer if kind == "answer" else answer_as_made)(session, question, check)


@contextmanager
def turn(scene: Scene, resolution: int, gone: Callable[[], bool], person: int | None, tab: str) -> Iterator[Ask]:
    """Wait for a turn to have something answered about a scene, see ``Gate.turn``, and hold it.

    Raises
    ------
    Cancelled : whoever asked has moved on.
    """
    away = far()
    place = None
    if away is not None:
        from limus.afar.asking import Away

        try:
            place, slots = away.place(scene), away.workers()
        except Away:
            place = None
    if place is None:
        session = session_of(scene)
        with gate.turn(resolution, lambda: session.is_warm(resolution), gone, person=person, tab=tab):
            yield lambda kind, question, check, has: _at_home(session, kind, question, check)
        return
    known = (place, session_of(scene).object_key, resolution)
    with _gate_of(place, slots.get(place, 1)).turn(resolution, lambda: known in _warm, gone, person=person, tab=tab):

        def ask(kind: Kind, question: BaseModel, check: Callable[[], None], has: Collection[str]) -> Any:
            asked = CloseQuestion if kind == "close" else Question
            plain = question.model_dump(mode="json", include=set(asked.model_fields))
            try:
                out = away.ask(kind, scene, plain, check, has)
            except Away:
                session = session_of(scene)
                with gate.turn(resolution, lambda: session.is_warm(resolution), gone, person=person, tab=tab):
                    return _at_home(session, kind, question, check)
            with _lock:
                if len(_warm) > 5000:
                    _warm.clear()
                _warm.add(known)
            return out

        yield ask
