"""What an evaluation takes in memory at any resolution, told from what a small one holds."""

from __future__ import annotations

from dataclasses import dataclass

from limus.common.store import leaves_of
from limus.playing.chronicle import Chronicle, Surface
from limus.strata.pile import Pile

#: Bytes a texel that texels themselves hold, with their gutters (see ``Texels``).
TEXEL = 58
#: Bytes a texel that the widest layer takes while it acts, and maps on their way into files. Measured: stories of three
#: to fourteen layers, at 1024 and 2048, on four objects (``make bench`` prints it beside the estimate).
WORKING = 80


def in_bytes(count: int) -> str:
    """A number of bytes in words, as people read them."""
    mega = count / (1 << 20)
    return f"{mega / 1024:.1f} GB" if mega >= 1000 else f"{max(mega, 1):.0f} MB"


@dataclass(frozen=True)
class Needed:
    """Bytes that one pixel of a map set takes, those off the surface among them; ``sets`` map sets."""

    pixel: float
    sets: int

    def at(self, resolution: int) -> int:
        """Bytes at so many pixels along each side of a map set."""
        return int(self.pixel * self.sets * resolution * resolution)

    def said(self, resolution: int) -> str:
        """In words: "1.9 GB"."""
        return in_bytes(self.at(resolution))

    def fitting(self, sizes: tuple[int, ...], memory: int) -> list[int]:
        """Those of ``sizes`` that ``memory`` bytes hold; at least the smallest."""
        return [size for size in sizes if self.at(size) <= memory] or [min(sizes)]


def needed_by(chronicle: Chronicle, pile: Pile, surface: Surface, *, more: int = 0) -> Needed:
    """What the story takes that left ``pile`` and ``surface`` on the small texels of ``chronicle``: everything that
    grows with the texels is counted once, however many hold it. ``more``: bytes a texel besides.
    """
    texels = chronicle.texels
    least = len(texels)
    fields = (
        pile.skin, pile.substance, pile.base, pile.coats, pile.marks, pile.cleft,
        chronicle.measured.table, surface.sheet, surface.relief, surface.normal, surface.occlusion,
    )  # fmt: skip
    held = {leaf: size for leaf, size, _ in leaves_of(fields) if size >= least}
    each = sum(held.values()) / least + TEXEL + WORKING + more
    return Needed(each * least / (texels.pages * texels.size**2), texels.pages)
