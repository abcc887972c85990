"""What shows of a base under coats, channel by channel."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from limus.common.blending import blend_value
from limus.common.kernel import fading, kernel
from limus.common.parallel import map_blocks
from limus.materials.channels import CHANNELS, is_even
from limus.strata.alteration import Alteration

#: Texels composited at a time: everything of such a block stays in the processor's cache from the first coat to the
#: last.
_BLOCK = 1 << 15


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
    for i in range(len(cover)):
        cover[i] = np.float32(1.0) - fading(max(thickness[i], np.float32(0.0)) * rate)


@kernel
def _lay(cover, weight, value, out):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] += cover[i] * weight * (value[i] - out[i])


@kernel
def _lay_even(cover, weight, value, out):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] += cover[i] * weight * (value - out[i])


@kernel
def _threefold(cover, out):  # type: ignore[no-untyped-def]
    """Each value three times, so that a colour is one long row like anything else."""
    for i in range(len(cover)):
        c = cover[i]
        out[3 * i] = c
        out[3 * i + 1] = c
        out[3 * i + 2] = c


@kernel
def _blend(cover, weight, mode, value, low, span, out):  # type: ignore[no-untyped-def]
    """``value`` and ``out`` (n, c). Modes are defined for 0..1, so a channel of another range is brought there and
    back.
    """
    for i in range(len(out)):
        v = cover[i] * weight
        for c in range(out.shape[1]):
            b = (out[i, c] - low) / span
            s = (value[i, c] - low) / span
            out[i, c] += v * (blend_value(mode, b, s) - b) * span


def _same(a: np.ndarray, b: np.ndarray | None) -> bool:
    return b is not None and bool((a == b).all())


def composited(count: int, below: dict[str, np.ndarray], coats: list[Laid]) -> dict[str, np.ndarray]:
    """The sheet ``below`` under ``coats``, oldest first.

    Returns
    -------
    a new sheet: channels that no coat changes are those of ``below``, still one value where they were.
    """
    out = dict(below)
    steps: list[tuple[np.ndarray, np.float32, list[Spoken], Alteration | None]] = []
    for thickness, hide_um, spoken, alters in coats:
        # A coat says nothing where all is one value and its own is the same.
        telling: list[Spoken] = []
        for name, value, use in spoken:
            channel = CHANNELS[name]
            now = out[name]
            even = value is not None and is_even(now, channel) and is_even(value, channel)
            if even and use.mode == 0 and _same(now, value):
                continue
            if out[name] is below[name]:
                out[name] = np.empty((count, channel.width) if channel.width > 1 else count, np.float32)
            if value is None:
                telling.append((name, None, use))
                continue
            whole = np.asarray(value, np.float32, order="C")
            if channel.width > 1 and is_even(whole, channel) and use.mode == 0:
                # One block of it serves all.
                whole = np.tile(whole, min(_BLOCK, count))
            telling.append((name, whole, use))
        if telling:
            steps.append((thickness, np.float32(1.0 / hide_um), telling, alters))
    made = [name for name in out if out[name] is not below[name]]

    def block(start: int) -> None:
        here = slice(start, min(start + _BLOCK, count))
        cover = np.empty(here.stop - start, np.float32)
        threefold = np.empty(3 * len(cover), np.float32)
        targets = {name: out[name][here] for name in made}
        for name, target in targets.items():
            target[:] = below[name] if is_even(below[name], CHANNELS[name]) else below[name][here]

        def shows(name: str) -> np.ndarray:
            if name in targets:
                return targets[name]
            return below[name] if is_even(below[name], CHANNELS[name]) else below[name][here]

        for thickness, rate, telling, alters in steps:
            # Of most coats there is nothing in most places.
            if thickness[here].max() <= 0:
                continue
            altered = alters.values({n: shows(n) for n in alters.reads if n in below}, here) if alters else {}
            _cover(thickness[here], rate, cover)
            if any(CHANNELS[name].width > 1 for name, _, _ in telling):
                _threefold(cover, threefold)
            for name, value, use in telling:
                channel = CHANNELS[name]
                weight, target = np.float32(use.weight), targets[name]
                if value is None:
                    part = altered[name]
                elif value.ndim == 0 or (value.ndim == 1 and channel.width > 1):
                    part = value
                else:
                    part = value[here]
                if use.mode != 0:
                    wide = (
                        np.broadcast_to(part, (len(cover), channel.width))
                        if is_even(part, channel)
                        else part.reshape(len(cover), -1)
                    )
                    span = np.float32(channel.high - channel.low)
                    _blend(cover, weight, use.mode, wide, np.float32(channel.low), span, target.reshape(len(cover), -1))
                elif channel.width > 1:
                    row = np.ascontiguousarray(part).reshape(-1)
                    _lay(threefold, weight, row[: len(threefold)], target.reshape(-1))
                elif part.ndim == 0:
                    _lay_even(cover, weight, np.float32(part), target)
                else:
                    _lay(cover, weight, part, target)

    if made:
        map_blocks(block, list(range(0, count, _BLOCK)))
    return out
