"""Doing once, before anybody waits, what the first evaluation of a process costs extra: compiled code, texels,
readings.
"""

from __future__ import annotations

import logging
import threading

from django.db import connection

from limus.common.compiling import compile_lines, listed
from limus.looks.answer import Question
from limus.looks.answering import answer
from server.projects.gate import gate
from server.projects.models import SceneVersion, WorkObject
from server.projects.workshop import session_of

log = logging.getLogger(__name__)


def evaluate_once(item: WorkObject, resolution: int) -> bool:
    """Answer everything that the view asks of the saved scene; False where the object has not been measured."""
    session = session_of(item.scene())
    first = session.scene.layers[0].id if session.scene.layers else ""
    question = Question(resolution=resolution, selected=first, pictures=True)
    return answer(session, question) is not None


def compile_once() -> None:
    """Compile every kernel, or load what `limus compile` left on disk, before anybody waits for it."""
    for lines in listed().values():
        compile_lines(lines)


def _run() -> None:
    try:
        with gate.turn(512, lambda: False):
            compile_once()
        newest = SceneVersion.objects.order_by("-id").first()
        if newest is not None:
            item = WorkObject.objects.select_related("project", "head").get(pk=newest.object_id)
            # As the view asks for it when it is opened, the quickest first.
            for size in (256, 512):
                with gate.turn(512, lambda: False):
                    evaluate_once(item, size)
    except Exception:
        # Only a convenience: whoever opens the object will see what is wrong with it.
        log.warning("warming up failed", exc_info=True)
    finally:
        connection.close()


def in_background() -> None:
    """Warm up the object that was worked on last, in a thread."""
    threading.Thread(target=_run, name="warm-up", daemon=True).start()
