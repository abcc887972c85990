"""What an evaluation takes in memory at any resolution, told from what a small one holds."""

from __future__ import annotations

from dataclasses import dataclass

from limus.common.errors import InputError
from limus.common.store import leaves_of
from limus.playing.chronicle import Chronicle, Surface
from limus.strata.pile import Pile
from limus.surface.window import rim_of

#: Bytes a texel that texels themselves hold, with their gutters (see ``Texels``).
TEXEL = 58
#: Bytes a texel that the widest layer takes while it acts, and maps on their way into files. Measured: stories of three
#: to fourteen layers, at 1024 and 2048, on four objects (``make bench`` prints it beside the estimate).
WORKING = 80


#: Bytes a texel of the whole that stay while windows are drawn: readings, its surface, and what was decided, also
#: beyond its seams. Measured: stories of one to fourteen layers (``make bench``).
_DECIDED = 400
#: Texels of a window, about: enough that its rim is a small part of it, and few enough for any machine; and its rows.
TILE_TEXELS, TILE_ROWS = 1 << 20, 1024
#: Pixels along a side of a map set up to which everything is played at once; what is larger is drawn in windows.
LARGEST_WHOLE = 2048
#: That things are decided at, where windows are drawn: no more pixels of all map sets together than this.
_WHOLE, _PIXELS = 1024, 4 << 20


def whole_size(sets: int, resolution: int) -> int:
    """Pixels along a side of each of ``sets`` map sets that windows of ``resolution`` are decided at: that size halved
    as often as it takes.

    Raises
    ------
    InputError : it cannot be halved so often.
    """
    size = resolution
    while size > 64 and (size > _WHOLE or sets * size * size > _PIXELS):
        if size % 2:
            near = 1 << (resolution - 1).bit_length()
            raise InputError(
                f"{resolution} pixels along a side cannot be halved to {_WHOLE} or less",
                where="resolution",
                remedy=f"Above {LARGEST_WHOLE} take a power of two, like {near // 2} or {near}",
                value=str(resolution),
            )
        size //= 2
    return size


def tile_sides(size: int, density: int) -> tuple[int, int]:
    """Height and width of a tile of a map set of ``density`` pixels, in pixels of the whole that has ``size`` of them
    along a side.
    """
    cut = density // size
    tall = max(1, min(TILE_ROWS // cut, size))
    return tall, max(1, min(TILE_TEXELS // (tall * cut * cut), size))


def in_bytes(count: int) -> str:
    """A number of bytes in words, as people read them."""
    mega = count / (1 << 20)
    return f"{mega / 1024:.1f} GB" if mega >= 1000 else f"{max(mega, 1):.0f} MB"


@dataclass(frozen=True)
class Needed:
    """Bytes that one pixel of a map set takes, those off the surface among them; ``sets`` map sets; ``covered`` the
    share of their pixels that the surface has; ``written`` bytes a pixel of all maps together.
    """

    pixel: float
    sets: int
    covered: float = 1.0
    written: float = 0.0

    def at(self, resolution: int) -> int:
        """Bytes at so many pixels along each side of a map set."""
        if resolution <= LARGEST_WHOLE:
            return int(self.pixel * self.sets * resolution * resolution)
        size = whole_size(self.sets, resolution)
        cut = resolution // size
        # A tile with its rim, at worst full of surface; its rows in all maps; and of the whole what was decided.
        tall, wide = tile_sides(size, resolution)
        rim = 2 * rim_of(cut)
        tile = (tall + rim) * (wide + rim) * cut * cut * self.pixel / max(self.covered, 1e-3)
        rows = resolution * tall * cut * self.written * 2
        whole = self.sets * size * size
        return int(max(tile + rows + whole * self.covered * _DECIDED, whole * self.pixel))

    def said(self, resolution: int) -> str:
        """In words: "1.9 GB"."""
        return in_bytes(self.at(resolution))

    def fitting(self, sizes: tuple[int, ...], memory: int) -> list[int]:
        """Those of ``sizes`` that ``memory`` bytes hold; at least the smallest."""
        return [size for size in sizes if self.at(size) <= memory] or [min(sizes)]


def needed_by(chronicle: Chronicle, pile: Pile, surface: Surface, *, more: int = 0, written: float = 0.0) -> Needed:
    """What the story takes that left ``pile`` and ``surface`` on the small texels of ``chronicle``: everything that
    grows with the texels is counted once, however many hold it. ``more``: bytes a texel besides; ``written``: a
    pixel of all maps.
    """
    texels = chronicle.texels
    least = len(texels)
    fields = (
        pile.skin, pile.substance, pile.base, pile.coats, pile.marks, pile.cleft,
        chronicle.measured.table, surface.sheet, surface.relief, surface.normal, surface.occlusion,
    )  # fmt: skip
    held = {leaf: size for leaf, size, _ in leaves_of(fields) if size >= least}
    each = sum(held.values()) / least + TEXEL + WORKING + more
    covered = least / (texels.pages * texels.size**2)
    return Needed(each * covered, texels.pages, covered, written)
