"""Pictures laid over a surface, plainly or with their repetition broken and their histogram kept.

Tiling and blending after E. Heitz and F. Neyret, "High-Performance By-Example Noise using a Histogram-Preserving
Blending Operator", 2018: values are turned into ones that are normally distributed, patches of a lattice of triangles
are blended there with weights whose squares sum to one, and the result is turned back, so that no blend is greyer than
the picture. Colours are blended along their principal axes, as T. Deliot and E. Heitz, "Procedural Stochastic Textures
by Tiling and Blending", 2019, do.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.patterns.cells import salt_of
from limus.patterns.lattice import again, hashed, unit

#: Codes of a picture are 0..65535; in those of a broken one this is how many stand for one standard deviation.
_DEVIATION = 8192.0
#: Steps of the tables that turn codes back into values.
_STEPS = 1024
#: A patch or a side that counts for less than this is left out.
_LEAST = 0.02
#: A value that more than this share of a picture has is a plateau; deviation of what is looked at around it, of the
#: picture's side.
MANY = 0.02
SOFT = 0.02


@dataclass(frozen=True)
class Laid:
    """Pictures of one size, ready to be laid.

    Attributes
    ----------
    codes : (h, w, c) uint16. tables : (c, m) float32, from codes to values, m = 2 or ``_STEPS`` + 1.
    axes : for each colour its first channel, (3, 3) float32 axes as rows, and (3,) mean; its values come out along
        the axes.
    broken : codes are normally distributed.
    """

    codes: np.ndarray
    tables: np.ndarray
    axes: tuple[tuple[int, np.ndarray, np.ndarray], ...]
    broken: bool

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store."""
        return self.codes.nbytes + self.tables.nbytes, ()


def prepared(planes: np.ndarray, colours: tuple[int, ...] = (), *, broken: bool = False) -> Laid:
    """Make pictures ready.

    Parameters
    ----------
    planes : (h, w, c) float32. colours : first channels of those that belong together by three. broken : for breaking
        repetition.
    """
    # Colours are turned in place, so they are not the caller's.
    planes = np.array(planes, np.float32) if broken and colours else np.asarray(planes, np.float32)
    axes = []
    if broken:
        for first in colours:
            three = planes[:, :, first : first + 3].reshape(-1, 3)
            mean = three.mean(axis=0, dtype=np.float64)
            some = three[:: max(1, len(three) // 200000)] - mean
            _, vectors = np.linalg.eigh(some.T @ some / len(some))
            planes[:, :, first : first + 3] = ((three - mean) @ vectors).reshape(*planes.shape[:2], 3)
            axes.append((first, vectors.T.astype(np.float32), mean.astype(np.float32)))
    codes = np.empty(planes.shape, np.uint16)
    tables = np.empty((planes.shape[2], _STEPS + 1 if broken else 2), np.float32)
    for c in range(planes.shape[2]):
        plane = planes[:, :, c]
        low, high = float(plane.min()), float(plane.max())
        if high - low <= 1e-6 * max(abs(low), abs(high), 1e-6):
            # The same everywhere: there is nothing to rank.
            codes[:, :, c], tables[c] = 32768, low
            continue
        if not broken:
            codes[:, :, c] = np.round((plane - low) * (65535.0 / max(high - low, 1e-12)))
            tables[c] = low, high
            continue
        # Ranks through a fine histogram: as good as sorting, in one pass. Equal values share the middle of their ranks.
        counts, edges = np.histogram(plane.astype(np.float64), 4096, (low, high))
        below = np.concatenate([[0], np.cumsum(counts)])
        place = (plane - np.float32(edges[0])) * np.float32(4096 / (edges[-1] - edges[0]))
        k = np.clip(place.astype(np.int32), 0, 4095)
        rank = (below[:-1] + below[1:])[k] / (2.0 * plane.size)
        _part_equals(rank, plane, k, counts, below)
        codes[:, :, c] = np.clip(32768.0 + _DEVIATION * scipy.special.ndtri(np.clip(rank, 1e-6, 1 - 1e-6)), 0, 65535)
        at = (np.linspace(0, 65535, _STEPS + 1) - 32768.0) / _DEVIATION
        share = 0.5 + 0.5 * _erf(at / np.sqrt(2.0))
        some = np.sort(plane.reshape(-1)[:: max(1, plane.size // 300000)])
        tables[c] = np.quantile(some, np.clip(share, 0, 1), method="linear")
    return Laid(codes, tables, tuple(axes), broken)


def _part_equals(rank: np.ndarray, plane: np.ndarray, bins: np.ndarray, counts: np.ndarray, below: np.ndarray) -> None:
    """Give those that share a value (a clipped end, a plateau) ranks of their own, in place: by how high the values
    around them are.

    With one rank for all they would be less spread than a normal distribution is, and blends of patches would lose
    contrast.
    """
    many = counts > MANY * plane.size
    if not many.any():
        return
    h, w = plane.shape
    wave = np.exp(
        -2.0
        * (np.pi * SOFT) ** 2
        * (np.square(np.fft.fftfreq(h))[:, None] * h * h + np.square(np.fft.rfftfreq(w)) * w * w)
    )
    around = scipy.fft.irfft2(
        scipy.fft.rfft2(plane.astype(np.float64), workers=2) * wave, plane.shape, workers=2
    ).reshape(-1)
    rows = np.flatnonzero(many[bins].reshape(-1))
    own = bins.reshape(-1)[rows]
    rows = rows[np.lexsort((around[rows], own))]
    # In the order of the bins, each of which is whole.
    start = np.concatenate([[0], np.cumsum(counts[many])])[:-1]
    own = bins.reshape(-1)[rows]
    within = np.arange(len(rows)) - start[np.cumsum(many)[own] - 1]
    rank.reshape(-1)[rows] = (below[own] + within + 0.5) / plane.size


def _erf(x: np.ndarray) -> np.ndarray:
    from scipy.special import erf

    return np.asarray(erf(x))


@kernel
def _add(codes, u, v, weight, acc):  # type: ignore[no-untyped-def]
    """Adds ``weight`` times the bilinear reading, less the middle of the codes, to ``acc``."""
    h, w, count = codes.shape
    x, y = u * w - np.float32(0.5), v * h - np.float32(0.5)
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = np.float32(x - x0), np.float32(y - y0)
    a, b = int(x0) % w, int(y0) % h
    c, d = a + 1, b + 1
    if c == w:
        c = 0
    if d == h:
        d = 0
    one = np.float32(1.0)
    p, q, r, s = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
    for k in range(count):
        acc[k] += weight * (
            p * np.float32(codes[b, a, k]) + q * np.float32(codes[b, c, k]) + r * np.float32(codes[d, a,
                k]) + s * np.float32(codes[d, c, k])
            - np.float32(32768.0)
        )  # fmt: skip


@kernel
def _patches(codes, u, v, weight, patch, salt, turns, acc):  # type: ignore[no-untyped-def]
    """Adds up to three patches; the sum of the squares of their weights. ``patch`` as ``Patches.numbers`` gives it."""
    low, counts, wide, power = patch[0], patch[1], patch[2], patch[3]
    # Corners of a lattice of triangles of about the picture's size, and how near the place is to each.
    s = v * np.float32(1.1547005) / wide
    r = u / wide - np.float32(0.5) * s
    a, b = np.floor(r), np.floor(s)
    fr, fs = r - a, s - b
    upper = fr + fs >= np.float32(1.0)
    square = np.float32(0.0)
    w0 = (fr + fs - np.float32(1.0)) if upper else np.float32(1.0) - fr - fs
    w1 = (np.float32(1.0) - fs) if upper else fr
    w2 = (np.float32(1.0) - fr) if upper else fs
    # Narrow blends: most places show one patch only, which is neither a ghost of two nor three times the work.
    w0, w1, w2 = max(w0, np.float32(0.0)) ** power, max(w1, np.float32(0.0)) ** power, max(w2, np.float32(0.0)) ** power
    total = w0 + w1 + w2
    for k in range(3):
        part = (w0 if k == 0 else (w1 if k == 1 else w2)) / total
        if part < np.float32(0.03):
            continue
        if upper:
            da, db = (1, 1) if k == 0 else ((1, 0) if k == 1 else (0, 1))
        else:
            da, db = (0, 0) if k == 0 else ((1, 0) if k == 1 else (0, 1))
        h = hashed(np.int32(a + da), np.int32(b + db), np.int32(0), salt)
        turn = np.int32(unit(again(h, 1)) * np.float32(len(turns)))
        size = low + np.float32(0.1) * np.floor(unit(again(h, 2)) * counts)
        cy = (b + db) * np.float32(0.8660254) * wide
        cx = ((a + da) + np.float32(0.5) * (b + db)) * wide
        x, y = (u - cx) / size, (v - cy) / size
        co, si = turns[turn, 0], turns[turn, 1]
        w = part * weight
        square += w * w
        _add(codes, co * x - si * y + unit(again(h, 3)), si * x + co * y + unit(again(h, 4)), w, acc)
    return square


@kernel
def _back(acc, scale, tables, out, i):  # type: ignore[no-untyped-def]
    """Codes back to values."""
    steps = tables.shape[1] - 1
    for k in range(len(acc)):
        code = min(max(acc[k] * scale + np.float32(32768.0), np.float32(0.0)), np.float32(65535.0)) * np.float32(
            steps / 65535.0
        )
        j = min(int(code), steps - 1)
        f = code - np.float32(j)
        out[k, i] = tables[k, j] * (np.float32(1.0) - f) + tables[k, j + 1] * f


@kernel
def _flat(start, end, codes, tables, broken, patch, salt, turns, u, v, out):  # type: ignore[no-untyped-def]
    acc = np.empty(codes.shape[2], np.float32)
    for i in range(start, end):
        acc[:] = np.float32(0.0)
        scale = np.float32(1.0)
        if broken:
            scale = np.float32(1.0) / np.sqrt(_patches(codes, u[i], v[i], np.float32(1.0), patch, salt, turns, acc))
        else:
            _add(codes, u[i], v[i], np.float32(1.0), acc)
        _back(acc, scale, tables, out, i)


@kernel
def _three_sides(  # type: ignore[no-untyped-def]
    start,
    end,
    codes,
    tables,
    gaussian,
    broken,
    patch,
    hard,
    salt,
    turns,
    points,
    normals,
    tall,
    co,
    si,
    du,
    dv,
    out,
):
    acc = np.empty(codes.shape[2], np.float32)
    w = np.empty(3, np.float32)
    for i in range(start, end):
        acc[:] = np.float32(0.0)
        total = np.float32(0.0)
        best = 0
        for k in range(3):
            m = abs(normals[i, k])
            if m > abs(normals[i, best]):
                best = k
            w[k] = m * m * m * m * m * m
            total += w[k]
        square = np.float32(0.0)
        sum_ = np.float32(0.0)
        for k in range(3):
            weight = w[k] / total
            if hard:
                weight = np.float32(1.0) if k == best else np.float32(0.0)
            if weight < np.float32(0.02):
                continue
            # The picture stands upright on the sides; each side sees it unmirrored.
            side = np.float32(1.0) if normals[i, k] >= np.float32(0.0) else np.float32(-1.0)
            if k == 0:
                a, b = -points[i, 2] * side, -points[i, 1]
            elif k == 1:
                a, b = points[i, 0], points[i, 2]
            else:
                a, b = points[i, 0] * side, -points[i, 1]
            u, v = co * a - si * b + du, (si * a + co * b) / tall + dv
            sum_ += weight
            if broken:
                square += _patches(codes, u, v, weight, patch, np.uint32(salt + np.uint32(k * 7919)), turns, acc)
            else:
                square += weight * weight
                _add(codes, u, v, weight, acc)
        _back(acc, np.float32(1.0) / (np.sqrt(square) if gaussian else sum_), tables, out, i)


@dataclass(frozen=True)
class Patches:
    """How patches differ from one another where repetition is broken.

    Attributes
    ----------
    turn_deg : they are turned by whole steps of this, degrees; 0: not at all. low, high : of their scale, in steps of
        a tenth. wide : how large they are, in widths of the picture. blend : share of a patch, 0..1, in which it blends
        with its neighbours; at 0.25 most places show one patch only, which is neither a ghost of two nor three times
        the work.
    """

    turn_deg: float = 10.0
    low: float = 0.7
    high: float = 1.2
    wide: float = 1.0
    blend: float = 0.25

    def numbers(self) -> np.ndarray:
        """(4,) float32: lowest scale, number of scales, size, and the power that narrows the blends."""
        counts = round((max(self.high, self.low) - self.low) * 10.0) + 1
        return np.array([self.low, counts, self.wide, 1.0 / max(self.blend, 0.02)], np.float32)

    def turns(self) -> np.ndarray:
        """(k, 2) float32: cosine and sine of every turn that a patch may have."""
        count = max(1, int(360.0 / self.turn_deg + 1e-6)) if self.turn_deg > 0 else 1
        angles = np.radians(np.arange(count) * self.turn_deg)
        return np.stack([np.cos(angles), np.sin(angles)], axis=1).astype(np.float32)


#: As a picture is broken up unless told.
USUAL = Patches()


def _along_axes(out: np.ndarray, laid: Laid) -> np.ndarray:
    for first, axes, mean in laid.axes:
        out[first : first + 3] = axes.T @ out[first : first + 3] + mean[:, None]
    return out


def lay_flat(
    laid: Laid,
    u: np.ndarray,
    v: np.ndarray,
    *,
    break_up: bool = False,
    patches: Patches = USUAL,
    seed: int = 0,
) -> np.ndarray:
    """(c, n) float32: pictures read at (n,) places, in widths and heights of the picture, repeating.

    Parameters
    ----------
    break_up : ``patches`` are shifted, turned and scaled, each in its own way; ``laid`` must be ``broken``.
    """
    out = np.empty((laid.codes.shape[2], len(u)), np.float32)
    u, v = np.ascontiguousarray(u, np.float32), np.ascontiguousarray(v, np.float32)
    for_ranges(
        _flat,
        len(u),
        laid.codes,
        laid.tables,
        break_up and laid.broken,
        patches.numbers(),
        salt_of(seed),
        patches.turns(),
        u,
        v,
        out,
    )
    return _along_axes(out, laid)


def lay_on_sides(
    laid: Laid,
    points: np.ndarray,
    normals: np.ndarray,
    *,
    hard: bool = False,
    turn_deg: float = 0.0,
    offset: tuple[float, float] = (0.0, 0.0),
    stretch: float = 1.0,
    break_up: bool = False,
    patches: Patches = USUAL,
    seed: int = 0,
) -> np.ndarray:
    """(c, n) float32: pictures laid on from three sides, upright and unmirrored on each.

    Parameters
    ----------
    points : (n, 3) float32 in widths of the picture. normals : (n, 3). hard : each place sees one side only; else they
        blend where the surface turns, without loss of contrast where ``laid`` is ``broken``. stretch : the
        picture is laid so many times as high as it is.
    """
    out = np.empty((laid.codes.shape[2], len(points)), np.float32)
    f = np.float32
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    for_ranges(
        _three_sides, len(points), laid.codes, laid.tables, laid.broken, break_up and laid.broken,
        patches.numbers(), hard, salt_of(seed), patches.turns(),
        np.ascontiguousarray(points, np.float32), np.ascontiguousarray(normals, np.float32),
        f(laid.codes.shape[0] / laid.codes.shape[1] * stretch),
        f(c), f(s), f(offset[0]), f(offset[1]), out,
    )  # fmt: skip
    return _along_axes(out, laid)
