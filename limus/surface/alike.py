"""Grouping rows that are alike, fast enough for millions of vertices."""

from __future__ import annotations

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges


@kernel
def _mix(start, end, column, out):  # type: ignore[no-untyped-def]
    """Take one column into the hashes; odd constants with well mixed bits (Steele et al., "Fast splittable
    generators", 2014).
    """
    for i in range(start, end):
        h = (out[i] ^ column[i]) * np.uint64(0x9E3779B97F4A7C15)
        h = (h ^ (h >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        h = (h ^ (h >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        out[i] = h ^ (h >> np.uint64(31))


@kernel
def _number(keys, table, first, group):  # type: ignore[no-untyped-def]
    """Number equal keys alike, in order of appearance, by a table with open addresses; returns how many there are."""
    mask = np.uint64(len(table) - 1)
    count = 0
    for i in range(len(keys)):
        slot = keys[i] & mask
        while table[slot] >= 0 and keys[first[table[slot]]] != keys[i]:
            slot = (slot + np.uint64(1)) & mask
        if table[slot] < 0:
            table[slot] = count
            first[count] = i
            count += 1
        group[i] = table[slot]
    return count


def row_hash(columns: list[np.ndarray]) -> np.ndarray:
    """(n,) uint64 hash of the rows made of (n,) integer columns; equal rows give equal numbers.

    Different rows may collide once in about 2^64 pairs, which a mesh of millions of vertices will not see.
    """
    out = np.zeros(len(columns[0]), np.uint64)
    for column in columns:
        for_ranges(_mix, len(out), np.ascontiguousarray(column, np.int64).view(np.uint64), out)
    return out


def rows_alike(columns: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Number the rows so that equal rows share a number.

    Returns
    -------
    ``first`` (groups,) int64 the first row of each group, in order of appearance; ``group`` (n,) int32 the number of
    each row.
    """
    hashed = row_hash(columns)
    count = len(hashed)
    table = np.full(1 << max(4, int(2 * count - 1).bit_length()), -1, np.int32)
    first, group = np.empty(count, np.int64), np.empty(count, np.int32)
    return first[: _number(hashed, table, first, group)].copy(), group
