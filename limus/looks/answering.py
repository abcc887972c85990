"""Answering the view: a session is asked a ``Question`` and gives an ``Answer``; pictures go to a ``Sink``."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import asdict, dataclass, field
from typing import Protocol

import numpy as np

from limus.bases.choice import BaseChoice
from limus.common.colour import to_srgb
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import give_back
from limus.common.wording import one_of
from limus.document.start import by_ground
from limus.formats.png import png_bytes
from limus.looks.answer import (
    Answer,
    BaseAnswer,
    CoatAnswer,
    FrameAnswer,
    LayerAnswer,
    Look,
    LookAnswer,
    MapsAnswer,
    Question,
    TermAnswer,
    WhereAnswer,
)
from limus.masks.coverage import histogram
from limus.masks.recipe import Recipe
from limus.materials.channels import CHANNELS
from limus.materials.encode import encode_surface, in_use
from limus.materials.substance import FAMILIES
from limus.playing.chronicle import Chapter, Chronicle
from limus.playing.session import Readings, Session
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.readings.reading import asks_weather
from limus.review.base_review import said_of
from limus.review.look import coloured, legend, ramp, rgba
from limus.review.moment import moment_picture
from limus.review.picture import Picture
from limus.review.uv_look import RIGHT, UV_LOOKS, WRONG, checker, density, numbered, overlap, stretch
from limus.strata.pile import Pile


class Sink(Protocol):
    """Where finished pictures go. ``name`` tells sinks apart that do not share their pictures."""

    name: str

    def put(self, data: bytes, media: str) -> str:
        """Keep ``data``; the name it can be fetched by."""
        ...

    def holds(self, names: list[str]) -> bool:
        """Whether all of them can still be fetched."""
        ...


@dataclass(frozen=True)
class Shown:
    """A field to look at: ``values`` for the probe and the ramp, or ``colour`` (n, 3) encoded as it is to be shown."""

    values: np.ndarray | None
    colour: np.ndarray | None
    ramp: str
    low: float
    high: float
    unit: str
    title: str
    words: tuple[str, str] = ("", "")
    components: list[str] = field(default_factory=list)
    about: str = ""

    def small(self) -> np.ndarray:
        """(n, 3) encoded colours for a small picture."""
        if self.colour is not None:
            return self.colour
        assert self.values is not None
        return ramp(self.values, self.low, self.high, self.ramp)


#: Texels from which on the arrays that an answer works with are worth giving back.
LARGE = 1 << 21
CARD = (118, 58)
#: Pictures of readings in the Object stage.
READING_CARD = (118, 76)
THUMB = (26, 26)


#: Channels that renderers take as one number.
_AS_NUMBERS = ("specular_ior", "coat_ior", "thin_film_ior", "transmission_depth", "subsurface_radius", "opacity")


class Answering:
    """One question about a scene, being answered."""

    def __init__(self, session: Session, chronicle: Chronicle, sink: Sink) -> None:
        self.session, self.chronicle, self.sink = session, chronicle, sink
        self.scene, self.store = session.scene, session.store
        self.texels = chronicle.texels

    # -- maps -----------------------------------------------------------------------------------------------------------------

    def _pages(self, pages: np.ndarray) -> list[str]:
        return [self.sink.put(pages[k].tobytes(), "application/octet-stream") for k in range(self.texels.pages)]

    def lit(self, pile: Pile) -> MapsAnswer:
        """The finished maps; encoded once per state of the surface."""
        # Occlusion and the twin's normals come from the readings.
        key = key_of("maps", pile.key, self.chronicle.measured.key, self.sink.name)
        kept: MapsAnswer | None = self.store.peek(key)
        if kept is not None:
            names = [*kept.base_color, *kept.orm, *kept.normal, *(n for group in kept.more.values() for n in group)]
            if self.sink.holds(names):
                return kept
        surface = self.chronicle.finish(pile)
        encoded = encode_surface(self.texels, surface.sheet, surface.normal, surface.occlusion)
        named = {name: self._pages(pages) for name, pages in encoded.items()}
        numbers = {
            channel.name: self.texels.share(np.ascontiguousarray(surface.channel(channel.name), np.float32))
            for channel in in_use(surface.sheet)
            if channel.name in _AS_NUMBERS
        }
        out = MapsAnswer(
            base_color=named.pop("base_color"),
            orm=named.pop("orm"),
            normal=named.pop("normal"),
            more=named,
            numbers=numbers,
            relief_mm=(float(surface.relief.min()), float(surface.relief.max())),
        )
        self.store.put(key, out)
        return out

    def maps(self, pile: Pile, question: Question) -> MapsAnswer:
        """The finished maps, with the relief where it is asked for."""
        maps = self.lit(pile)
        return self.with_relief(maps, pile) if question.relief else maps

    def with_relief(self, maps: MapsAnswer, pile: Pile) -> MapsAnswer:
        """The maps and the relief, for a view that moves the surface by it."""
        key = key_of("relief maps", pile.key, self.texels.key, self.sink.name)
        kept: list[str] | None = self.store.peek(key)
        if kept is None or not self.sink.holds(kept):
            half = np.clip(self.chronicle.finish(pile).relief, -60000, 60000).astype(np.float16)
            kept = self._pages(self.texels.image(half))
            self.store.put(key, kept)
        return maps.model_copy(update={"relief": kept})

    def bases(self, pile: Pile) -> list[BaseAnswer]:
        """What there is to say of each base that lies on the surface."""
        thumb = self._picture(*THUMB, 1.0)
        out = []
        for k, number in enumerate(pile.marks.order):
            here = (pile.substance == k).astype(np.float32)
            found = said_of(self.scene.bases[number] if self.scene.bases else BaseChoice(), pile, here, self.session)
            name = self._kept_png(key_of("base", number, pile.key), lambda h=here: thumb.show(h))  # type: ignore[misc]
            out.append(BaseAnswer(index=number, title=found.title, share=self.texels.share(here), relief_mm=found.relief_mm, color=found.color,
                                  repetition=found.repetition, notes=found.notes, picture=name))  # fmt: skip
        return out

    # -- look-through ---------------------------------------------------------------------------------------------------------

    def channel(self, name: str, pile: Pile) -> Shown:
        """A channel of the finished surface, the relief, the normal, or the ambient occlusion that goes with them."""
        surface = self.chronicle.finish(pile)
        if name == "normal":
            colour = surface.normal * np.float32(0.5) + np.float32(0.5)
            return Shown(None, colour, "", 0, 1, "", "Normal", about="Direction of the surface against its shape, from the relief")
        if name == "relief":
            low, high = (float(np.quantile(surface.relief[:: max(1, len(surface.relief) // 20000)], q)) for q in (0.005, 0.995))
            return Shown(surface.relief, None, "grey", low, max(high, low + 1e-4), "mm", "Relief", ("low", "high"))
        if name == "ambient_occlusion":
            return Shown(np.float32(1) - surface.occlusion, None, "grey", 0, 1, "", "Ambient occlusion", ("closed", "open"))
        channel = CHANNELS.get(name)
        if channel is None:
            have = [*CHANNELS, "relief", "normal", "ambient_occlusion"]
            raise InputError(f"there is no channel '{name}'", where="look.name", remedy=one_of(have, name))
        values = np.ascontiguousarray(surface.channel(name), np.float32)
        if channel.colour:
            return Shown(None, to_srgb(values), "", 0, 1, "", channel.title, about=channel.about)
        if channel.width > 1:
            return Shown(
                values,
                values / max(float(values.max()), 1e-9),
                "",
                0,
                1,
                channel.unit,
                channel.title,
                components=["R", "G", "B"],
                about=channel.about,
            )
        low, high = channel.low, channel.high
        if (low, high) != (0.0, 1.0):
            # The whole range is far wider than what one surface uses of it.
            low, high = float(values.min()), float(values.max())
            low, high = (low, high) if high - low > 1e-6 else (min(low, channel.low), max(high, channel.low + 1e-6))
        return Shown(values, None, channel.ramp, low, high, channel.unit, channel.title, about=channel.about)

    def reading(self, name: str, size_mm: float, component: str = "") -> Shown:
        """A reading, or one component of it."""
        if name not in READINGS:
            raise InputError(f"there is no reading '{name}'", where="look.name", remedy=one_of(READINGS, name))
        reading = READINGS[name]
        if component and component not in reading.components:
            raise InputError(
                f"'{name}' has no component '{component}'",
                where="look.component",
                remedy=one_of(reading.components, component),
            )
        place = self.chronicle.place(self.scene)
        missing = reading.missing(place)
        if missing:
            raise InputError(missing[0].lower() + missing[1:], where=f"look.name: {name}", remedy="Choose another reading")
        size = size_mm or self.session.size.mm(reading.default_size_mm, reading.grows)
        values = self.store.get(
            key_of("reading", place.key_for(reading.reads), name, size),
            lambda: np.ascontiguousarray(reading.value(place, size), np.float32),
        )
        title = f"{reading.title} at {size:g} mm" if reading.size else reading.title
        components = list(reading.components)
        if component:
            values = np.ascontiguousarray(values[:, components.index(component)])
            title, components = f"{title}, {component}", [component]
        high = size if reading.kind in ("thickness", "proximity") else reading.high
        if reading.kind in ("height", "position"):
            high = float(values.max())
        low, high = reading.shown or (reading.low, max(high, reading.low + 1e-6))
        colour: np.ndarray | None = None
        ramp_name: str = reading.colours
        if reading.colours == "numbers":
            colour = numbered(values)
        elif reading.colours in ("vector", "colour"):
            if values.ndim == 1:
                ramp_name = "grey"
            elif reading.colours == "vector":
                colour = (values - np.float32(low)) / np.float32(high - low)
            else:
                colour = to_srgb(values[:, :3])
        return Shown(values, colour, ramp_name, low, high, reading.unit, title, reading.words, components, reading.about)

    def uv(self, name: str) -> Shown:
        """A picture of the UVs."""
        if name not in UV_LOOKS:
            raise InputError(f"there is no picture '{name}'", where="look.name", remedy=one_of(UV_LOOKS, name))
        title, about = UV_LOOKS[name]
        key = key_of("uv", name, self.texels.key)
        if name == "checker":
            return Shown(None, self.store.get(key, lambda: checker(self.texels)), "", 0, 1, "", title, ("", ""), [], about)
        if name == "islands":
            numbers = self.texels.island.astype(np.float32)
            return Shown(numbers, numbered(numbers), "", 0, 1, "", title, ("", ""), ["island"], about)
        if name == "overlap":
            wrong = self.store.get(key, lambda: overlap(self.texels))
            return Shown(
                None,
                np.where(wrong[:, None] > 0, np.array(WRONG, np.float32), np.array(RIGHT, np.float32)),
                "",
                0,
                1,
                "",
                title,
                ("", ""),
                [],
                about,
            )
        values = self.store.get(key, lambda: (stretch if name == "stretch" else density)(self.texels))
        high = 4.0 if name == "stretch" else float(np.quantile(values[:: max(1, len(values) // 20000)], 0.99))
        low = 1.0 if name == "stretch" else 0.0
        words = ("square", "long") if name == "stretch" else ("coarse", "fine")
        return Shown(values, None, "exposure", low, high, "" if name == "stretch" else "/m", title, words, [], about)

    def look(self, look: Look, chapters: list[Chapter], pile: Pile) -> LookAnswer | None:
        """The look-through asked for; None for lit."""
        if look.kind == "lit":
            return None
        return self._look_out(self._shown(look, chapters, pile))

    def _shown(self, look: Look, chapters: list[Chapter], pile: Pile) -> Shown:
        if look.kind == "channel":
            return self.channel(look.name, pile)
        if look.kind == "reading":
            return self.reading(look.name, look.size_mm, look.component)
        if look.kind == "uv":
            return self.uv(look.name)
        if look.kind == "coat":
            exposures = self.chronicle.exposures(pile)
            if look.index >= len(exposures):
                raise InputError(f"there is no coat {look.index}", where="look.index", remedy="Choose a coat from the list")
            _, title, values = exposures[look.index]
            return Shown(values, None, "grey", 0.0, 1.0, "", title, ("hidden", "shows"))
        found = self._recipe(look.layer, chapters)
        if found is None:
            raise InputError(
                f"the layer '{look.layer}' is off or does not exist", where="look.layer", remedy="Choose a layer that is on"
            )
        chapter, recipe, mask = found
        title = chapter.layer.name
        if look.layer.startswith("episode:"):
            title = next(e.name for e in self.scene.episodes if e.id == look.layer.removeprefix("episode:"))
        words = ("not here", "here")
        if look.kind == "mask":
            return Shown(mask, None, "grey", 0.0, 1.0, "", f"Mask of {title}", words)
        if look.index >= len(recipe.terms):
            raise InputError(f"the recipe has no line {look.index + 1}", where="look.index", remedy="Choose a line of the recipe")
        values = recipe.terms[look.index].value(self.chronicle.scope(self.scene, self._before(chapters, chapter)))
        return Shown(values, None, "grey", 0.0, 1.0, "", f"{title}: line {look.index + 1}", words)

    def _look_out(self, shown: Shown) -> LookAnswer:
        out = LookAnswer(title=shown.title, maps=[], unit=shown.unit, about=shown.about, components=shown.components)
        if shown.colour is not None:
            out.maps = self._pages(rgba(self.texels, shown.colour))
        else:
            assert shown.values is not None
            out.maps = self._pages(coloured(self.texels, shown.values, shown.low, shown.high, shown.ramp))
            out.legend = legend(shown.ramp, shown.low, shown.high, shown.unit, shown.words)
        if shown.values is not None:
            half = np.clip(shown.values, -65000, 65000).astype(np.float16)
            out.values = self._pages(self.texels.image(half, empty=np.nan))
        return out

    def _before(self, chapters: list[Chapter], chapter: Chapter) -> Pile:
        k = chapters.index(chapter)
        return chapters[k - 1].pile if k else self.chronicle.as_made(self.scene)

    # -- small pictures -------------------------------------------------------------------------------------------------------

    def _picture(self, width: int, height: int, zoom: float) -> Picture:
        # Two pixels per CSS pixel, two rays per pixel along each side.
        key = key_of("picture", self.texels.key, width, height, zoom)
        found: Picture = self.store.get(key, lambda: Picture.of(self.texels, width * 2, height * 2, zoom=zoom, supersample=2))
        return found

    def _png(self, image: np.ndarray) -> str:
        return self.sink.put(png_bytes(image), "image/png")

    def _kept_png(self, key: str, draw: Callable[[], np.ndarray]) -> str:
        """The name of a small picture, drawn only where it is not kept any more."""
        key = key_of("small picture", key, self.sink.name)
        name: str | None = self.store.peek(key)
        if name is None or not self.sink.holds([name]):
            name = self._png(draw())
            self.store.put(key, name)
        return name

    def moment(self, pile: Pile, picture: Picture) -> np.ndarray:
        """The surface at a moment, in simple light; only the texels that are seen are composited."""
        return moment_picture(pile, picture, self.chronicle.occlusion())

    def small_pictures(self, pile: Pile) -> dict[str, str]:
        """Pictures for the look-through list: the surface, its channels in use, and the readings."""
        thumb = self._picture(*THUMB, 1.0)
        key = key_of(pile.key, self.chronicle.measured.key)
        out = {"lit": self._kept_png(key_of("lit", key), lambda: self.moment(pile, thumb))}
        return out | self.channel_pictures(pile) | self.reading_pictures()

    def channel_pictures(self, pile: Pile) -> dict[str, str]:
        """Small pictures of the channels in use."""
        thumb = self._picture(*THUMB, 1.0)
        key = key_of(pile.key, self.chronicle.measured.key)
        return {
            f"channel:{name}": self._kept_png(
                key_of("channel", name, key),
                lambda n=name: thumb.show(self.channel(n, pile).small()),  # type: ignore[misc]
            )
            for name in self.channels(pile)
        }

    def channels(self, pile: Pile) -> dict[str, str]:
        """Channels worth looking through, with their titles: the usual ones, and what else is in use."""
        used = {c.name: c.title for c in in_use(self.chronicle.finish(pile).sheet)}
        usual = {name: CHANNELS[name].title for name in ("base_color", "roughness", "metalness")}
        return usual | {"relief": "Relief", "normal": "Normal", "ambient_occlusion": "Ambient occlusion"} | used

    def reading_pictures(self, size: tuple[int, int] = THUMB) -> dict[str, str]:
        """Small pictures of every reading that has something to say of this object."""
        thumb = self._picture(*size, 1.0)
        place = self.chronicle.place(self.scene)
        out = {}
        for name, reading in READINGS.items():
            if reading.missing(place) or (asks_weather(reading.reads) and place.exposure is None):
                continue
            key = key_of("reading", place.key_for(reading.reads), name, size)
            out[f"reading:{name}"] = self._kept_png(key, lambda n=name: thumb.show(self.reading(n, 0.0).small()))  # type: ignore[misc]
        return out

    def uv_pictures(self) -> dict[str, str]:
        """Small pictures of the UVs."""
        thumb = self._picture(*THUMB, 1.0)
        return {
            f"uv:{name}": self._kept_png(key_of("uv", name, self.texels.key), lambda n=name: thumb.show(self.uv(n).small()))  # type: ignore[misc]
            for name in UV_LOOKS
        }

    def layers(self, chapters: list[Chapter], *, pictures: bool) -> list[LayerAnswer]:
        """Coverages, notes, and a picture of what each layer did."""
        card = self._picture(*CARD, 3.0) if pictures else None
        out = []
        for chapter in chapters:
            name = ""
            if card is not None:
                # What covers nearly everything is known by its colour; the rest by where it is.
                name = self._kept_png(
                    key_of("card", chapter.pile.key),
                    lambda c=chapter: self.moment(c.pile, card) if c.coverage > 0.6 else card.show(c.shown, shade=0.3),  # type: ignore[misc]
                )
            frame = FrameAnswer(**asdict(chapter.frame)) if chapter.frame is not None else None
            out.append(LayerAnswer(id=chapter.layer.id, coverage=chapter.coverage, note=chapter.note, picture=name, frame=frame))
        return out

    def coats(self, pile: Pile, *, pictures: bool) -> list[CoatAnswer]:
        """Bare base and coats, newest first, with what shows of them today."""
        thumb = self._picture(*THUMB, 1.0) if pictures else None
        out = []
        for coat, name, exposure in self.chronicle.exposures(pile):
            picture = ""
            if thumb is not None:
                picture = self._kept_png(key_of("coat", coat, pile.key), lambda e=exposure: thumb.show(e))  # type: ignore[misc]
            share = self.texels.share(exposure)
            out.append(CoatAnswer(id=coat, layer=coat.split("/")[0], name=name, share=share, picture=picture))
        return out

    def exposed(self, pile: Pile) -> dict[str, float]:
        """Families of substances that are there, and the share of the surface where each shows today."""
        here = {s.family for s in pile.substances} | {c.substance.family for c in pile.coats}
        return {
            family: self.store.get(key_of("exposed", family, pile.key), lambda f=family: self.texels.share(pile.exposed(f)))  # type: ignore[misc]
            for family in FAMILIES
            if family in here
        }

    def _recipe(self, name: str, chapters: list[Chapter]) -> tuple[Chapter, Recipe, np.ndarray] | None:
        """The chapter, the recipe and the (n,) mask that ``name`` means: a layer, or "episode:" and the id of one, seen from its first layer."""
        if not name.startswith("episode:"):
            chapter = next((c for c in chapters if c.layer.id == name), None)
            return (chapter, chapter.layer.where, chapter.mask) if chapter is not None else None
        episode = next((e for e in self.scene.episodes if e.id == name.removeprefix("episode:")), None)
        chapter = next((c for c in chapters if episode is not None and c.layer.episode == episode.id), None)
        if episode is None or chapter is None:
            return None
        scope = self.chronicle.scope(self.scene, self._before(chapters, chapter))
        return chapter, episode.where, episode.where.value(scope)

    def where(self, name: str, chapters: list[Chapter]) -> WhereAnswer | None:
        """The recipe of the selected layer or episode, line by line; its small pictures follow every drag."""
        found = self._recipe(name, chapters)
        if found is None:
            return None
        chapter, recipe, mask = found
        thumb = self._picture(*THUMB, 1.0)
        scope = self.chronicle.scope(self.scene, self._before(chapters, chapter))
        terms = []
        for term in recipe.terms:
            values = term.value(scope)
            terms.append(
                TermAnswer(
                    histogram=histogram(values, self.texels.area, 24),
                    share=self.texels.share(values),
                    picture=self._png(thumb.show(values)),
                    finding=term.finding(scope),
                )
            )
        return WhereAnswer(
            share=self.texels.share(mask),
            histogram=histogram(mask, self.texels.area, 24),
            picture=self._png(thumb.show(mask)),
            terms=terms,
        )


def hidden_notes(layers: list[LayerAnswer], coats: list[CoatAnswer], clear: set[str]) -> None:
    """Say of layers that left a coat which nobody sees today; those that left a ``clear`` one never show as a coat."""
    shares: dict[str, float] = {}
    for coat in coats:
        shares[coat.layer] = shares.get(coat.layer, 0.0) + coat.share
    for layer in layers:
        if not layer.note and layer.id in shares and layer.id not in clear and layer.coverage > 0.001 and shares[layer.id] < 0.0005:
            layer.note = "Nothing of it shows today: later layers hide it"


def _moment(session: Session, chapters: list[Chapter], until: str | None, as_made: Pile) -> Pile:
    """The surface after the layer ``until``."""
    if until is None:
        return chapters[-1].pile if chapters else as_made
    pile = as_made
    played = {c.layer.id: c.pile for c in chapters}
    for layer in session.scene.layers:
        if until == "":
            break
        pile = played.get(layer.id, pile)
        if layer.id == until:
            break
    return pile


def answer(session: Session, question: Question, sink: Sink, check: Callable[[], None] = lambda: None) -> Answer | None:
    """The weathered surface, as the Weather stage looks at it; None while the object has not been measured.

    ``check`` is called between steps and may raise ``Cancelled``.
    """
    check()
    readings = session.readings()
    if readings is None:
        return None
    weather = session.scene.asks_for_weather or question.weather
    chronicle = session.chronicle(readings.measured, question.resolution, weather=weather)
    work = Answering(session, chronicle, sink)
    chapters = chronicle.play(session.scene, check=check)
    pile = _moment(session, chapters, question.until, chronicle.as_made(session.scene))
    check()
    coats = work.coats(pile, pictures=question.pictures)
    layers = work.layers(chapters, pictures=question.pictures)
    hidden_notes(layers, coats, {coat.layer for coat in pile.coats if coat.substance.clear})
    out = Answer(
        resolution=chronicle.texels.size,
        readings=readings.quality if readings.exact else "outdated",
        texel_mm=chronicle.texels.texel_mm,
        maps=work.maps(pile, question) if question.look.kind == "lit" else None,
        look=work.look(question.look, chapters, pile),
        layers=layers,
        coats=coats,
        where=work.where(question.selected, chapters) if question.selected else None,
        pictures=work.small_pictures(pile) if question.pictures else {},
        channels=work.channels(pile) if question.pictures else {},
        exposed=work.exposed(pile) if question.pictures else {},
        fresh=by_ground(session.scene.bases),
    )
    if len(chronicle.texels) > LARGE:
        # Before the next one begins: what this one worked with is not kept.
        del work, chapters, pile
        give_back()
    return out


def answer_as_made(session: Session, question: Question, sink: Sink, check: Callable[[], None] = lambda: None) -> Answer:
    """The object as made, a reading, or its UVs, without playing the chronicle. Works before anything was measured, as far as it can.

    Raises
    ------
    InputError : a reading that has not been measured yet.
    """
    check()
    readings: Readings | None = session.readings()
    reading = READINGS.get(question.look.name) if question.look.kind == "reading" else None
    if (
        readings is None
        and reading is not None
        and any(what != "colours" for what in reading.reads if not what.startswith("setting"))
    ):
        raise InputError("this reading has not been measured yet", where="look.name", remedy="Wait for the draft readings")
    measured = readings.measured if readings is not None else Measured.blank(session.texels(question.resolution))
    needs = frozenset().union(*(base.where.needs for base in session.scene.bases if base.where is not None))
    if readings is None and needs:
        # Until something is measured, what lies by a mask that looks at readings is left out.
        # It stays in the list, on no part, so that the others keep their numbers.
        gone: dict[str, object] = {"where": None, "parts": []}
        plain = [b.model_copy(update=gone) if b.where is not None and b.where.needs else b for b in session.scene.bases]
        session = copy(session)
        session.scene = session.scene.model_copy(update={"bases": plain})
    weather = readings is not None and (question.weather or asks_weather(needs))
    chronicle = session.chronicle(measured, question.resolution, weather=weather)
    work = Answering(session, chronicle, sink)
    pile = chronicle.as_made(session.scene)
    check()
    pictures: dict[str, str] = {}
    if question.pictures:
        pictures = work.channel_pictures(pile) if question.bases else work.uv_pictures()
        if readings is not None and not question.bases:
            pictures |= work.reading_pictures(READING_CARD)
    return Answer(
        resolution=chronicle.texels.size,
        readings="missing" if readings is None else readings.quality if readings.exact else "outdated",
        texel_mm=chronicle.texels.texel_mm,
        maps=work.maps(pile, question) if question.look.kind == "lit" else None,
        look=work.look(question.look, [], pile),
        layers=[],
        coats=[],
        pictures=pictures,
        bases=work.bases(pile) if question.bases else [],
        channels=work.channels(pile) if question.bases else {},
        fresh=by_ground(session.scene.bases),
    )
