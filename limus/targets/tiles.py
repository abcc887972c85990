"""Where the pixels of a delivery come from: all texels at once, or windows one after the other."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any

import numpy as np

from limus.document.scene import Scene
from limus.playing.chronicle import Surface
from limus.playing.needed import tile_sides
from limus.playing.window_pixels import beyond, filled, joined
from limus.playing.windows import Record, Windows
from limus.surface.texels import Texels
from limus.surface.window import Window, tile_blocks
from limus.targets.masks import MaskTaker
from limus.targets.raster import Tile


def whole_bands(
    texels: Texels, surface: Surface, masks: Mapping[Any, np.ndarray] | None = None, gutter: int | None = None
) -> Iterator[list[Tile]]:
    """All texels at once; ``gutter`` as in ``Order``."""
    bare = None
    if gutter is not None:
        bare = np.concatenate([beyond(page < 0, gutter) for page in texels.index.reshape(-1, texels.size, texels.size)])
        bare = bare.ravel()
    yield [Tile(0, 0, texels.pages * texels.size, texels.size, surface, texels.fill_index, masks or {}, bare)]


def count_tiles(windows: Windows) -> int:
    """How many tiles all map sets have."""
    size = windows.whole.size
    tall, wide = tile_sides(size, windows.whole.density)
    return windows.whole.pages * -(-size // tall) * -(-size // wide)


def window_bands(
    windows: Windows,
    scene: Scene,
    record: Record,
    taker: MaskTaker,
    drawn: Callable[[int], None],
    *,
    until: str | None = None,
    gutter: int | None = None,
) -> Iterator[Iterator[Tile]]:
    """Window after window, each drawn when it is asked for and forgotten when the next is.

    ``taker`` has taken the masks of the whole. ``drawn`` is told how many tiles are done, also between layers, and may
    raise ``Cancelled``.
    """
    whole, density = windows.whole, windows.whole.density
    size, cut = whole.size, density // whole.size
    tall, wide = tile_sides(size, density)
    of_whole = dict(taker.fields)
    done = itertools.count()

    def tile(page: int, x: int, y: int) -> Tile:
        number = next(done)
        broad, high = min(wide, size - x), min(tall, size - y)
        own = MaskTaker(taker.scene, taker.asked)
        drawn(number)
        found = windows.draw_if_any(
            scene, record, tile_blocks(whole, page, x, y, broad, high), until=until, check=partial(drawn, number),
            watch=own if taker.asked else None,
        )  # fmt: skip
        where = (page, x * cut, y * cut, broad * cut, high * cut)
        return _tile(windows, record, found, of_whole, own.fields, where, page * density + y * cut, gutter)

    for page, y in itertools.product(range(whole.pages), range(0, size, tall)):
        yield (tile(page, x, y) for x in range(0, size, wide))
    drawn(next(done))


def _tile(
    windows: Windows,
    record: Record,
    found: tuple[Window, Surface] | None,
    of_whole: Mapping[Any, np.ndarray],
    masks: Mapping[Any, np.ndarray],
    where: tuple[int, int, int, int, int],
    top: int,
    gutter: int | None,
) -> Tile:
    _, x, _, wide, tall = where
    window = found[0] if found is not None else None
    fill, far, off = filled(windows, window, where)
    surface = joined(found[1] if found is not None else None, record.surface, far)
    both = {
        key: np.concatenate([masks[key], of_whole[key][far]]) if key in masks else of_whole[key][far]
        for key in of_whole
    }
    return Tile(top, x, tall, wide, surface, fill, both, off > gutter if gutter is not None else None)
