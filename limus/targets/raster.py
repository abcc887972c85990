"""Maps written as their pixels come: from all texels at once, or tile after tile."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Mapping
from contextlib import ExitStack
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from limus.common.parallel import map_blocks
from limus.formats.rows import FORMS, RowWriter
from limus.playing.chronicle import Surface
from limus.targets.written import OnDisk


@dataclass(frozen=True)
class Tile:
    """A rectangle of pixels, with the finished texels that they show.

    ``top`` counts rows over all map sets, one below the other. ``fill`` (tall * wide,) int32 the texel that each pixel
    shows, a row of the fields of ``surface`` and of ``masks`` (n,) float32 0..1.
    """

    top: int
    left: int
    tall: int
    wide: int
    surface: Surface
    fill: np.ndarray
    masks: Mapping[Any, np.ndarray] = field(default_factory=dict)


@dataclass(frozen=True)
class Raster:
    """One map of all map sets.

    ``files`` its name for each of them. ``encode`` gives (n, count) numbers of ``dtype`` for the texels of a tile, or
    (1, count) where all are alike. ``form`` is one of ``formats.rows.FORMS``; ``names`` of the components, where it
    has them; ``about`` what a list of files says of it; ``even``: one pixel says all of it.
    """

    files: tuple[str, ...]
    count: int
    dtype: np.dtype[Any]
    encode: Callable[[Tile], np.ndarray]
    form: str = "png"
    srgb: bool = False
    names: tuple[str, ...] = ()
    about: Mapping[str, object] = field(default_factory=dict)
    even: bool = False

    def pixels(self, tile: Tile) -> np.ndarray:
        """(tall, wide, count) of a tile."""
        values = np.ascontiguousarray(self.encode(tile), self.dtype).reshape(-1, self.count)
        shape = (tile.tall, tile.wide, self.count)
        if len(values) == 1:
            return np.broadcast_to(values[0], shape)
        return values[tile.fill].reshape(shape)


def write_rasters(rasters: Iterable[Raster], size: int, bands: Iterable[list[Tile]], room: Path) -> list[OnDisk]:
    """Write maps of ``size`` x ``size`` into files of the folder ``room``.

    ``bands``: tiles that together fill so many rows from left to right, from the first row to the last. Whatever is
    raised while they come leaves no file.
    """
    all_of_them = list(rasters)
    open_now: dict[int, RowWriter] = {}
    made: list[list[OnDisk]] = [[] for _ in all_of_them]
    with ExitStack() as stack:
        stack.callback(_stopped, open_now, made)
        for tiles in bands:
            top, tall = tiles[0].top, tiles[0].tall

            def write(k: int, tiles: list[Tile] = tiles, top: int = top, tall: int = tall) -> None:
                raster = all_of_them[k]
                if raster.even:
                    if top == 0:
                        made[k] += [_of_one(raster, page, k, tiles[0], room) for page in range(len(raster.files))]
                    return
                rows = _rows(raster, tiles)
                for first in range(top, top + tall):
                    if first != top and first % size:
                        continue
                    page, last = first // size, min((first // size + 1) * size, top + tall)
                    if k not in open_now:
                        open_now[k] = _writer(raster, page, k, size, room)
                    writer = open_now[k]
                    writer.add(rows[first - top : last - top])
                    if writer.done == size:
                        writer.close()
                        made[k].append(OnDisk(raster.files[page], writer.path))
                        del open_now[k]

            map_blocks(write, list(range(len(all_of_them))))
        stack.pop_all()
    return [file for files in made for file in files]


def _stopped(writers: dict[int, RowWriter], made: list[list[OnDisk]]) -> None:
    for writer in writers.values():
        writer.stop()
    for file in itertools.chain(*made):
        file.path.unlink(missing_ok=True)


def _writer(raster: Raster, page: int, number: int, size: int, room: Path) -> RowWriter:
    path = room / f"{number}-{page}{Path(raster.files[page]).suffix}"
    return FORMS[raster.form](path, (size, size, raster.count), raster.dtype, srgb=raster.srgb, names=raster.names)


def _of_one(raster: Raster, page: int, number: int, tile: Tile, room: Path) -> OnDisk:
    writer = _writer(raster, page, number, 1, room)
    writer.add(raster.pixels(replace(tile, tall=1, wide=1, fill=tile.fill[:1])))
    writer.close()
    return OnDisk(raster.files[page], writer.path)


def _rows(raster: Raster, tiles: list[Tile]) -> np.ndarray:
    if len(tiles) == 1:
        return raster.pixels(tiles[0])
    return np.concatenate([raster.pixels(tile) for tile in tiles], axis=1)
