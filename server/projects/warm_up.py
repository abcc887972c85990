"""Doing once, before anybody waits, what the first evaluation of a process costs extra: compiled code, texels, readings."""

from __future__ import annotations

import logging
import threading

from django.db import connection

from server.api.evaluation import Evaluator
from server.projects.models import SceneVersion, WorkObject
from server.projects.workshop import workshop

log = logging.getLogger(__name__)


def evaluate_once(item: WorkObject, resolution: int) -> bool:
    """Evaluate the saved scene with everything the view asks for; False where the object has not been measured."""
    shop = workshop()
    scene = item.scene()
    found = shop.measured(scene)
    if found is None:
        return False
    chronicle = shop.chronicle(scene, found[2], resolution, weather=True)
    work = Evaluator(chronicle, scene, item.project.owner_id, shop.maps, shop.cache)
    chapters = chronicle.play(scene)
    pile = chapters[-1].pile if chapters else chronicle.as_made(scene)
    work.lit(pile)
    work.layers(chapters, pictures=True)
    work.coats(pile, pictures=True)
    work.small_pictures(chapters, pile)
    if scene.layers:
        work.where(scene.layers[0].id, chapters, pictures=True)
    return True


def _run() -> None:
    try:
        newest = SceneVersion.objects.order_by("-id").first()
        if newest is not None:
            item = WorkObject.objects.select_related("project", "head").get(pk=newest.object_id)
            with workshop().room:
                evaluate_once(item, 512)
    except Exception:
        # Only a convenience: whoever opens the object will see what is wrong with it.
        log.warning("warming up failed", exc_info=True)
    finally:
        connection.close()


def in_background() -> None:
    """Warm up the object that was worked on last, in a thread."""
    threading.Thread(target=_run, name="warm-up", daemon=True).start()
