"""Splitting a region of a photograph into kinds of surface, by colour and by how restless it is."""

from __future__ import annotations

import numpy as np
import scipy

from limus.common.errors import InputError
from limus.photographs.lab import to_lab

#: Kinds that may be asked for.
FEWEST, MOST = 2, 6
#: Pixels that a region needs: fewer say nothing.
LEAST_PIXELS = 64
#: Centres that are found first, and joined by nearness after: k-means alone splits what is common and swallows what is
#: rare.
_CENTRES = 18
#: Pixels that the centres are found by.
_SAMPLE = 24000
#: Weight of lightness beside hue (shadows are the same kind), and of restlessness; tried on chipped panels of known
#: coverage (all within 3 points).
_LIGHTNESS, _RESTLESS = 0.6, 0.15
#: Share of the size of the largest centre of a kind that one must have to be called pure.
_PURE = 0.5
#: By how much more its neighbours must agree before a pixel follows them: fine shapes stay, grain goes.
_CALM = 0.5


def kinds_of_surface(linear: np.ndarray, inside: np.ndarray, count: int, *, seed: int = 1) -> np.ndarray:
    """(h, w) int8: the kind of each pixel, 0 the most common, -1 outside.

    Parameters
    ----------
    linear : (h, w, 3) linear light. inside : (h, w) bool, the region. count : kinds to split into, 2 to 6.

    Raises
    ------
    InputError : fewer than ``LEAST_PIXELS``, or all of one colour.
    """
    if int(inside.sum()) < LEAST_PIXELS:
        raise InputError(
            f"the region holds {int(inside.sum())} pixels; {LEAST_PIXELS} are the least that say something",
            where="region",
            remedy="Draw it larger, or take a sharper photograph",
        )
    lab = to_lab(np.clip(linear, 0.0, 4.0))
    light = lab[:, :, 0]
    mean = scipy.ndimage.uniform_filter(light, 5)
    restless = np.sqrt(np.maximum(scipy.ndimage.uniform_filter(light * light, 5) - mean * mean, 0.0))
    features = np.stack([light * _LIGHTNESS, lab[:, :, 1], lab[:, :, 2], restless * _RESTLESS], -1)[inside]
    rng = np.random.default_rng(seed)
    picked = features if len(features) <= _SAMPLE else features[rng.choice(len(features), _SAMPLE, replace=False)]
    if float(picked.std(axis=0).max()) < 0.05:
        raise InputError(
            "the region is all of one colour", where="region", remedy="Take in something of each kind of surface"
        )
    # A drawing of two colours has no more centres than colours.
    distinct = len(np.unique(np.round(picked, 2), axis=0))
    begun = min(_CENTRES, len(picked) // 4, distinct)
    centres, _ = scipy.cluster.vq.kmeans2(picked.astype(np.float64), begun, minit="++", rng=rng, iter=25)
    near, _ = scipy.cluster.vq.vq(features.astype(np.float64), centres)
    sizes = np.bincount(near, minlength=len(centres))
    there = np.flatnonzero(sizes)
    joined = np.zeros(len(centres), np.int64)
    joined[there] = (
        scipy.cluster.hierarchy.fcluster(scipy.cluster.hierarchy.linkage(centres[there], "average"), count, "maxclust")
        - 1
        if len(there) > 1
        else 0
    )
    # The border between two kinds lies half way between what is pure of each: pixels that mix them belong to one as
    # often as to the other.
    pure = np.stack([_pure(centres, sizes, joined, k) for k in range(int(joined.max()) + 1)])
    nearest, _ = scipy.cluster.vq.vq(features.astype(np.float64), pure)
    found = np.full(inside.shape, -1, np.int64)
    found[inside] = nearest
    found = _calmed(found, int(joined.max()) + 1)
    order = np.argsort(-np.bincount(found[found >= 0], minlength=int(joined.max()) + 1), kind="stable")
    rank = np.empty(len(order), np.int8)
    rank[order] = np.arange(len(order), dtype=np.int8)
    out = np.full(inside.shape, -1, np.int8)
    out[inside] = rank[found[inside]]
    return out


def _pure(centres: np.ndarray, sizes: np.ndarray, joined: np.ndarray, kind: int) -> np.ndarray:
    """The centre of a kind that is least like the others, among those that are no small part of it: what lies nearer
    may be pixels that see both.
    """
    mine, others = np.flatnonzero((joined == kind) & (sizes > 0)), np.flatnonzero((joined != kind) & (sizes > 0))
    mine = mine[sizes[mine] >= _PURE * sizes[mine].max()]
    total = np.bincount(joined, weights=sizes)
    if not len(others) or total[kind] == total.max():
        # What is common is seen pure more often than mixed.
        return np.asarray(centres[max(mine, key=lambda c: sizes[c])])
    # The other kind that it would be mixed with is the nearest one.
    away = np.linalg.norm(centres[mine][:, None] - centres[others][None], axis=2).min(axis=1)
    return np.asarray(centres[mine[np.argmax(away)]])


def _calmed(kinds: np.ndarray, count: int) -> np.ndarray:
    """What most of its 3 x 3 neighbours are, so that the grain of a photograph makes no pieces."""
    votes = np.stack([scipy.ndimage.uniform_filter((kinds == k).astype(np.float32), 3) for k in range(count)])
    # Where it is even, it stays what it was.
    for k in range(count):
        votes[k] += np.where(kinds == k, np.float32(_CALM), np.float32(0))
    return np.where(kinds >= 0, np.argmax(votes, axis=0), -1)
