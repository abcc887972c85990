"""Random numbers that belong to a place: the same cell gives the same number on every machine."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import inlined


@inlined
def hashed(ix, iy, iz, salt):  # type: ignore[no-untyped-def]
    """32 random bits for a lattice point (int32 x, y, z) and a uint32 ``salt``.

    Multiply, shift and exclusive-or (the constants of a published low-bias search: C. Wellons, "Prospecting for Hash
    Functions", 2018), with three large odd numbers to tell the axes apart, and two added, or a place in a plane through
    the origin and its mirror image would have the same bits.
    """
    h = np.uint32(
        np.uint32(ix * 0x8DA6B343 + 0x1B873593)
        ^ np.uint32(iy * 0xD8163841 + 0x6A09E667)
        ^ np.uint32(iz * 0xCB1AB31F)
        ^ salt
    )
    h = np.uint32((h ^ (h >> np.uint32(15))) * np.uint32(0x2C1B3C6D))
    h = np.uint32((h ^ (h >> np.uint32(12))) * np.uint32(0x297A2D39))
    return np.uint32(h ^ (h >> np.uint32(15)))


@inlined
def unit(h):  # type: ignore[no-untyped-def]
    """Random bits to a float32 in 0..1 (24 bits of it)."""
    return np.float32(np.int32(h >> np.uint32(8))) * np.float32(1.0 / 16777216.0)


@inlined
def again(h, k):  # type: ignore[no-untyped-def]
    """More random bits from the same place: the ``k``-th after ``h``."""
    h = np.uint32(h + np.uint32(k) * np.uint32(0x9E3779B9))
    h = np.uint32((h ^ (h >> np.uint32(16))) * np.uint32(0x7FEB352D))
    h = np.uint32((h ^ (h >> np.uint32(15))) * np.uint32(0x846CA68B))
    return np.uint32(h ^ (h >> np.uint32(16)))
