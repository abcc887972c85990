"""Answering the view: a session is asked a ``Question`` and gives an ``Answered``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from limus.common.errors import InputError
from limus.common.store import give_back
from limus.looks.answer import Answer, CoatAnswer, LayerAnswer, Question
from limus.looks.close import densest
from limus.looks.gallery import Blob, Gallery
from limus.looks.maps import finished_maps, look_through
from limus.looks.seen import BASE, Seen, moment
from limus.looks.small import (
    READING_CARD,
    bases_shown,
    channel_pictures,
    channels_shown,
    coats_shown,
    families_exposed,
    layer_cards,
    list_pictures,
    reading_pictures,
    recipe_shown,
    uv_pictures,
)
from limus.playing.as_made import lies_on
from limus.playing.measuring import Readings
from limus.playing.session import Session
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.readings.reading import asks_weather

#: Texels from which on the arrays that an answer works with are worth giving back.
LARGE = 1 << 21


@dataclass(frozen=True)
class Answered:
    """``answer``, and the pictures it names."""

    answer: Answer
    pictures: dict[str, Blob]


def hidden_notes(layers: list[LayerAnswer], coats: list[CoatAnswer], clear: set[str]) -> None:
    """Say of layers that left a coat which nobody sees today; those that left a ``clear`` one never show as a coat."""
    shares: dict[str, float] = {}
    for coat in coats:
        shares[coat.layer] = shares.get(coat.layer, 0.0) + coat.share
    for layer in layers:
        if (
            not layer.note
            and layer.id in shares
            and layer.id not in clear
            and layer.coverage > 0.001
            and shares[layer.id] < 0.0005
        ):
            layer.note = "Nothing of it shows today: later layers hide it"


def answer(session: Session, question: Question, check: Callable[[], None] = lambda: None) -> Answered | None:
    """The weathered surface, as the Weather stage looks at it; None while the object has not been measured.

    ``check`` is called between steps and may raise ``Cancelled``.
    """
    check()
    readings = session.measuring.best()
    if readings is None:
        return None
    weather = session.scene.asks_for_weather or question.weather
    chronicle = session.chronicle(readings.measured, question.resolution, weather=weather)
    chapters = chronicle.play(session.scene, check=check)
    pile = moment(session, chapters, question.until, chronicle.as_made(session.scene))
    check()
    seen, gallery = Seen(session, chronicle, pile, chapters), Gallery(session.store)
    coats = coats_shown(seen, gallery, pictures=question.pictures)
    layers = layer_cards(seen, gallery, pictures=question.pictures)
    hidden_notes(layers, coats, {coat.layer for coat in pile.coats if coat.substance.clear})
    out = Answer(
        resolution=chronicle.texels.size,
        readings=readings.quality if readings.exact else "outdated",
        texel_mm=chronicle.texels.texel_mm,
        densest=densest(chronicle.texels.texel_mm, chronicle.texels.size),
        maps=finished_maps(seen, gallery, relief=question.relief) if question.look.kind == "lit" else None,
        look=look_through(seen, gallery, question.look),
        layers=layers,
        coats=coats,
        where=recipe_shown(seen, gallery, question.selected) if question.selected else None,
        pictures=list_pictures(seen, gallery) if question.pictures else {},
        channels=channels_shown(seen) if question.pictures else {},
        exposed=families_exposed(seen) if question.pictures else {},
    )
    pictures = gallery.pictures
    if len(chronicle.texels) > LARGE:
        # Before the next one begins: what this one worked with is not kept.
        del seen, gallery, chapters, pile
        give_back()
    return Answered(out, pictures)


def answer_as_made(session: Session, question: Question, check: Callable[[], None] = lambda: None) -> Answered:
    """The object as made, a reading, or its UVs, without playing the chronicle. Works before anything was measured,
    as far as it can.

    Raises
    ------
    InputError : a reading that has not been measured yet.
    """
    check()
    readings: Readings | None = session.measuring.best()
    reading = READINGS.get(question.look.name) if question.look.kind == "reading" else None
    if (
        readings is None
        and reading is not None
        and any(what != "colours" for what in reading.reads if not what.startswith("setting"))
    ):
        raise InputError(
            "this reading has not been measured yet", where="look.name", remedy="Wait for the draft readings"
        )
    scene = session.scene
    measured = readings.measured if readings is not None else Measured.blank(session.texels(question.resolution))
    needs = frozenset().union(*(base.where.needs for base in session.scene.bases if base.where is not None))
    if readings is None and needs:
        # Until something is measured, what lies by a mask that looks at readings is left out.
        # It stays in the list, on no part, so that the others keep their numbers.
        gone: dict[str, object] = {"where": None, "parts": []}
        plain = [b.model_copy(update=gone) if b.where is not None and b.where.needs else b for b in session.scene.bases]
        session = session.showing(session.scene.model_copy(update={"bases": plain}))
    weather = readings is not None and (question.weather or asks_weather(needs))
    chronicle = session.chronicle(measured, question.resolution, weather=weather)
    pile = chronicle.as_made(session.scene)
    check()
    seen, gallery = Seen(session, chronicle, pile, []), Gallery(session.store)
    pictures: dict[str, str] = {}
    if question.pictures:
        pictures = channel_pictures(seen, gallery) if question.bases else uv_pictures(seen, gallery)
        if readings is not None and not question.bases:
            pictures |= reading_pictures(seen, gallery, READING_CARD)
    out = Answer(
        resolution=chronicle.texels.size,
        readings="missing" if readings is None else readings.quality if readings.exact else "outdated",
        texel_mm=chronicle.texels.texel_mm,
        densest=densest(chronicle.texels.texel_mm, chronicle.texels.size),
        maps=finished_maps(seen, gallery, relief=question.relief) if question.look.kind == "lit" else None,
        look=look_through(seen, gallery, question.look),
        layers=[],
        coats=[],
        pictures=pictures,
        bases=bases_shown(seen, gallery) if question.bases else [],
        where=recipe_shown(seen, gallery, question.selected) if question.selected.startswith(BASE) else None,
        lies_on=lies_on(scene, session.mesh) if question.bases else [],
        channels=channels_shown(seen) if question.bases else {},
    )
    return Answered(out, gallery.pictures)
