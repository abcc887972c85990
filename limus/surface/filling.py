"""Hollows that water fills: the lowest level at each texel from which it cannot run off any more.

Priority flood (R. Barnes, C. Lehman and D. Mulla, "Priority-Flood: An Optimal Depression-Filling and Watershed-Labeling
Algorithm for Digital Elevation Models", Computers & Geosciences 62, 2014), over texels and through seams instead of
over a square grid: from where water leaves the surface inwards, always on from the lowest texel reached. Inside a
hollow a plain queue does, since all of it lies at one level.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.deciding import decided
from limus.common.kernel import kernel
from limus.surface.texels import Texels

#: A surface whose normal points further down than this lets water drip off.
OVERHANG = -0.3


@kernel
def _sink(heap_h, heap_i, size, h, i):  # type: ignore[no-untyped-def]
    """Put (h, i) on the heap whose root was taken, from the root downwards."""
    at = 0
    while True:
        child = 2 * at + 1
        if child >= size:
            break
        if child + 1 < size and heap_h[child + 1] < heap_h[child]:
            child += 1
        if heap_h[child] >= h:
            break
        heap_h[at], heap_i[at] = heap_h[child], heap_i[child]
        at = child
    heap_h[at], heap_i[at] = h, i


@kernel
def _flood(links, height, outlet, level):  # type: ignore[no-untyped-def]
    count = len(height)
    heap_h, heap_i = np.empty(count, np.float32), np.empty(count, np.int32)
    queue = np.empty(count, np.int32)
    done = np.zeros(count, np.bool_)
    size = 0
    for i in range(count):
        level[i] = height[i]
        if outlet[i]:
            done[i] = True
            at = size
            size += 1
            while at > 0 and heap_h[(at - 1) // 2] > height[i]:
                heap_h[at], heap_i[at] = heap_h[(at - 1) // 2], heap_i[(at - 1) // 2]
                at = (at - 1) // 2
            heap_h[at], heap_i[at] = height[i], i
    first, last = 0, 0
    while size > 0 or first < last:
        if first < last:
            c = queue[first]
            first += 1
        else:
            first, last = 0, 0
            c = heap_i[0]
            size -= 1
            if size > 0:
                _sink(heap_h, heap_i, size, heap_h[size], heap_i[size])
        here = level[c]
        for k in range(links.shape[1]):
            j = links[c, k]
            if j < 0 or done[j]:
                continue
            done[j] = True
            if height[j] <= here:
                level[j] = here
                queue[last] = j
                last += 1
            else:
                at = size
                size += 1
                while at > 0 and heap_h[(at - 1) // 2] > height[j]:
                    heap_h[at], heap_i[at] = heap_h[(at - 1) // 2], heap_i[(at - 1) // 2]
                    at = (at - 1) // 2
                heap_h[at], heap_i[at] = height[j], j


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
            a, b = i, j
            while root[a] != a:
                root[a] = root[root[a]]
                a = root[a]
            while root[b] != b:
                root[b] = root[root[b]]
                b = root[b]
            if a != b:
                root[max(a, b)] = min(a, b)
    for i in range(count):
        bottom[i] = height[i]
    for i in range(count):
        a = i
        while root[a] != a:
            a = root[a]
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


def outlets(texels: Texels) -> np.ndarray:
    """(n,) bool: where water leaves: where the surface ends, and where it overhangs."""
    return np.asarray((texels.links < 0).any(axis=1) | (texels.normal[:, 1] < OVERHANG))


def filled(texels: Texels, height_mm: np.ndarray, outlet: np.ndarray | None = None) -> Hollows:
    """Fill the hollows of a surface up to where they spill.

    Parameters
    ----------
    height_mm : (n,) float32, height of the surface with its relief. outlet : (n,) bool, ``outlets`` where left out.
    """
    height = np.ascontiguousarray(height_mm, np.float32)

    def fill() -> tuple[Hollows, np.ndarray, np.ndarray]:
        level = np.empty_like(height)
        links = texels.links
        _flood(links, height, outlets(texels) if outlet is None else outlet, level)
        root, bottom = np.empty(len(height), np.int32), np.empty_like(height)
        _label(links, level > height, root, bottom, height)
        area = np.bincount(root, texels.area, len(height))[root].astype(np.float32)
        return Hollows(level, bottom, area), height, links

    def read(noted: tuple[Hollows, np.ndarray, np.ndarray]) -> tuple[Hollows, np.ndarray, np.ndarray]:
        return _in_window(texels, height, *noted), *noted[1:]

    found: tuple[Hollows, np.ndarray, np.ndarray] = decided("hollows", fill, read)
    return found[0]
