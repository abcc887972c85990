"""The small pictures of the interface: cards, lists, lines of recipes."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np

from limus.bases.choice import BaseChoice
from limus.common.hashing import key_of
from limus.looks.answer import BaseAnswer, CoatAnswer, FrameAnswer, LayerAnswer, TermAnswer, WhereAnswer
from limus.looks.catalogue import shown
from limus.looks.gallery import Gallery
from limus.looks.look import Look
from limus.looks.seen import Seen
from limus.masks.coverage import histogram
from limus.materials.channels import CHANNELS
from limus.materials.encode import in_use
from limus.materials.substance import FAMILIES
from limus.playing.chronicle import Chapter
from limus.readings.catalogue import READINGS
from limus.readings.reading import asks_weather
from limus.review.base_review import said_of
from limus.review.close_view import close_view, outstanding
from limus.review.moment import moment_picture
from limus.review.picture import Picture
from limus.review.uv_look import UV_LOOKS

#: CSS pixels of the pictures on cards, on cards of readings, and in lists.
CARD = (118, 58)
READING_CARD = (118, 76)
THUMB = (26, 26)


def _whole(seen: Seen, width: int, height: int) -> Picture:
    # Two pixels for each of CSS, two rays for each pixel along each side.
    texels = seen.chronicle.texels
    found: Picture = seen.session.store.get(
        key_of("picture", texels.key, width, height), lambda: Picture.of(texels, width * 2, height * 2, supersample=2)
    )
    return found


def list_pictures(seen: Seen, gallery: Gallery) -> dict[str, str]:
    """Pictures for the list of looks: the surface, its channels in use, and the readings."""
    thumb = _whole(seen, *THUMB)
    lit = gallery.small(
        key_of("lit", seen.surface_key), lambda: moment_picture(seen.pile, thumb, seen.chronicle.occlusion())
    )
    return {"lit": lit, **channel_pictures(seen, gallery), **reading_pictures(seen, gallery)}


def channels_shown(seen: Seen) -> dict[str, str]:
    """Channels worth looking through, with their titles: the usual ones, and what else is in use."""
    used = {c.name: c.title for c in in_use(seen.chronicle.finish(seen.pile).sheet)}
    usual = {name: CHANNELS[name].title for name in ("base_color", "roughness", "metalness")}
    return usual | {"relief": "Relief", "normal": "Normal", "ambient_occlusion": "Ambient occlusion"} | used


def _thumb(seen: Seen, gallery: Gallery, key: str, look: Look, size: tuple[int, int] = THUMB) -> str:
    view = _whole(seen, *size)
    return gallery.small(key_of("thumb", size, key), lambda: view.show(shown(seen, look).small()))


def channel_pictures(seen: Seen, gallery: Gallery) -> dict[str, str]:
    """Small pictures of the channels in use."""
    return {
        f"channel:{name}": _thumb(
            seen, gallery, key_of("channel", name, seen.surface_key), Look(kind="channel", name=name)
        )
        for name in channels_shown(seen)
    }


def reading_pictures(seen: Seen, gallery: Gallery, size: tuple[int, int] = THUMB) -> dict[str, str]:
    """Small pictures of every reading that has something to say of this object."""
    place = seen.chronicle.place(seen.session.scene)
    return {
        f"reading:{name}": _thumb(
            seen, gallery, key_of("reading", place.key_for(reading.reads), name), Look(kind="reading", name=name), size
        )
        for name, reading in READINGS.items()
        if not reading.missing(place) and not (asks_weather(reading.reads) and place.exposure is None)
    }


def uv_pictures(seen: Seen, gallery: Gallery) -> dict[str, str]:
    """Small pictures of the UVs."""
    key = seen.chronicle.texels.key
    return {
        f"uv:{name}": _thumb(seen, gallery, key_of("uv", name, key), Look(kind="uv", name=name)) for name in UV_LOOKS
    }


def layer_cards(seen: Seen, gallery: Gallery, *, pictures: bool) -> list[LayerAnswer]:
    """Coverages, notes, and a picture of what each layer did, where it did most."""
    out = []
    for chapter in seen.chapters:
        name = ""
        if pictures:
            key = key_of("card", chapter.pile.key, seen.chronicle.measured.key)
            name = gallery.small(key, lambda c=chapter: _card(seen, c))  # type: ignore[misc]
        frame = FrameAnswer(**asdict(chapter.frame)) if chapter.frame is not None else None
        out.append(
            LayerAnswer(
                id=chapter.layer.id,
                coverage=chapter.coverage,
                placed=chapter.placed,
                note=chapter.note,
                speaks=list(chapter.speaks),
                ranges=dict(chapter.ranges),
                picture=name,
                frame=frame,
            )
        )
    return out


def _card(seen: Seen, chapter: Chapter) -> np.ndarray:
    width, height = CARD[0] * 2, CARD[1] * 2
    texels, store = seen.chronicle.texels, seen.session.store
    view = close_view(texels, chapter.shown, width, height, store).picture(texels, width, height, store)
    moment = moment_picture(chapter.pile, view, seen.chronicle.occlusion())
    # What lies nearly everywhere is seen as it is.
    return moment if chapter.coverage > 0.6 else outstanding(moment, view.show(chapter.shown))


def coats_shown(seen: Seen, gallery: Gallery, *, pictures: bool) -> list[CoatAnswer]:
    """Bare base and coats, newest first, with what shows of them today."""
    thumb = _whole(seen, *THUMB) if pictures else None
    out = []
    for coat, name, exposure in seen.chronicle.exposures(seen.pile):
        picture = ""
        if thumb is not None:
            picture = gallery.small(key_of("coat", coat, seen.pile.key), lambda e=exposure: thumb.show(e))  # type: ignore[misc]
        share = seen.chronicle.texels.share(exposure)
        out.append(CoatAnswer(id=coat, layer=coat.split("/")[0], name=name, share=share, picture=picture))
    return out


def families_exposed(seen: Seen) -> dict[str, float]:
    """Families of substances that are there, and the share of the surface where each shows today."""
    pile = seen.pile
    here = {s.family for s in pile.substances} | {c.substance.family for c in pile.coats}
    return {
        family: seen.session.store.get(
            key_of("exposed", family, pile.key),
            lambda f=family: seen.chronicle.texels.share(pile.exposed(f)),  # type: ignore[misc]
        )
        for family in FAMILIES
        if family in here
    }


def recipe_shown(seen: Seen, gallery: Gallery, name: str) -> WhereAnswer | None:
    """The recipe of the selected layer, episode or base, line by line; its small pictures follow every drag."""
    found = seen.recipe(name)
    if found is None:
        return None
    thumb = _whole(seen, *THUMB)
    texels = seen.chronicle.texels

    def line(values: np.ndarray) -> tuple[list[float], float, str]:
        return histogram(values, texels.area, 24), texels.share(values), gallery.drawn(thumb.show(values))

    terms = []
    for term in found.recipe.terms:
        bars, share, picture = line(term.value(found.scope))
        held = term.source.frame(found.scope)
        frame = FrameAnswer(**asdict(held)) if held is not None else None
        finding = term.finding(found.scope)
        terms.append(TermAnswer(histogram=bars, share=share, picture=picture, finding=finding, frame=frame))
    bars, share, picture = line(found.mask)
    acted = "" if found.acted is None else gallery.drawn(thumb.show(found.acted))
    return WhereAnswer(share=share, histogram=bars, picture=picture, acted=acted, terms=terms)


def bases_shown(seen: Seen, gallery: Gallery) -> list[BaseAnswer]:
    """What there is to say of each base that lies on the surface."""
    thumb = _whole(seen, *THUMB)
    scene, pile = seen.session.scene, seen.pile
    out = []
    for k, number in enumerate(pile.marks.order):
        here = (pile.substance == k).astype(np.float32)
        found = said_of(scene.bases[number] if scene.bases else BaseChoice(), pile, here, seen.session)
        name = gallery.small(key_of("base", number, pile.key), lambda h=here: thumb.show(h))  # type: ignore[misc]
        out.append(
            BaseAnswer(
                index=number,
                title=found.title,
                share=seen.chronicle.texels.share(here),
                relief_mm=found.relief_mm,
                color=found.color,
                repetition=found.repetition,
                notes=found.notes,
                picture=name,
            )
        )
    return out
