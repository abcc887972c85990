"""What a view sees that has come near: tiles of the maps at the density of the screen."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.looks.gallery import MAP, Blob
from limus.materials.channels import Sheet
from limus.materials.encode import encode_texels, pictures_of
from limus.playing.chronicle import Surface
from limus.playing.needed import whole_size
from limus.playing.session import Session
from limus.playing.window_pixels import filled, joined
from limus.playing.windows import Record, Windows
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
    pictures: list[str] = Field(default_factory=list, max_length=40, description="Only these; none: all that there are")


class TileShown(BaseModel):
    """One tile: its pictures by name, raw RGBA of ``side`` x ``side`` pixels with the border, by the hash of their
    content; one of one pixel says that it is the same everywhere.
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
    # What the view shows at large is decided at nearly its own size, so that nothing jumps when tiles come.
    size = min(session.fitted(min(_WHOLE, question.resolution)), whole_size(sets, density))
    player = session.chronicle(readings.measured, size, weather=session.scene.asks_for_weather)
    fresh, scene, until = Windows(player, density, session.store), session.scene, question.until
    key = key_of("record", fresh.key(scene, until))
    # With the record stays what its windows need of the whole: links, triangles by place, fields beyond the seams.
    decided: tuple[Windows, Record] = session.store.get(
        key, lambda: (fresh, fresh.record(scene, until=until, check=check))
    )
    windows, record = decided
    names = {(tile.page, tile.x, tile.y): key_of("close tile", key, tile.model_dump()) for tile in question.tiles}
    wanted = [place for place, name in names.items() if name not in session.store]
    if wanted:
        drawn = _drawn(windows, record, session, wanted, until, check)
        for place, pictures in drawn.items():
            session.store.put(names[place], pictures, 0.2)
    else:
        drawn = {}
    out, blobs = [], dict[str, Blob]()
    for place, name in names.items():
        found: dict[str, Blob] | None = drawn.get(place) or session.store.peek(name)
        # It may have been let go between the two looks at the store.
        pictures = found or _drawn(windows, record, session, [place], until, check)[place]
        asked = {title: blob for title, blob in pictures.items() if not question.pictures or title in question.pictures}
        blobs |= {blob.name: blob for blob in asked.values()}
        shown = {title: blob.name for title, blob in asked.items()}
        out.append(TileShown(page=place[0], x=place[1], y=place[2], pictures=shown))
    texel_mm = windows.whole.texel_mm
    return CloseAnswer(density=density, texel_mm=texel_mm, tiles=out), blobs


def _drawn(
    windows: Windows, record: Record, session: Session, tiles: list[tuple[int, int, int]], until: str | None,
    check: Callable[[], None],
) -> dict[tuple[int, int, int], dict[str, Blob]]:  # fmt: skip
    """All of them in one window: those that lie side by side share their rims."""
    whole = windows.whole
    cut = whole.density // whole.size
    blocks = []
    for page, x, y in tiles:
        first = (x * TILE // cut, y * TILE // cut)
        wide = max(1, TILE // cut)
        blocks.append(tile_blocks(whole, page, *first, wide, wide))
    found = windows.draw_if_any(session.scene, record, np.unique(np.concatenate(blocks)), until=until, check=check)
    return {tile: _pictures(windows, record, found, tile) for tile in tiles}


def _pictures(
    windows: Windows, record: Record, found: tuple[Window, Surface] | None, tile: tuple[int, int, int]
) -> dict[str, Blob]:
    page, x, y = tile
    density, side = windows.whole.density, TILE + 2 * BORDER
    left, top = max(x * TILE - BORDER, 0), max(y * TILE - BORDER, 0)
    right, bottom = min((x + 1) * TILE + BORDER, density), min((y + 1) * TILE + BORDER, density)
    window = found[0] if found is not None else None
    fill, far, _ = filled(windows, window, (page, left, top, right - left, bottom - top))
    surface = joined(found[1] if found is not None else None, record.surface, far)
    # Beyond the picture its border goes on.
    rows = np.clip(np.arange(y * TILE - BORDER, (y + 1) * TILE + BORDER), top, bottom - 1) - top
    columns = np.clip(np.arange(x * TILE - BORDER, (x + 1) * TILE + BORDER), left, right - 1) - left
    fill = fill.reshape(bottom - top, right - left)[rows][:, columns].ravel()
    used, place = np.unique(fill, return_inverse=True)
    sheet: Sheet = {name: value if value.ndim < 1 or len(value) != len(surface.relief) else value[used]
                    for name, value in surface.sheet.items()}  # fmt: skip
    out = {}
    for name, held in pictures_of(record.surface.sheet).items():
        pixels = encode_texels(name, held, sheet, surface.normal[used], surface.occlusion[used])
        full = pixels if len(pixels) == 1 else pixels[np.asarray(place).reshape(-1)].reshape(side, side, 4)
        out[name] = Blob.of(full.tobytes(), MAP)
    return out
