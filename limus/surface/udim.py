"""UVs that lie in several unit squares, numbered from 1001 in rows of ten (UDIM)."""

from __future__ import annotations

import re

FIRST = 1001
_NAMED = re.compile(r" (1[0-9]{3})(?: \d+)?$")


def udim_of(domain: str) -> int:
    """The number of the tile that a map set was made of, as its name ends; 1001 for one that was made of none."""
    found = _NAMED.search(domain)
    return int(found[1]) if found is not None and int(found[1]) >= FIRST else FIRST


def tile_number(column: int, row: int) -> int:
    """1001 for the unit square at the origin, 1002 to the right of it, 1011 above it."""
    return FIRST + column + 10 * row
