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
    shows, a row of the fields of ``surface`` and of ``masks`` (n,) float32 0..1. ``bare`` (tall * wide,) bool pixels
    that lie farther off the surface than the gutter goes; None: it goes everywhere.
    """

    top: int
    left: int
    tall: int
    wide: int
    surface: Surface
    fill: np.ndarray
    masks: Mapping[Any, np.ndarray] = field(default_factory=dict)
    bare: np.ndarray | None = None


@dataclass(frozen=True)
class Finish:
    """From linear numbers 0..1 to those of a file: ``make`` takes (h, w, c) and the first row and column.
    ``by_pixel``: what a pixel becomes hangs on where it lies.
    """

    make: Callable[[np.ndarray, int, int], np.ndarray]
    by_pixel: bool = False

    def __call__(self, values: np.ndarray, top: int, left: int) -> np.ndarray:
        """See ``make``."""
        return self.make(values, top, left)


@dataclass(frozen=True)
class Raster:
    """One map of all map sets.

    ``files`` its name for each of them. ``encode`` gives (n, count) numbers for the texels of a tile, or (1, count)
    where all are alike; ``finish`` makes (h, w, count) of ``dtype`` of them, given the first row and column: numbers of
    pixels, which may be means of several. ``shrink`` pixels along each side become one. ``nothing`` what a pixel
    beyond the gutter holds, as ``encode`` gives it. ``form`` is one of ``formats.rows.FORMS``; ``names`` of the
    components, where it has them; ``about`` what a list of files says of it; ``even``: one pixel says all of it.
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
    finish: Finish | None = None
    shrink: int = 1
    nothing: tuple[float, ...] = ()

    @property
    def bytes_a_pixel(self) -> int:
        """While its rows are on their way."""
        numbers = 4 if self.shrink > 1 or (self.finish is not None and self.finish.by_pixel) else 0
        return self.count * (self.dtype.itemsize + numbers)

    def pixels(self, tile: Tile) -> np.ndarray:
        """(tall, wide, count) of a tile, not shrunk."""
        values = np.asarray(self.encode(tile)).reshape(-1, self.count)
        pixelwise = self.shrink > 1 or (self.finish is not None and self.finish.by_pixel)
        if self.finish is not None and not pixelwise:
            values = self.finish(values[None], 0, 0)[0]
        if self.finish is None:
            values = np.ascontiguousarray(values, self.dtype)
        shape = (tile.tall, tile.wide, self.count)
        if len(values) == 1:
            out = np.broadcast_to(values[0], shape)
        else:
            out = values[tile.fill].reshape(shape)
        if tile.bare is not None and self.nothing:
            bare = np.array(self.nothing, np.float32)[None, None]
            if self.finish is not None and not pixelwise:
                bare = self.finish(bare, 0, 0)
            out = np.where(tile.bare.reshape(tile.tall, tile.wide)[:, :, None], bare.astype(values.dtype), out)
        return out

    def rows(self, pixels: list[np.ndarray], top: int) -> np.ndarray:
        """(h, w, count) of ``dtype``: the finished rows of tiles that stand side by side, from their ``pixels`` and
        ``top``.
        """
        rows = pixels[0] if len(pixels) == 1 else np.concatenate(pixels, axis=1)
        if self.shrink > 1:
            rows = mean_of_blocks(rows, self.shrink)
        if self.finish is not None and (self.shrink > 1 or self.finish.by_pixel):
            rows = self.finish(rows, top // self.shrink, 0)
        return rows


def mean_of_blocks(rows: np.ndarray, side: int) -> np.ndarray:
    """(h / side, w / side, c) float32 means of (h, w, c)."""
    out = np.zeros((rows.shape[0] // side, rows.shape[1] // side, rows.shape[2]), np.float32)
    for y in range(side):
        for x in range(side):
            out += rows[y::side, x::side]
    return out / (side * side)


def write_rasters(rasters: Iterable[Raster], size: int, bands: Iterable[Iterable[Tile]], room: Path) -> list[OnDisk]:
    """Write maps of ``size`` x ``size`` pixels, or of what they are shrunk to, into files of the folder ``room``.

    ``bands``: tiles that together fill so many rows from left to right, from the first row to the last. Each is asked
    for when the one before has become pixels, and then let go: a surface takes many times what its maps do. Whatever is
    raised while they come leaves no file.
    """
    all_of_them = list(rasters)
    open_now: dict[int, RowWriter] = {}
    made: list[list[OnDisk]] = [[] for _ in all_of_them]
    with ExitStack() as stack:
        stack.callback(_stopped, open_now, made)
        for tiles in bands:
            parts: list[list[np.ndarray]] = [[] for _ in all_of_them]
            top, tall = 0, 0
            for tile in tiles:
                if not any(parts):
                    top, tall = tile.top, tile.tall

                def take(k: int, tile: Tile = tile, parts: list[list[np.ndarray]] = parts) -> None:
                    raster = all_of_them[k]
                    if not raster.even:
                        parts[k].append(raster.pixels(tile))
                    elif not made[k]:
                        made[k] += [_of_one(raster, page, k, tile, room) for page in range(len(raster.files))]

                map_blocks(take, list(range(len(all_of_them))))
                del tile, take

            def write(
                k: int, parts: list[list[np.ndarray]] = parts, top: int = top, tall: int = tall
            ) -> None:  # fmt: skip
                raster = all_of_them[k]
                if raster.even:
                    return
                rows, side = raster.rows(parts[k], top), size // raster.shrink
                parts[k].clear()
                begin, end = top // raster.shrink, (top + tall) // raster.shrink
                for first in range(begin, end):
                    if first != begin and first % side:
                        continue
                    page, last = first // side, min((first // side + 1) * side, end)
                    if k not in open_now:
                        open_now[k] = _writer(raster, page, k, side, room)
                    writer = open_now[k]
                    writer.add(rows[first - begin : last - begin])
                    if writer.done == side:
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
    one = replace(raster, shrink=1)
    writer.add(one.rows([one.pixels(replace(tile, tall=1, wide=1, fill=tile.fill[:1], bare=None))], tile.top))
    writer.close()
    return OnDisk(raster.files[page], writer.path)
