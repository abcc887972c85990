"""Hollows that water fills: the lowest level at each texel from which it cannot run off any more.

Each texel drains to its lowest neighbour, down to the bottom of a basin; a basin spills over the lowest of all ways
out of it, which a minimum spanning tree of the basins and the passes between them knows (J. B. Kruskal, "On the
shortest spanning subtree of a graph", Proceedings of the American Mathematical Society 7, 1956). A texel's level is
that of its basin or its own height: the very numbers of a priority flood (R. Barnes, C. Lehman and D. Mulla,
"Priority-Flood", Computers & Geosciences 62, 2014), which visits all texels from the lowest on, all over memory; this
walks through them row by row, and sorts passes alone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import inlined, kernel
from limus.surface.texels import Texels

#: A surface whose normal points further down than this lets water drip off.
OVERHANG = -0.3


@inlined
def _root(parent, at):  # type: ignore[no-untyped-def]
    """Where the way over parents ends; the way is halved as it is walked."""
    while parent[at] != at:
        parent[at] = parent[parent[at]]
        at = parent[at]
    return at


@kernel
def _basins(links, height, basin):  # type: ignore[no-untyped-def]
    """Number of the basin that each texel drains into, always on to its lowest neighbour (of equal ones the first, so
    that what is level is one basin); how many there are.
    """
    count = len(height)
    for i in range(count):
        low, to = height[i], i
        for k in range(links.shape[1]):
            j = links[i, k]
            if j >= 0 and (height[j] < low or (height[j] == low and j < to)):
                low, to = height[j], j
        basin[i] = to
    for i in range(count):
        # A texel that was looked at before has its bottom at hand.
        basin[i] = _root(basin, i)
    number = np.empty(count, np.int32)
    found = 0
    for i in range(count):
        if basin[i] == i:
            number[i] = found
            found += 1
    for i in range(count):
        basin[i] = number[basin[i]]
    return found


@kernel
def _passes(links, height, outlet, basin, basins, pair, low):  # type: ignore[no-untyped-def]
    """Where one basin goes over into another, or off the surface (basin ``basins``): how many places, of which those
    that ``pair`` (m, 2) and ``low`` (m,) have room for are written with how high they lie.
    """
    out = np.full(basins, np.inf, np.float32)
    found = 0
    for i in range(len(height)):
        a = basin[i]
        if outlet[i]:
            out[a] = min(out[a], height[i])
        for k in range(links.shape[1]):
            j = links[i, k]
            if j < 0 or basin[j] == a:
                continue
            # Once, from the first of the two, unless only this one knows of the other.
            known = False
            if j < i:
                for q in range(links.shape[1]):
                    known = known or links[j, q] == i
            if not known:
                if found < len(low):
                    pair[found, 0], pair[found, 1] = a, basin[j]
                    low[found] = max(height[i], height[j])
                found += 1
    for a in range(basins):
        if out[a] < np.inf:
            if found < len(low):
                pair[found, 0], pair[found, 1], low[found] = a, basins, out[a]
            found += 1
    return found


@kernel
def _spill(pair, low, order, basins):  # type: ignore[no-untyped-def]
    """Height at which each basin spills: passes are opened from the lowest on, and whatever comes to hang together
    with the outside by one spills there. What has no way out holds nothing.
    """
    spill = np.full(basins + 1, -np.inf, np.float32)
    root = np.arange(basins + 1).astype(np.int32)
    # All that hang together, one after the other in a ring.
    ring = root.copy()
    # No basin's number is higher than that of the outside, which therefore stays a root.
    for e in order:
        a, b = _root(root, pair[e, 0]), _root(root, pair[e, 1])
        if a == b:
            continue
        if a > b:
            a, b = b, a
        if b == basins:
            at = a
            while True:
                spill[at] = low[e]
                at = ring[at]
                if at == a:
                    break
        else:
            ring[a], ring[b] = ring[b], ring[a]
        root[a] = b
    return spill


@kernel
def _level(height, basin, spill, level):  # type: ignore[no-untyped-def]
    for i in range(len(height)):
        level[i] = max(height[i], spill[basin[i]])


@kernel
def _label(links, deep, root, bottom, height):  # type: ignore[no-untyped-def]
    """Joins neighbours that are both in a hollow; then ``bottom`` is the lowest height of each one's hollow."""
    count = len(deep)
    for i in range(count):
        root[i] = i
    for i in range(count):
        if not deep[i]:
            continue
        for k in range(links.shape[1]):
            j = links[i, k]
            if j < 0 or not deep[j]:
                continue
            a, b = _root(root, i), _root(root, j)
            if a != b:
                root[max(a, b)] = min(a, b)
    for i in range(count):
        bottom[i] = height[i]
    for i in range(count):
        a = _root(root, i)
        root[i] = a
        bottom[a] = min(bottom[a], height[i])
    for i in range(count):
        bottom[i] = bottom[root[i]]


@dataclass(frozen=True)
class Hollows:
    """``level`` (n,) float32 mm: up to where water can stand, nowhere below the height; ``bottom`` (n,) float32 mm:
    the lowest height of the hollow that a texel lies in, its own height outside of them; ``area`` (n,) float32 m2 of
    that hollow, of the texel itself outside.
    """

    level: np.ndarray
    bottom: np.ndarray
    area: np.ndarray


@kernel
def _ashore(links, inside, height, level, bottom, area, out_level, out_bottom, out_area, there):  # type: ignore[no-untyped-def]
    """Carries what is known of a hollow one texel up its shore; not over the lip where it spills."""
    for i in range(len(inside)):
        there[i] = inside[i]
        if inside[i]:
            out_level[i], out_bottom[i], out_area[i] = level[i], bottom[i], area[i]
            continue
        for k in range(4):
            j = links[i, k]
            if j >= 0 and inside[j] and height[i] > level[j] and (not there[i] or level[j] > out_level[i]):
                out_level[i], out_bottom[i], out_area[i] = level[j], bottom[j], area[j]
                there[i] = True


def _in_window(texels: Texels, height: np.ndarray, whole: Hollows, ground: np.ndarray, links: np.ndarray) -> Hollows:
    """The hollows that were found on the whole of a surface, ``ground`` its height there, over the texels of a window
    with a ``height`` of their own: the shore is where this one comes up through the level.
    """
    count = len(ground)
    level, bottom, area = (np.zeros(count, np.float32) for _ in range(3))
    there = np.empty(count, np.bool_)
    _ashore(links, whole.level > ground, ground, whole.level, whole.bottom, whole.area, level, bottom, area, there)
    weight = texels.from_whole(there.astype(np.float32))
    stands = texels.from_whole(level) / np.maximum(weight, 1e-6)
    own = texels.from_whole(there, nearest=True) & (weight > 0.05) & (stands > height)
    return Hollows(
        np.where(own, stands, height).astype(np.float32),
        np.where(own, np.minimum(texels.from_whole(bottom, nearest=True), height), height).astype(np.float32),
        np.where(own, texels.from_whole(area, nearest=True), texels.area).astype(np.float32),
    )


@kernel
def _leaves(links, normal, outlet):  # type: ignore[no-untyped-def]
    """Where water leaves: where the surface ends, and where it overhangs."""
    for i in range(len(outlet)):
        outlet[i] = normal[i, 1] < np.float32(OVERHANG)
        for k in range(links.shape[1]):
            if links[i, k] < 0:
                outlet[i] = True


def filled(texels: Texels, height_mm: np.ndarray, outlet: np.ndarray | None = None) -> Hollows:
    """Fill the hollows of a surface up to where they spill.

    Parameters
    ----------
    height_mm : (n,) float32, height of the surface with its relief. outlet : (n,) bool where water leaves; left out:
        where the surface ends, and where it overhangs.
    """
    height = np.ascontiguousarray(height_mm, np.float32)

    def fill() -> tuple[Hollows, np.ndarray, np.ndarray]:
        level = np.empty_like(height)
        links = texels.links
        basin = np.empty(len(height), np.int32)
        basins = _basins(links, height, basin)
        out = np.empty(len(height), np.bool_) if outlet is None else outlet
        if outlet is None:
            _leaves(links, texels.normal, out)
        # Where every texel is a basin of its own there are more, and they are looked for once more.
        room = found = len(height)
        while found >= room:
            room = found + 1
            pair, low = np.empty((room, 2), np.int32), np.empty(room, np.float32)
            found = _passes(links, height, out, basin, basins, pair, low)
        _level(height, basin, _spill(pair, low, np.argsort(low[:found]), basins), level)
        root, bottom = np.empty(len(height), np.int32), np.empty_like(height)
        _label(links, level > height, root, bottom, height)
        area = np.bincount(root, texels.area, len(height))[root].astype(np.float32)
        return Hollows(level, bottom, area), height, links

    def read(noted: tuple[Hollows, np.ndarray, np.ndarray]) -> tuple[Hollows, np.ndarray, np.ndarray]:
        return _in_window(texels, height, *noted), *noted[1:]

    found: tuple[Hollows, np.ndarray, np.ndarray] = decided("hollows", fill, read)
    return found[0]
