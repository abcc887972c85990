"""Windows: any part of a surface at any density, and the whole that decides for them.

A window is made of *blocks*, the pixels of the whole's pictures, each cut into as many texels as the density asks for:
those that are wanted, and a rim around them, over UV seams as well, so that what looks a little way off finds what it
looks for.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np

from limus.common.errors import InputError
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.common.store import own_bytes
from limus.surface.blocks import TriangleBins, pixels_of, rasterise_blocks, triangle_bins
from limus.surface.gutter import walked_over
from limus.surface.resampling import resampled_extended
from limus.surface.seams import texel_at
from limus.surface.tangents import uv_gradients
from limus.surface.texel_frames import texel_frames
from limus.surface.texels import Texels


def rim_of(cut: int) -> int:
    """Texels of the whole that a window reaches beyond what is wanted of it, where each of them is cut into ``cut`` x
    ``cut``: four; fewer where those would be far more than what is wanted. Softening by a quarter of it ends within.
    """
    return max(1, min(4, 32 // cut))


#: Pixels along a side of a map set at most.
LARGEST = 65536
#: mm: finer than a micrometre no surface of a model is known.
FINEST_MM = 0.001


@dataclass(frozen=True)
class Whole(Texels):
    """All of a surface as its windows see it: at each texel the one place in its middle, as a texel of ``density``
    pixels along a side of a map set has it. What is decided on it holds for the windows, whose texels it is a sample
    of.
    """

    density: int = 0

    @classmethod
    def of_texels(cls, texels: Texels, density: int) -> Whole:
        """The same texels, seen at a density from their own upwards, a power of two times it."""
        out = cls(**{f.name: getattr(texels, f.name) for f in fields(Texels)}, density=density)
        # What was made of them already holds for these.
        own = {
            k: v for k, v in texels.__dict__.items() if k not in out.__dict__ and k not in ("texel_mm", "_own_bytes")
        }
        out.__dict__.update(own)
        out.__dict__["_spacing"] = texels.texel_mm
        return out

    @cached_property
    def texel_mm(self) -> float:
        """Side of the texels that these are a sample of, mm."""
        return float(self.spacing_mm * self.size / self.density)

    @property
    def spacing_mm(self) -> float:
        """See ``Texels``."""
        return float(self.__dict__["_spacing"])

    @property
    def near_mm(self) -> float:
        """See ``Texels``."""
        return self.spacing_mm * rim_of(self.density // self.size) / 4

    @cached_property
    def bins(self) -> TriangleBins:
        """Where to look for triangles."""
        return triangle_bins(self.uv, self.mesh.triangle_map_set, self.pages, self.size)

    @cached_property
    def area_per_uv(self) -> np.ndarray:
        """(T,) float64 m2 of surface for each unit of UV area."""
        along_u, along_v = uv_gradients(self.mesh)
        return np.asarray(np.linalg.norm(np.cross(along_u, along_v), axis=1))

    @cached_property
    def uneven(self) -> np.ndarray:
        """(islands,) bool: UV islands beside which one lies whose texels are twice as large or small."""
        near = self.adjacency
        count = int(near.island.max(initial=-1)) + 1
        steps = np.sqrt(np.maximum(self.area_per_uv, 1e-30))
        wide = np.bincount(near.island, steps, count) / np.maximum(np.bincount(near.island, minlength=count), 1)
        t, edge = np.nonzero(near.twin >= 0)
        a, b = near.island[t], near.island[near.twin[t, edge]]
        out = np.zeros(count, np.bool_)
        out[a[np.maximum(wide[a], wide[b]) > 2.0 * np.minimum(wide[a], wide[b])]] = True
        return out

    @cached_property
    def neighbours(self) -> np.ndarray:
        """(n, 4) int32 ``links``, kept: every window walks over them."""
        return self.links


@kernel
def _under(start, end, block, triangle, blocks, wide, pixel, of, shown, island, out):  # type: ignore[no-untyped-def]
    """The whole's texel that each one lies in: that of its pixel, or the next one of its island."""
    for i in range(start, end):
        place = blocks[block[i]]
        first = place // (wide * wide) * (wide * wide)
        y, x = (place // wide) % wide, place % wide
        own = island[triangle[i]]
        out[i] = shown[place]
        best = 99
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                u, v = x + dx, y + dy
                if u < 0 or v < 0 or u >= wide or v >= wide:
                    continue
                j = shown[first + v * wide + u]
                if pixel[j] == first + v * wide + u and island[of[j]] == own and dx * dx + dy * dy < best:
                    best, out[i] = dx * dx + dy * dy, j


@kernel
def _picture(start, end, page, x, y, size, table, shift, places, out):  # type: ignore[no-untyped-def]
    for row in range(start, end):
        for column in range(out.shape[1]):
            out[row, column] = texel_at(table, shift, places, size, page, x + column, y + row)


@dataclass(frozen=True, kw_only=True)
class Window(Texels):
    """A part of ``whole``.

    ``blocks`` (b,) int64 the whole's pixels it is made of, ascending; ``wanted`` (b,) bool those that were asked for
    and no rim; ``table`` and ``places`` as ``seams.texel_at`` takes them; ``block`` (n,) int32 the block each texel
    lies in, of 2^``shift`` texels along each side.
    """

    whole: Whole
    blocks: np.ndarray
    wanted: np.ndarray
    table: np.ndarray
    places: np.ndarray
    block: np.ndarray
    shift: int

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes of its own, for the store."""
        shared = ("mesh", "whole", "adjacency", "uv", "along_u", "along_v", "corners", "_extended")
        return own_bytes(self, *shared), ()

    @property
    def key(self) -> str:
        """That of the whole: what is made of it in a window has the same name."""
        return self.whole.key

    @property
    def total_area(self) -> float:
        """m2 of the whole."""
        return self.whole.total_area

    @cached_property
    def texel_mm(self) -> float:
        """See ``Texels``."""
        return float(self.whole.spacing_mm * self.whole.size / self.size)

    @property
    def whole_mm(self) -> float:
        """See ``Texels``."""
        return self.whole.spacing_mm

    @property
    def near_mm(self) -> float:
        """See ``Texels``."""
        return self.whole.near_mm

    @property
    def index(self) -> np.ndarray:
        """A window has no picture of the whole."""
        raise RuntimeError("a window has no picture: ask look_up")

    @property
    def look_up(self) -> tuple[np.ndarray, int, np.ndarray]:
        """See ``Texels``."""
        return self.table, self.shift, self.places

    @property
    def shown(self) -> tuple[np.ndarray, int, np.ndarray]:
        """See ``Texels``."""
        return self.look_up

    @property
    def corners(self):  # type: ignore[no-untyped-def]
        """Those of the whole."""
        return self.whole.corners

    @cached_property
    def step_of_triangle(self) -> np.ndarray:
        """See ``Texels``."""
        return self.whole.step_of_triangle * (self.whole.size / self.size)

    @property
    def _corner_tangents(self) -> tuple[np.ndarray, np.ndarray]:
        return self.whole._corner_tangents

    @cached_property
    def half(self) -> Texels:
        """The same blocks at half the density."""
        return _of_blocks(self.whole, self.size // 2, self.blocks, self.wanted, self.table)

    @cached_property
    def under(self) -> np.ndarray:
        """(n,) int32: the whole's texel that each one lies in."""
        whole, out = self.whole, np.empty(len(self), np.int32)
        for_ranges(
            _under, len(self), self.block, self.triangle, self.blocks, whole.size, whole.pixel, whole.triangle,
            whole.fill_index, self.adjacency.island, out,
        )  # fmt: skip
        return out

    def from_whole(self, field: np.ndarray, *, nearest: bool = False) -> np.ndarray:
        """See ``Texels``."""
        if nearest:
            return field[self.under]
        known: dict[int, tuple[np.ndarray, np.ndarray]] = self.whole.__dict__.setdefault("_extended", {})
        found = known.get(id(field))
        if found is None or found[0] is not field:
            # Windows come by the dozen: over the seams the field goes on once for all of them.
            found = known[id(field)] = (field, self.whole.extend(field.reshape(len(field), -1)))
        return resampled_extended(found[1], self.whole, self, field.shape[1:])

    def resample(self, field: np.ndarray, source: Texels) -> np.ndarray:
        """See ``Texels``; what lies over the whole goes on over its seams once for all windows."""
        return self.from_whole(field) if source is self.whole else super().resample(field, source)

    def picture(self, page: int, x: int, y: int, wide: int, tall: int) -> np.ndarray:
        """(tall, wide) int32: the texel at each pixel of a rectangle of a map set, -1 where there is none."""
        out = np.empty((tall, wide), np.int32)
        for_ranges(_picture, tall, page, x, y, self.size, self.table, self.shift, self.places, out, smallest=64)
        return out

    @cached_property
    def core(self) -> np.ndarray:
        """(m,) int64: the texels that were asked for."""
        return np.flatnonzero(self.wanted[self.block])


def check_density(whole: Texels, density: int) -> None:
    """Whether windows of this many pixels along a side of a map set can be drawn.

    Raises
    ------
    InputError : no power of two times the whole's, too many, or texels finer than anything is known of the surface.
    """
    if (
        density < whole.size
        or density > LARGEST
        or density % whole.size
        or (density // whole.size) & (density // whole.size - 1)
    ):
        raise InputError(
            f"{density} pixels along a side cannot be drawn from {whole.size}",
            where="resolution",
            remedy=f"Take {whole.size} times a power of two, up to {LARGEST}",
            accepted=f"{whole.size} to {LARGEST}",
        )
    if whole.spacing_mm * whole.size / density < FINEST_MM:
        raise InputError(
            f"at {density} pixels along a side a texel of this object is {whole.spacing_mm * whole.size / density:.2g} "
            "mm wide; finer than a micrometre nothing is known of a surface",
            where="resolution",
            remedy="Take a smaller size",
        )


def tile_blocks(whole: Texels, page: int, x: int, y: int, wide: int, tall: int) -> np.ndarray:
    """(m,) int64: the whole's pixels of a rectangle of one of its pictures.

    Raises
    ------
    InputError : it does not lie in the picture.
    """
    size = whole.size
    if not (0 <= page < whole.pages and x >= 0 and y >= 0 and 0 < wide <= size - x and 0 < tall <= size - y):
        raise InputError(
            f"the tile {x}, {y} ({wide} x {tall}) of map set {page} lies outside of the map",
            where="tile",
            remedy=f"There are {whole.pages} map sets of {size} x {size}",
        )
    rows = (np.arange(y, y + tall, dtype=np.int64) + page * size) * size
    return (rows[:, None] + np.arange(x, x + wide, dtype=np.int64)[None]).ravel()


def window_of(whole: Whole, blocks: np.ndarray) -> Window:
    """The part of ``whole`` that lies in ``blocks`` (m,), pixels of its pictures, at its density, with a rim."""
    check_density(whole, whole.density)
    there, wanted = _with_rim(whole, blocks, rim_of(whole.density // whole.size))
    window = _of_blocks(whole, whole.density, there, wanted, _table(whole, there))
    if not whole.uneven[np.unique(window.island[window.core])].any():
        return window
    # Where texels are much larger on one side of a seam, steps of the whole lead too far over it.
    walked = walked_over(window)
    size, cut = whole.size, whole.density // whole.size
    aims = np.unique(walked.aims[walked.aims >= 0])
    page, y, x = aims // whole.density**2, aims // whole.density % whole.density, aims % whole.density
    more = np.zeros((whole.pages, size, size), np.bool_)
    more[page, y // cut, x // cut] = True
    _widen(more, 2)
    more.reshape(-1)[there] = True
    every = np.flatnonzero(more).astype(np.int64)
    if len(every) == len(there):
        return window
    asked = np.zeros(whole.pages * size * size, np.bool_)
    asked[there[wanted]] = True
    return _of_blocks(whole, whole.density, every, asked[every], _table(whole, every))


def _table(whole: Whole, blocks: np.ndarray) -> np.ndarray:
    table = np.full(whole.pages * whole.size * whole.size, -1, np.int32)
    table[blocks] = np.arange(len(blocks), dtype=np.int32)
    return table


@kernel
def _reach(links, marked, seeds, steps):  # type: ignore[no-untyped-def]
    """Marks what lies within so many steps of the seeds; 1 beyond each number of steps."""
    count = len(marked)
    queue, depth = np.empty(count, np.int32), np.zeros(count, np.int8)
    last = 0
    for i in seeds:
        if not marked[i]:
            marked[i] = True
            queue[last] = i
            last += 1
    first = 0
    while first < last:
        i = queue[first]
        first += 1
        if depth[i] >= steps:
            continue
        for k in range(4):
            j = links[i, k]
            if j >= 0 and not marked[j]:
                marked[j] = True
                depth[j] = depth[i] + 1
                queue[last] = j
                last += 1


def _with_rim(whole: Whole, blocks: np.ndarray, rim: int) -> tuple[np.ndarray, np.ndarray]:
    """(b,) int64 the blocks and those around them, ascending, and (b,) bool which were given."""
    size = whole.size
    marked = np.zeros((whole.pages, size, size), np.bool_)
    flat = marked.reshape(-1)
    flat[blocks] = True
    asked = flat.copy()
    # Around them in the picture, and over seams along the surface.
    texels = np.zeros(len(whole), np.bool_)
    _reach(whole.neighbours, texels, np.flatnonzero(asked[whole.pixel]).astype(np.int32), rim)
    flat[whole.pixel[texels]] = True
    # A pixel whose middle is off the surface may have texels all the same.
    _widen(marked, 1)
    only = asked.reshape(marked.shape).copy()
    _widen(only, rim)
    marked |= only
    there = np.flatnonzero(flat)
    return there.astype(np.int64), asked[there]


def _widen(marked: np.ndarray, by: int) -> None:
    """Spread what is marked of (p, h, w) pictures to all sides, in place; only where something is."""
    for page in marked:
        rows, columns = np.flatnonzero(page.any(axis=1)), np.flatnonzero(page.any(axis=0))
        if not len(rows):
            continue
        top, bottom = max(rows[0] - by, 0), rows[-1] + by + 1
        left, right = max(columns[0] - by, 0), columns[-1] + by + 1
        part = page[top:bottom, left:right]
        for _ in range(by):
            wide = part.copy()
            wide[1:] |= part[:-1]
            wide[:-1] |= part[1:]
            part[:] = wide
            wide[:, 1:] |= part[:, :-1]
            wide[:, :-1] |= part[:, 1:]
            part[:] = wide


def _of_blocks(whole: Whole, size: int, blocks: np.ndarray, wanted: np.ndarray, table: np.ndarray) -> Window:
    shift = (size // whole.size).bit_length() - 1
    owner = rasterise_blocks(blocks, whole.size, shift, whole.uv, whole.bins)
    place = np.flatnonzero(owner >= 0)
    triangle = owner[place]
    places = np.full(len(owner), -1, np.int32)
    places[place] = np.arange(len(place), dtype=np.int32)
    pixel = pixels_of(place, blocks, whole.size, shift)
    corners = whole.corners
    p, n = texel_frames(whole.mesh, size, pixel, triangle, corners.uv, corners.number, corners.position, corners.normal)
    area = (whole.area_per_uv[triangle] / (size * size)).astype(np.float32)
    own = {f.name: getattr(whole, f.name) for f in fields(Texels)}
    own |= {"size": size, "pixel": pixel, "triangle": triangle, "position": p, "normal": n, "area": area}
    return Window(
        **own, whole=whole, blocks=blocks, wanted=wanted, table=table, places=places,
        block=(place >> (2 * shift)).astype(np.int32), shift=shift,
    )  # fmt: skip
