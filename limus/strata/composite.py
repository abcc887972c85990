"""What shows of a base under coats, channel by channel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from limus.common.blending import blend_value
from limus.common.kernel import fading, kernel
from limus.common.parallel import SMALLEST_SHARE, map_blocks
from limus.materials.channels import CHANNELS, is_even
from limus.strata.alteration import Alteration

#: Texels composited at a time: few enough that what shows of them stays in the processor's cache from the first coat to
#: the last, so many that two threads do not wait for each other between kernels.
_BLOCK = 1 << 16


@dataclass(frozen=True)
class Use:
    """How a coat speaks in one voice: ``weight`` 0..1, and the number of a blend mode."""

    weight: float = 1.0
    mode: int = 0


FULL = Use()
#: (channel, value, use); None is a value that an alteration gives.
Spoken = tuple[str, np.ndarray | None, Use]


class Laid(NamedTuple):
    """A coat as it is composited: ``thickness`` (n,) micrometres, the thickness that hides, what it says."""

    thickness: np.ndarray
    hide_um: float
    spoken: list[Spoken]
    alters: Alteration | None = None


# Kernels take slices and count from 0: an index that might be below 0 keeps a loop from becoming vector instructions.
@kernel
def _cover(thickness, rate, cover):  # type: ignore[no-untyped-def]
    """How much of what is below is hidden, and at how many texels there is anything to hide it."""
    covered = np.int32(0)
    for i in range(len(cover)):
        cover[i] = np.float32(1.0) - fading(max(thickness[i], np.float32(0.0)) * rate)
        covered += np.int32(thickness[i] > np.float32(0.0))
    return covered


@kernel
def _lay_even(cover, rows, weights, values, shown):  # type: ignore[no-untyped-def]
    """One value for each of the ``rows`` of ``shown``: most of what a coat says."""
    for k in range(len(rows)):
        row, weight, value = shown[rows[k]], weights[k], values[k]
        for i in range(len(cover)):
            row[i] += cover[i] * weight * (value - row[i])


@kernel
def _lay(cover, weight, value, row):  # type: ignore[no-untyped-def]
    for i in range(len(row)):
        row[i] += cover[i] * weight * (value[i] - row[i])


@kernel
def _threefold(cover, out):  # type: ignore[no-untyped-def]
    """Each value three times, so that a colour is one long row like anything else."""
    for i in range(len(cover)):
        c = cover[i]
        out[3 * i] = c
        out[3 * i + 1] = c
        out[3 * i + 2] = c


@kernel
def _blend(cover, weight, mode, value, low, span, row):  # type: ignore[no-untyped-def]
    """Modes are defined for 0..1, so a channel of another range is brought there and back."""
    for i in range(len(row)):
        b = (row[i] - low) / span
        s = (value[i] - low) / span
        row[i] += cover[i] * weight * (blend_value(mode, b, s) - b) * span


class _Told(NamedTuple):
    """What one coat says, by how it is laid.

    Attributes
    ----------
    even : rows (k,), weights (k,) and values (k,) of channels of one number that are the same everywhere: most of what
        is said. other : the rest.
    """

    thickness: np.ndarray
    rate: np.float32
    even: tuple[np.ndarray, np.ndarray, np.ndarray]
    other: list[Spoken]
    alters: Alteration | None


def _told(coat: Laid, telling: list[Spoken], rows: dict[str, int]) -> _Told:
    at: list[int] = []
    weights: list[float] = []
    values: list[float] = []
    other: list[Spoken] = []
    for name, value, use in telling:
        if value is not None and value.ndim == 0 and use.mode == 0:
            at.append(rows[name])
            weights.append(use.weight)
            values.append(float(value))
        else:
            other.append((name, value, use))
    even = np.array(at, np.int32), np.array(weights, np.float32), np.array(values, np.float32)
    return _Told(coat.thickness, np.float32(1.0 / coat.hide_um), even, other, coat.alters)


def _same(a: np.ndarray, b: np.ndarray | None) -> bool:
    return b is not None and bool((a == b).all())


def composited(count: int, below: dict[str, np.ndarray], coats: list[Laid]) -> dict[str, np.ndarray]:
    """The sheet ``below`` under ``coats``, oldest first.

    Returns
    -------
    a new sheet: channels that no coat changes are those of ``below``, still one value where they were.
    """
    out = dict(below)
    #: Which row each changing channel of one number is while coats are laid over it.
    rows: dict[str, int] = {}
    colours: list[str] = []
    told: list[_Told] = []
    for coat in coats:
        # A coat says nothing where all is one value and its own is the same.
        telling: list[Spoken] = []
        for name, value, use in coat.spoken:
            channel = CHANNELS[name]
            even = value is not None and is_even(out[name], channel) and is_even(value, channel)
            if even and use.mode == 0 and _same(out[name], value):
                continue
            if out[name] is below[name]:
                out[name] = np.empty((count, channel.width) if channel.width > 1 else count, np.float32)
                if channel.width > 1:
                    colours.append(name)
                else:
                    rows[name] = len(rows)
            whole = None if value is None else np.asarray(value, np.float32, order="C")
            if whole is not None and channel.width > 1 and is_even(whole, channel):
                # One block of it serves all.
                whole = np.tile(whole, (min(_BLOCK, count), 1))
            telling.append((name, whole, use))
        if telling:
            told.append(_told(coat, telling, rows))

    # All as long as each other, so that no thread waits for one that has more to do.
    pieces = max(-(-count // _BLOCK), 2 if count > SMALLEST_SHARE else 1)

    def block(number: int) -> None:
        here = slice(count * number // pieces, count * (number + 1) // pieces)
        long = here.stop - here.start
        cover, threefold = np.empty(long, np.float32), np.empty(3 * long, np.float32)
        shown = np.empty((len(rows), long), np.float32)
        targets = {name: shown[row] for name, row in rows.items()} | {name: out[name][here] for name in colours}
        for name, target in targets.items():
            target[:] = below[name] if is_even(below[name], CHANNELS[name]) else below[name][here]

        def shows(name: str) -> np.ndarray:
            if name in targets:
                return targets[name]
            return below[name] if is_even(below[name], CHANNELS[name]) else below[name][here]

        for thickness, rate, even, other, alters in told:
            # Of most coats there is nothing in most places.
            if not _cover(thickness[here], rate, cover):
                continue
            altered = alters.values({n: shows(n) for n in alters.reads if n in below}, here) if alters else {}
            if len(even[0]):
                _lay_even(cover, *even, shown)
            if any(CHANNELS[name].width > 1 for name, _, _ in other):
                _threefold(cover, threefold)
            for name, value, use in other:
                channel, target = CHANNELS[name], targets[name].reshape(-1)
                part = altered[name] if value is None else value
                if is_even(part, channel):
                    part = np.broadcast_to(part, targets[name].shape)
                elif value is not None:
                    part = value[:long] if len(value) < count else value[here]
                part = np.ascontiguousarray(part, np.float32).reshape(-1)
                by, weight = threefold if channel.width > 1 else cover, np.float32(use.weight)
                if use.mode != 0:
                    span = np.float32(channel.high - channel.low)
                    _blend(by, weight, use.mode, part, np.float32(channel.low), span, target)
                else:
                    _lay(by, weight, part, target)
        for name, row in rows.items():
            out[name][here] = shown[row]

    if rows or colours:
        map_blocks(block, list(range(pieces)))
    return out
