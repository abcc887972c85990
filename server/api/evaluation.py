"""Evaluate a scene for the view: maps, look-through, coverages and small pictures."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from limus.chronicle import Chapter, Chronicle
from limus.errors import InputError
from limus.formats.png import png_bytes
from limus.hashing import key_of
from limus.masks.coverage import histogram
from limus.materials.channels import CLEAR_COAT, METALNESS, ROUGHNESS
from limus.materials.colour import to_srgb
from limus.materials.encode import encode_surface
from limus.readings.catalogue import READINGS
from limus.review.look import coloured, legend, ramp, rgba
from limus.review.picture import Picture
from limus.review.uv_look import RIGHT, UV_LOOKS, WRONG, checker, density, numbered, overlap, stretch
from limus.scene import Scene
from limus.strata.cache import Cache
from limus.strata.pile import Pile
from server.projects.map_store import MapStore


class Look(BaseModel):
    """What the view shows."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["lit", "channel", "reading", "mask", "term", "coat", "uv"] = "lit"
    name: str = Field("", max_length=80, description="Channel, reading, or picture of the UVs")
    component: str = Field("", max_length=8, description="One component of a reading that has several; empty: all")
    size_mm: float = Field(0.0, ge=0, le=1e6, description="Radius or reach of a reading; 0: its default")
    layer: str = Field("", max_length=40)
    index: int = Field(0, ge=0, le=400, description="Term of the recipe, or number of the coat")


class LegendOut(BaseModel):
    """Colours of a look-through: ``stops`` are (place 0..1, colour)."""

    low: float
    high: float
    unit: str
    stops: list[tuple[float, str]]
    low_word: str
    high_word: str


class LookOut(BaseModel):
    """One picture per map set, by hash, and its legend.

    ``values``: the numbers behind it, for the probe: raw float16, row by row, ``components`` for each pixel, NaN off the surface.
    """

    title: str
    maps: list[str]
    legend: LegendOut | None = None
    values: list[str] = Field(default_factory=list)
    components: list[str] = Field(default_factory=list)
    unit: str = ""
    about: str = ""


class MapsOut(BaseModel):
    """Hashes of raw RGBA maps, one per map set. ``clear_coat`` is empty where nothing is coated."""

    base_color: list[str]
    orm: list[str]
    normal: list[str]
    clear_coat: list[str]


class LayerOut(BaseModel):
    """What a layer did: share of the surface where it showed, why it did nothing, and its small picture (a hash)."""

    id: str
    coverage: float
    note: str
    picture: str = ""


class CoatOut(BaseModel):
    """A coat, or the bare base (layer ""), and the share of the surface where it shows today."""

    layer: str
    name: str
    share: float
    picture: str = ""


class TermOut(BaseModel):
    """A line of the selected layer's recipe, shaped; ``finding``: what is wrong with it here and how to mend it."""

    histogram: list[float]
    share: float = 0.0
    picture: str = ""
    finding: str = ""


class WhereOut(BaseModel):
    """The selected layer's recipe as a whole: mean over the surface, histogram, picture, and its lines."""

    share: float
    histogram: list[float]
    picture: str = ""
    terms: list[TermOut]


class EvaluationOut(BaseModel):
    """The answer to an evaluation."""

    ticket: int
    resolution: int
    readings: Literal["fine", "good", "draft", "outdated", "missing"]
    texel_mm: float
    maps: MapsOut | None = None
    look: LookOut | None = None
    layers: list[LayerOut]
    coats: list[CoatOut]
    where: WhereOut | None = None
    pictures: dict[str, str] = Field(description="Small pictures of channels and readings, by name")
    spent_ms: float = 0.0


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


CARD = (118, 58)
#: Pictures of readings in the Object stage.
READING_CARD = (118, 76)
THUMB = (26, 26)


class Evaluator:
    """One evaluation for one owner."""

    def __init__(self, chronicle: Chronicle, scene: Scene, owner: int, maps: MapStore, cache: Cache) -> None:
        self.chronicle, self.scene, self.owner, self.maps, self.cache = chronicle, scene, owner, maps, cache
        self.texels = chronicle.texels

    # -- maps -----------------------------------------------------------------------------------------------------------------

    def _pages(self, pages: np.ndarray) -> list[str]:
        return [self.maps.put(self.owner, pages[k].tobytes(), "application/octet-stream") for k in range(self.texels.pages)]

    def lit(self, pile: Pile) -> MapsOut:
        """The finished maps; encoded once per state of the surface."""
        # Occlusion and the twin's normals come from the readings.
        key = key_of("maps", pile.key, self.chronicle.measured.key, self.owner)
        kept = self.cache.peek(key)
        if kept is not None and self.maps.holds(self.owner, [h for group in kept.values() for h in group]):
            return MapsOut(**kept)
        surface = self.chronicle.finish(pile)
        encoded = encode_surface(self.texels, surface.sheet, surface.normal, surface.occlusion)
        coated = bool((surface.sheet[:, CLEAR_COAT] > 0.002).any())
        out = {name: self._pages(pages) for name, pages in encoded.items() if name != "clear_coat" or coated}
        out.setdefault("clear_coat", [])
        self.cache.put(key, out, size=1024)
        return MapsOut(**out)

    # -- look-through ---------------------------------------------------------------------------------------------------------

    def channel(self, name: str, pile: Pile) -> tuple[np.ndarray, str, float, float, str, str]:
        """(values, ramp, low, high, unit, title); ramp "" for colours that are shown as they are."""
        surface = self.chronicle.finish(pile)
        if name == "base_color":
            return to_srgb(surface.sheet[:, :3]), "", 0, 1, "", "Base color"
        if name == "normal":
            return surface.normal * np.float32(0.5) + np.float32(0.5), "", 0, 1, "", "Normal"
        if name == "relief":
            low, high = (float(np.quantile(surface.relief[:: max(1, len(surface.relief) // 20000)], q)) for q in (0.005, 0.995))
            return surface.relief, "grey", low, max(high, low + 1e-4), "mm", "Relief"
        plain = {
            "roughness": (ROUGHNESS, "Roughness"),
            "metalness": (METALNESS, "Metalness"),
            "clear_coat": (CLEAR_COAT, "Clear coat"),
        }
        if name in plain:
            column, title = plain[name]
            return np.ascontiguousarray(surface.sheet[:, column]), "grey", 0, 1, "", title
        if name == "ambient_occlusion":
            return np.float32(1) - surface.occlusion, "grey", 0, 1, "", "Ambient occlusion"
        raise InputError(
            f"there is no channel '{name}'",
            where="look.name",
            remedy="Choose base_color, roughness, metalness, relief, normal, clear_coat or ambient_occlusion",
        )

    def reading(self, name: str, size_mm: float, component: str = "") -> Shown:
        """A reading, or one component of it."""
        if name not in READINGS:
            raise InputError(f"there is no reading '{name}'", where="look.name", remedy=f"Choose one of: {', '.join(READINGS)}")
        reading = READINGS[name]
        if component and component not in reading.components:
            raise InputError(
                f"'{name}' has no component '{component}'",
                where="look.component",
                remedy=f"Choose one of: {', '.join(reading.components)}",
            )
        place = self.chronicle.place(self.scene)
        missing = reading.missing(place)
        if missing:
            raise InputError(missing[0].lower() + missing[1:], where=f"look.name: {name}", remedy="Choose another reading")
        size = size_mm or reading.default_size_mm
        values = self.cache.get(
            key_of("reading", place.key_with(reading.weather), place.colours_key, name, size),
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
        colour, ramp_name = None, reading.colours
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
            raise InputError(f"there is no picture '{name}'", where="look.name", remedy=f"Choose one of: {', '.join(UV_LOOKS)}")
        title, about = UV_LOOKS[name]
        key = key_of("uv", name, self.texels.key)
        if name == "checker":
            return Shown(None, self.cache.get(key, lambda: checker(self.texels)), "", 0, 1, "", title, ("", ""), [], about)
        if name == "islands":
            numbers = self.texels.island.astype(np.float32)
            return Shown(numbers, numbered(numbers), "", 0, 1, "", title, ("", ""), ["island"], about)
        if name == "overlap":
            wrong = self.cache.get(key, lambda: overlap(self.texels))
            return Shown(
                None, np.where(wrong[:, None] > 0, np.float32(WRONG), np.float32(RIGHT)), "", 0, 1, "", title, ("", ""), [], about
            )
        values = self.cache.get(key, lambda: (stretch if name == "stretch" else density)(self.texels))
        high = 4.0 if name == "stretch" else float(np.quantile(values[:: max(1, len(values) // 20000)], 0.99))
        low = 1.0 if name == "stretch" else 0.0
        words = ("square", "long") if name == "stretch" else ("coarse", "fine")
        return Shown(values, None, "exposure", low, high, "" if name == "stretch" else "/m", title, words, [], about)

    def look(self, look: Look, chapters: list[Chapter], pile: Pile) -> LookOut | None:
        """The look-through asked for; None for lit."""
        if look.kind == "lit":
            return None
        if look.kind == "channel":
            values, colours, low, high, unit, title = self.channel(look.name, pile)
            shown = Shown(values if colours else None, None if colours else values, colours, low, high, unit, title)
        elif look.kind == "reading":
            shown = self.reading(look.name, look.size_mm, look.component)
        elif look.kind == "uv":
            shown = self.uv(look.name)
        elif look.kind == "coat":
            exposures = self.chronicle.exposures(pile)
            if look.index >= len(exposures):
                raise InputError(f"there is no coat {look.index}", where="look.index", remedy="Choose a coat from the list")
            _, title, values = exposures[look.index]
            shown = Shown(values, None, "grey", 0.0, 1.0, "", title, ("hidden", "shows"))
        else:
            chapter = next((c for c in chapters if c.layer.id == look.layer), None)
            if chapter is None:
                raise InputError(
                    f"the layer '{look.layer}' is off or does not exist", where="look.layer", remedy="Choose a layer that is on"
                )
            if look.kind == "mask":
                values, title = chapter.mask, f"Mask of {chapter.layer.name}"
            else:
                terms = chapter.layer.where.terms
                if look.index >= len(terms):
                    raise InputError(
                        f"the recipe has no line {look.index + 1}", where="look.index", remedy="Choose a line of the recipe"
                    )
                values = terms[look.index].value(self.chronicle.scope(self.scene, self._before(chapters, chapter)))
                title = f"{chapter.layer.name}: line {look.index + 1}"
            shown = Shown(values, None, "grey", 0.0, 1.0, "", title, ("not here", "here"))
        return self._look_out(shown)

    def _look_out(self, shown: Shown) -> LookOut:
        out = LookOut(title=shown.title, maps=[], unit=shown.unit, about=shown.about, components=shown.components)
        if shown.colour is not None:
            out.maps = self._pages(rgba(self.texels, shown.colour))
        else:
            assert shown.values is not None
            out.maps = self._pages(coloured(self.texels, shown.values, shown.low, shown.high, shown.ramp))
            out.legend = LegendOut(**asdict(legend(shown.ramp, shown.low, shown.high, shown.unit, shown.words)))
        if shown.values is not None:
            half = np.clip(shown.values, -65000, 65000).astype(np.float16)
            out.values = self._pages(self.texels.image(half, empty=np.nan))
        return out

    def _before(self, chapters: list[Chapter], chapter: Chapter) -> Pile:
        k = chapters.index(chapter)
        return chapters[k - 1].pile if k else self.chronicle.as_made(self.scene)

    # -- small pictures -------------------------------------------------------------------------------------------------------

    def _picture(self, width: int, height: int, zoom: float) -> Picture:
        key = key_of("picture", self.texels.key, width, height, zoom)
        # Two pixels per CSS pixel, two rays per pixel along each side.
        found: Picture = self.cache.get(
            key, lambda: Picture.of(self.texels, width * 2, height * 2, zoom=zoom, supersample=2), size=width * height * 16 * 12
        )
        return found

    def _png(self, image: np.ndarray) -> str:
        return self.maps.put(self.owner, png_bytes(image), "image/png")

    def moment(self, pile: Pile, picture: Picture) -> np.ndarray:
        """The surface at a moment, in simple light; only the texels that are seen are composited."""
        seen, back = np.unique(np.maximum(picture.texel, 0), return_inverse=True)
        part = pile.only(seen)
        sheet = part.visible()
        # Bare metal reflects the surround: show it by its reflectance, a little darkened by roughness.
        color = sheet[:, :3] * (1 - 0.25 * sheet[:, 3:4] * sheet[:, 4:5])
        full = to_srgb(color * (0.45 + 0.55 * (1 - self.chronicle.occlusion()[seen])[:, None]))
        return picture.show_rows(full[np.asarray(back).reshape(picture.texel.shape)], shade=0.85)

    def small_pictures(self, chapters: list[Chapter], pile: Pile) -> dict[str, str]:
        """Pictures for the look-through list."""
        thumb = self._picture(*THUMB, 1.0)
        out = {"lit": self._png(self.moment(pile, thumb))}
        for name in ("base_color", "roughness", "metalness", "relief", "normal", "ambient_occlusion"):
            values, colours, low, high, _, _ = self.channel(name, pile)
            out[f"channel:{name}"] = self._png(thumb.show(ramp(values, low, high, colours) if colours else values))
        out |= self.reading_pictures()
        return out

    def reading_pictures(self, size: tuple[int, int] = THUMB) -> dict[str, str]:
        """Small pictures of every reading that has something to say of this object."""
        thumb = self._picture(*size, 1.0)
        place = self.chronicle.place(self.scene)
        out = {}
        for name, reading in READINGS.items():
            if reading.missing(place) or (reading.weather and place.exposure is None):
                continue
            key = key_of("reading picture", place.key_with(reading.weather), place.colours_key, name, self.owner, size)
            kept = self.cache.peek(key)
            if kept is None or not self.maps.holds(self.owner, [kept]):
                kept = self._png(thumb.show(self.reading(name, 0.0).small()))
                self.cache.put(key, kept, size=64)
            out[f"reading:{name}"] = kept
        return out

    def uv_pictures(self) -> dict[str, str]:
        """Small pictures of the UVs."""
        thumb = self._picture(*THUMB, 1.0)
        return {f"uv:{name}": self._png(thumb.show(self.uv(name).small())) for name in UV_LOOKS}

    def layers(self, chapters: list[Chapter], *, pictures: bool) -> list[LayerOut]:
        """Coverages, notes, and a picture of what each layer did."""
        card = self._picture(*CARD, 3.0) if pictures else None
        out = []
        for chapter in chapters:
            hash_ = ""
            if card is not None:
                key = key_of("card", chapter.pile.key, self.owner)
                kept = self.cache.peek(key)
                if kept is None or not self.maps.holds(self.owner, [kept]):
                    # What covers nearly everything is known by its colour; the rest by where it is.
                    image = self.moment(chapter.pile, card) if chapter.coverage > 0.6 else card.show(chapter.shown, shade=0.3)
                    kept = self._png(image)
                    self.cache.put(key, kept, size=64)
                hash_ = kept
            out.append(LayerOut(id=chapter.layer.id, coverage=chapter.coverage, note=chapter.note, picture=hash_))
        return out

    def coats(self, pile: Pile, *, pictures: bool) -> list[CoatOut]:
        """Bare base and coats, newest first, with what shows of them today."""
        thumb = self._picture(*THUMB, 1.0) if pictures else None
        out = []
        for layer, name, exposure in self.chronicle.exposures(pile):
            hash_ = self._png(thumb.show(exposure)) if thumb is not None else ""
            out.append(CoatOut(layer=layer, name=name, share=self.texels.share(exposure), picture=hash_))
        return out

    def where(self, layer_id: str, chapters: list[Chapter]) -> WhereOut | None:
        """The recipe of the selected layer, line by line; its small pictures follow every drag."""
        chapter = next((c for c in chapters if c.layer.id == layer_id), None)
        if chapter is None:
            return None
        thumb = self._picture(*THUMB, 1.0)
        scope = self.chronicle.scope(self.scene, self._before(chapters, chapter))
        terms = []
        for term in chapter.layer.where.terms:
            values = term.value(scope)
            terms.append(
                TermOut(
                    histogram=histogram(values, self.texels.area, 24),
                    share=self.texels.share(values),
                    picture=self._png(thumb.show(values)),
                    finding=term.finding(scope),
                )
            )
        return WhereOut(
            share=self.texels.share(chapter.mask),
            histogram=histogram(chapter.mask, self.texels.area, 24),
            picture=self._png(thumb.show(chapter.mask)),
            terms=terms,
        )


def hidden_notes(layers: list[LayerOut], coats: list[CoatOut], scene: Scene) -> None:
    """Say of layers that left a coat which nobody sees today."""
    shares: dict[str, float] = {}
    for coat in coats:
        shares[coat.layer] = shares.get(coat.layer, 0.0) + coat.share
    for layer in layers:
        if not layer.note and layer.id in shares and layer.coverage > 0.001 and shares[layer.id] < 0.0005:
            layer.note = "Nothing of it shows today: later layers hide it"
