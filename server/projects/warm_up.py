"""Doing once, before anybody waits, what the first evaluation of a process costs extra: compiled code, texels,
readings.
"""

from __future__ import annotations

import logging
import threading

import numpy as np
from django.db import connection

from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, Scene
from limus.effects.catalogue import EFFECTS
from limus.intake.object_file import ObjectFile
from limus.looks.answer import Question
from limus.looks.answering import answer
from limus.masks.hand.painting import Canvas, footprint
from limus.masks.hand.stroke import Stroke
from limus.masks.hand.vertex_paint import vertex_canvas
from limus.masks.recipe import SOURCES, Term
from limus.masks.source import Scope
from limus.masks.sources.picks import Pick, Picks
from limus.playing.chronicle import Chronicle
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh, Part
from limus.surface.pyramid import texels_of
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
    """Compile what every effect, drawing by hand and the rarer patterns need, on a small plate; kept on disk for the
    next start, and loaded from there before anybody waits for it.
    """
    plate = Mesh(
        positions=np.array([[0, 0, 0], [0.1, 0, 0], [0.1, 0, 0.1], [0, 0, 0.1]], np.float32),
        normals=np.tile(np.array([[0, 1, 0]], np.float32), (4, 1)),
        triangles=np.array([[0, 2, 1], [0, 3, 2]], np.int32),
        uv=np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]], np.float32),
        parts=(Part("plate", 0, 2, 0),),
    )
    texels = texels_of(plate, 64)
    size = ObjectSize(plate.diagonal)
    layers = [
        Layer(id=kind, name=kind, effect=effect.fitted(size), where=effect.default_where(size))
        for kind, effect in EFFECTS.items()
    ]
    scene = Scene(object=ObjectFile(file="plate"), layers=layers)
    chronicle = Chronicle(texels, Measured.blank(texels), Store(), measure_exposure(texels, scene.setting, rays=4))
    chronicle.finish(chronicle.play(scene)[-1].pile)
    footprint(Canvas.of(texels), Stroke(points=[(0.05, 0, 0.05, 0, 1, 0, 1, 0, 0)]))
    footprint(vertex_canvas(plate), Stroke(points=[(0.05, 0, 0.05, 0, 1, 0, 1, 0, 0)]))
    scope = Scope(Place(texels, Measured.blank(texels), Setting()), Store(), 1)
    for kind in ("noise", "cells", "speckle", "scratches", "pieces"):
        SOURCES[kind]().value(scope)
    picked = Pick(at=(0.05, 0.0, 0.05), facing=(0.0, 1.0, 0.0))
    curve = [(0.0, 0.0), (0.5, 0.4), (1.0, 1.0)]
    Term(
        source=Picks(picks=[picked]), grow_mm=4.0, breakup_mm=4.0, curve=curve, cover=0.4, sharpen=0.5, soften_mm=2.0
    ).value(scope)


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
