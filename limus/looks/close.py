"""What a view sees that has come near: tiles of the maps, or of a look through, at the density of the screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.looks.catalogue import shown
from limus.looks.gallery import MAP, Blob
from limus.looks.look import Look, Shown
from limus.looks.seen import Seen, moment
from limus.materials.channels import Sheet
from limus.materials.encode import encode_texels, pictures_of
from limus.playing.chronicle import Chapter, Chronicle, Surface
from limus.playing.needed import whole_size
from limus.playing.session import Session
from limus.playing.window_pixels import filled, joined
from limus.playing.windows import Record, Windows
from limus.readings.catalogue import READINGS
from limus.readings.measured import Measured
from limus.readings.reading import asks_weather
from limus.review.look import ramp
from limus.strata.pile import Pile
from limus.surface.window import LARGEST, Window, tile_blocks

#: Pixels along a side of a tile, and how many more there are around it, so that it can be read between its pixels.
TILE, BORDER = 256, 4
#: Tiles of one question at most.
MOST = 12
#: mm: nobody asks for finer texels; the documents are made in tenths.
FINEST_MM = 0.05
#: Pixels along a side of a map set at most that things are decided at for the view: everything is played once at this
#: size before the first tile of a density comes. Against 1024 the same tiles differ by less than 2/255 on the demo, and
#: come in less than half of the time.
_WHOLE = 512
#: What the picture of a look through is called. These hang on where the camera stands, or on the UVs alone, and are
#: as fine as they can be.
LOOK, NEVER_NEAR = "look", ("facing", "uv")
#: And what vertices are moved by.
RELIEF = "relief"


class TileAsked(BaseModel):
    """One tile: its map set, and which it is from the left and from the top."""

    model_config = ConfigDict(extra="forbid")
    page: int = Field(ge=0, le=10000)
    x: int = Field(ge=0, le=LARGEST // TILE)
    y: int = Field(ge=0, le=LARGEST // TILE)


class CloseQuestion(BaseModel):
    """Which tiles, in the order in which they are wanted. ``until`` "" is the object as made; None today."""

    model_config = ConfigDict(extra="forbid")
    density: int = Field(description="Pixels along a side of a map set, a power of two", ge=512, le=LARGEST)
    resolution: int = Field(1024, ge=64, le=8192, description="Of the maps that the tiles lie over")
    tiles: list[TileAsked] = Field(min_length=1, max_length=MOST)
    until: str | None = Field(None, max_length=40)
    look: Look = Field(default_factory=Look, description="What is looked through: one picture then, 'look'")
    pictures: list[str] = Field(default_factory=list, max_length=40, description="Only these; none: all that there are")


class TileShown(BaseModel):
    """One tile: its pictures by name, raw RGBA of ``side`` x ``side`` pixels with the border, by the hash of their
    content; one of one pixel says that it is the same everywhere. ``relief`` is float16 in mm, one number a pixel.
    """

    page: int
    x: int
    y: int
    pictures: dict[str, str]


class CloseAnswer(BaseModel):
    """The tiles, and how fine they are."""

    density: int
    texel_mm: float
    side: int = TILE + 2 * BORDER
    border: int = BORDER
    tiles: list[TileShown]


def densest(texel_mm: float, resolution: int) -> int:
    """Pixels along a side of a map set that a view may ask for at most, of an object whose texels are ``texel_mm`` wide
    at ``resolution``.
    """
    out = resolution
    while out < LARGEST and texel_mm * resolution / (2 * out) >= FINEST_MM * 0.99:
        out *= 2
    return out


def close_up(
    session: Session, question: CloseQuestion, check: Callable[[], None] = lambda: None
) -> tuple[CloseAnswer, dict[str, Blob]] | None:
    """The tiles, and their pictures by name; None while the object has not been measured.

    Raises
    ------
    InputError : a density or a tile that there is none of.
    """
    readings = session.measuring.best()
    if readings is None:
        return None
    density, sets = question.density, len(session.mesh.uv_domains)
    if density & (density - 1):
        raise InputError(
            f"{density} is no power of two", where="density", remedy="Take 4096 or 16384", value=str(density)
        )
    across = density // TILE
    for k, tile in enumerate(question.tiles):
        if tile.page >= sets or max(tile.x, tile.y) >= across:
            raise InputError(
                f"there is no tile {tile.x}, {tile.y} of map set {tile.page}",
                where=f"tiles[{k}]",
                remedy=f"There are {sets} map sets of {across} x {across} tiles",
            )
    if question.look.kind in NEVER_NEAR:
        raise InputError("this look has no finer tiles", where="look.kind", remedy="Show it as it is")
    # What the view shows at large is decided at nearly its own size, so that nothing jumps when tiles come.
    size = min(session.fitted(min(_WHOLE, question.resolution)), whole_size(sets, density))
    lit = question.look.kind == "lit"
    weather = session.scene.asks_for_weather or (not lit and _asks_weather(question.look))
    player = session.chronicle(readings.measured, size, weather=weather)
    fresh, scene = Windows(player, density, session.store, stays=session.store), session.scene
    # What is looked through may be a layer that comes after the moment that is shown.
    until = question.until if lit else None
    through = [question.look.model_dump(), question.until, question.resolution]
    key = key_of("record", fresh.key(scene, until), *([] if lit else through))

    def decide() -> _Decided:
        if lit:
            return _Decided(fresh, fresh.record(scene, until=until, check=check))
        looking = _Looking(session, question.look, question.until)
        record = fresh.record(scene, check=check, watch=looking)
        return _Decided(fresh, record, looking, _range(session, readings.measured, question, weather))

    # With the record stays what its windows need of the whole: links, triangles by place, fields beyond the seams.
    decided: _Decided = session.store.get(key, decide)
    windows = decided.windows
    # The relief is half as much again, and seldom seen.
    moved = lit and (not question.pictures or RELIEF in question.pictures)
    names = {
        (tile.page, tile.x, tile.y): key_of("close tile", key, tile.model_dump(), moved) for tile in question.tiles
    }
    wanted = [place for place, name in names.items() if name not in session.store]
    if wanted:
        drawn = _drawn(decided, session, wanted, until, moved, check)
        for place, pictures in drawn.items():
            session.store.put(names[place], pictures, 0.2)
    else:
        drawn = {}
    out, blobs = [], dict[str, Blob]()
    for place, name in names.items():
        found: dict[str, Blob] | None = drawn.get(place) or session.store.peek(name)
        # It may have been let go between the two looks at the store.
        pictures = found or _drawn(decided, session, [place], until, moved, check)[place]
        asked = {title: blob for title, blob in pictures.items() if not question.pictures or title in question.pictures}
        blobs |= {blob.name: blob for blob in asked.values()}
        named = {title: blob.name for title, blob in asked.items()}
        out.append(TileShown(page=place[0], x=place[1], y=place[2], pictures=named))
    texel_mm = windows.whole.texel_mm
    return CloseAnswer(density=density, texel_mm=texel_mm, tiles=out), blobs


@dataclass
class _Looking:
    """Looks through what is played, at its end."""

    session: Session
    look: Look
    until: str | None
    chapters: list[Chapter] = field(default_factory=list)
    found: Shown | None = None

    def chapter(self, chronicle: Chronicle, chapter: Chapter, before: Pile) -> None:
        """See ``Watcher``."""
        self.chapters.append(chapter)

    def end(self, chronicle: Chronicle, pile: Pile) -> None:
        """See ``Watcher``."""
        self.found = _through(self.session, chronicle, self.chapters, self.until, self.look)
        # Piles are large, and nothing more is asked of them.
        self.chapters = []


def _through(
    session: Session, chronicle: Chronicle, chapters: list[Chapter], until: str | None, look: Look
) -> Shown:  # fmt: skip
    pile = moment(session, chapters, until, chronicle.as_made(session.scene))
    return shown(Seen(session, chronicle, pile, chapters), look)


def _asks_weather(look: Look) -> bool:
    reading = READINGS.get(look.name) if look.kind == "reading" else None
    return reading is not None and asks_weather(reading.reads)


def _range(session: Session, measured: Measured, question: CloseQuestion, weather: bool) -> tuple[float, float]:
    """Of the ramp in the view, whose legend is read beside the tiles; all of it has just been played for that."""
    chronicle = session.chronicle(measured, session.fitted(question.resolution), weather=weather)
    found = _through(session, chronicle, chronicle.play(session.scene), question.until, question.look)
    return found.low, found.high


@dataclass(frozen=True)
class _Decided:
    """What tiles are drawn from; ``looking`` and the ``span`` of its ramp where something is looked through."""

    windows: Windows
    record: Record
    looking: _Looking | None = None
    span: tuple[float, float] = (0.0, 1.0)

    def held(self) -> tuple[int, tuple[object, ...]]:
        """For the store."""
        return 0, (self.windows, self.record, self.looking)


def _drawn(
    decided: _Decided, session: Session, tiles: list[tuple[int, int, int]], until: str | None, moved: bool,
    check: Callable[[], None],
) -> dict[tuple[int, int, int], dict[str, Blob]]:  # fmt: skip
    """All of them in one window: those that lie side by side share their rims; with the relief where it is
    ``moved``.
    """
    windows, record = decided.windows, decided.record
    whole = windows.whole
    cut = whole.density // whole.size
    blocks = []
    for page, x, y in tiles:
        first = (x * TILE // cut, y * TILE // cut)
        wide = max(1, TILE // cut)
        blocks.append(tile_blocks(whole, page, *first, wide, wide))
    looked = decided.looking
    looking = _Looking(session, looked.look, looked.until) if looked is not None else None
    found = windows.draw_if_any(
        session.scene, record, np.unique(np.concatenate(blocks)), until=until, check=check, watch=looking
    )
    window = found[0] if found is not None else None
    out = {}
    for tile in tiles:
        place, used, far = _placed(windows, window, tile)
        if looked is None:
            surface = joined(found[1] if found is not None else None, record.surface, far)
            pictures = _maps(record, surface, used, moved)
        else:
            count = len(window.pixel) if window is not None else 0
            pictures = {LOOK: _colours(decided, looking, count, far)[used]}
        out[tile] = {
            name: Blob.of((pixels if len(pixels) == 1 else pixels[place]).tobytes(), MAP)
            for name, pixels in pictures.items()
        }
    return out


def _placed(
    windows: Windows, window: Window | None, tile: tuple[int, int, int]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of a tile with its border: (side, side) which of the texels ``used`` each pixel shows; those are rows of the
    window's texels with the texels ``far`` of the whole behind them.
    """
    page, x, y = tile
    density, side = windows.whole.density, TILE + 2 * BORDER
    left, top = max(x * TILE - BORDER, 0), max(y * TILE - BORDER, 0)
    right, bottom = min((x + 1) * TILE + BORDER, density), min((y + 1) * TILE + BORDER, density)
    fill, far, _ = filled(windows, window, (page, left, top, right - left, bottom - top))
    # Beyond the picture its border goes on.
    rows = np.clip(np.arange(y * TILE - BORDER, (y + 1) * TILE + BORDER), top, bottom - 1) - top
    columns = np.clip(np.arange(x * TILE - BORDER, (x + 1) * TILE + BORDER), left, right - 1) - left
    fill = fill.reshape(bottom - top, right - left)[rows][:, columns].ravel()
    used, place = np.unique(fill, return_inverse=True)
    return np.asarray(place).reshape(side, side), used, far


def _maps(record: Record, surface: Surface, used: np.ndarray, moved: bool) -> dict[str, np.ndarray]:
    """(m, 4) uint8 of the pictures of a surface at the texels ``used``; (1, 4) where one is the same everywhere. The
    relief is (m, 1) float16, mm, and there where it is ``moved``.
    """
    sheet: Sheet = {name: value if value.ndim < 1 or len(value) != len(surface.relief) else value[used]
                    for name, value in surface.sheet.items()}  # fmt: skip
    pictures = {
        name: encode_texels(name, held, sheet, surface.normal[used], surface.occlusion[used])
        for name, held in pictures_of(record.surface.sheet).items()
    }
    if not moved:
        return pictures
    relief = surface.relief[used].astype(np.float16)[:, None]
    return pictures | {RELIEF: relief if np.ptp(relief) > 0 else relief[:1]}


def _colours(decided: _Decided, looking: _Looking | None, count: int, far: np.ndarray) -> np.ndarray:
    """(count + k, 4) uint8 of what is looked through, at the ``count`` texels of a window and at the texels ``far``
    (k,) of the whole.
    """

    def colours(of: _Looking, many: int) -> np.ndarray:
        assert of.found is not None
        found = of.found
        low, high = decided.span
        if found.colour is None:
            assert found.values is not None
            rgb = ramp(found.values, low, high, found.ramp)
        elif (found.low, found.high) != decided.span:
            rgb = (found.colour * (found.high - found.low) + found.low - low) / max(high - low, 1e-9)
        else:
            rgb = found.colour
        # A field that is the same everywhere may have one row.
        return np.broadcast_to(np.clip(rgb, 0.0, 1.0), (many, 3))

    assert decided.looking is not None
    out: np.ndarray = np.full((count + len(far), 4), 255, np.uint8)
    parts = [colours(decided.looking, len(decided.record.surface.relief))[far]]
    if looking is not None and count:
        parts.insert(0, colours(looking, count))
    out[:, :3] = np.clip(np.concatenate(parts) * 255.0 + 0.5, 0, 255)
    return out
