"""What shows of a base under coats, channel by channel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.blending import blend_value
from limus.materials.channels import CHANNELS, is_even
from limus.parallel import fading, kernel, map_blocks

#: Texels composited at a time: everything of such a block stays in the processor's cache from the first coat to the last.
_BLOCK = 1 << 15


@dataclass(frozen=True)
class Use:
    """How a coat speaks in one voice: ``weight`` 0..1, and the number of a blend mode."""

    weight: float = 1.0
    mode: int = 0


FULL = Use()
#: (channel, value, use)
Spoken = tuple[str, np.ndarray, Use]


@kernel
def _cover(start, end, thickness, rate, cover):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        cover[i - start] = np.float32(1.0) - fading(max(thickness[i], np.float32(0.0)) * rate)


@kernel
def _lay(start, end, cover, weight, value, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] += cover[i - start] * weight * (value[i] - out[i])


@kernel
def _lay_even(start, end, cover, weight, value, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i] += cover[i - start] * weight * (value - out[i])


@kernel
def _lay_three(start, end, cover, weight, value, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        v = cover[i - start] * weight
        out[i, 0] += v * (value[i, 0] - out[i, 0])
        out[i, 1] += v * (value[i, 1] - out[i, 1])
        out[i, 2] += v * (value[i, 2] - out[i, 2])


@kernel
def _lay_three_even(start, end, cover, weight, value, out):  # type: ignore[no-untyped-def]
    r, g, b = value[0], value[1], value[2]
    for i in range(start, end):
        v = cover[i - start] * weight
        out[i, 0] += v * (r - out[i, 0])
        out[i, 1] += v * (g - out[i, 1])
        out[i, 2] += v * (b - out[i, 2])


@kernel
def _blend(start, end, cover, weight, mode, value, low, span, out):  # type: ignore[no-untyped-def]
    """``value`` and ``out`` (n, c). Modes are defined for 0..1, so a channel of another range is brought there and back."""
    for i in range(start, end):
        v = cover[i - start] * weight
        for c in range(out.shape[1]):
            b = (out[i, c] - low) / span
            s = (value[i, c] - low) / span
            out[i, c] += v * (blend_value(mode, b, s) - b) * span


def _same(a: np.ndarray, b: np.ndarray) -> bool:
    return bool((a == b).all())


def composited(
    count: int, below: dict[str, np.ndarray], coats: list[tuple[np.ndarray, float, list[Spoken]]]
) -> dict[str, np.ndarray]:
    """The sheet ``below`` under ``coats``, each (thickness (n,) um, hiding thickness um, [(channel, value, use)]), oldest first.

    Returns
    -------
    a new sheet: channels that no coat changes are those of ``below``, still one value where they were.
    """
    out = dict(below)
    steps: list[tuple[np.ndarray, np.float32, list[Spoken]]] = []
    for thickness, hide_um, spoken in coats:
        # A coat says nothing where all is one value and its own is the same.
        telling = []
        for name, value, use in spoken:
            channel = CHANNELS[name]
            now = out[name]
            if use.mode == 0 and is_even(now, channel) and is_even(value, channel) and _same(now, value):
                continue
            if out[name] is below[name]:
                out[name] = np.empty((count, channel.width) if channel.width > 1 else count, np.float32)
            telling.append((name, np.asarray(value, np.float32, order="C"), use))
        if telling:
            steps.append((thickness, np.float32(1.0 / hide_um), telling))
    made = [name for name in out if out[name] is not below[name]]

    def block(start: int) -> None:
        end = min(start + _BLOCK, count)
        cover = np.empty(end - start, np.float32)
        for name in made:
            even = is_even(below[name], CHANNELS[name])
            out[name][start:end] = below[name] if even else below[name][start:end]
        for thickness, rate, telling in steps:
            _cover(start, end, thickness, rate, cover)
            for name, value, use in telling:
                channel = CHANNELS[name]
                weight, target = np.float32(use.weight), out[name]
                even = is_even(value, channel)
                if use.mode != 0:
                    wide = np.broadcast_to(value, (count, channel.width)) if even else value.reshape(count, -1)
                    span = np.float32(channel.high - channel.low)
                    _blend(start, end, cover, weight, use.mode, wide, np.float32(channel.low), span, target.reshape(count, -1))
                elif channel.width > 1:
                    (_lay_three_even if even else _lay_three)(start, end, cover, weight, value, target)
                elif even:
                    _lay_even(start, end, cover, weight, np.float32(value), target)
                else:
                    _lay(start, end, cover, weight, value, target)

    if made:
        map_blocks(block, list(range(0, count, _BLOCK)))
    return out
