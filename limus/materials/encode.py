"""From fields to the pixels of finished maps."""

from __future__ import annotations

import numpy as np

from limus.common.colour import SRGB_STEPS, SRGB_TABLE
from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.materials.channels import CHANNELS, Channel, Sheet, is_even
from limus.surface.texels import Texels

#: Pictures that are always there; the others only where something in them is used.
ALWAYS = ("base_color", "orm", "normal")
#: Channels that are written multiplied by another one, as every format wants them: channel -> the other.
TIMES = {"fuzz_color": "fuzz_weight", "emission_color": "emission_luminance"}


@kernel
def _byte(x):  # type: ignore[no-untyped-def]
    return np.uint8(min(max(x, np.float32(0.0)), np.float32(1.0)) * np.float32(255.0) + np.float32(0.5))


@kernel
def _data(start, end, fill, values, add, scale, component, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        out[i, component] = _byte(add + scale * values[fill[i]])


@kernel
def _three(start, end, fill, values, add, scale, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        j = fill[i]
        for k in range(3):
            out[i, k] = _byte(add + scale * values[j, k])


@kernel
def _colour(start, end, fill, values, table, steps, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        j = fill[i]
        for k in range(3):
            x = min(max(values[j, k], np.float32(0.0)), np.float32(1.0))
            out[i, k] = table[int(np.sqrt(x) * np.float32(steps) + np.float32(0.5))]


def _value(sheet: Sheet, channel: Channel) -> np.ndarray:
    value = sheet.get(channel.name, channel.plain())
    if channel.name in TIMES:
        other = CHANNELS[TIMES[channel.name]]
        weight = sheet.get(other.name, other.plain()) / other.full
        value = value * (weight[:, None] if not is_even(weight, other) else weight)
    return value


def pictures_of(sheet: Sheet) -> dict[str, list[Channel]]:
    """The pictures that this sheet needs, and the channels in each: those of ``ALWAYS``, and those that hold a
    channel in use.
    """
    out: dict[str, list[Channel]] = {name: [] for name in ALWAYS}
    for name, channel in CHANNELS.items():
        if name in sheet and not _is_default(sheet[name], channel):
            out.setdefault(channel.packed[0], [])
    for channel in CHANNELS.values():
        if channel.packed[0] in out:
            out[channel.packed[0]].append(channel)
    out.pop("", None)
    return out


def _is_default(value: np.ndarray, channel: Channel) -> bool:
    return is_even(value, channel) and bool((value == channel.plain()).all())


def in_use(sheet: Sheet) -> list[Channel]:
    """Channels of the sheet that are not at their default everywhere, in the order of the registry."""
    return [c for name, c in CHANNELS.items() if name in sheet and not _is_default(sheet[name], c)]


def encode_surface(texels: Texels, sheet: Sheet, normal: np.ndarray, occlusion: np.ndarray) -> dict[str, np.ndarray]:
    """8-bit RGBA pictures, each (pages, size, size, 4) uint8, ready for the screen and for PNG; (pages, 1, 1, 4)
    where all is even.

    ``base_color`` sRGB with opacity; ``orm`` red ambient occlusion (1 - occlusion), green roughness, blue metalness;
    ``normal`` tangent
    space, green up. What else there is and what it holds is declared with the channels.
    """
    return {name: _picture(texels, name, held, sheet, normal, occlusion) for name, held in pictures_of(sheet).items()}


def _picture(
    texels: Texels, name: str, held: list[Channel], sheet: Sheet, normal: np.ndarray, occlusion: np.ndarray
) -> np.ndarray:
    fill = texels.fill_index
    if name not in ALWAYS and all(is_even(_value(sheet, c), c) for c in held):
        # One value everywhere: a picture of one pixel says it.
        return np.repeat(
            _pixels(np.zeros(1, np.int32), name, held, sheet, normal, occlusion)[None, None], texels.pages, 0
        )
    out = _pixels(fill, name, held, sheet, normal, occlusion)
    return out.reshape(texels.pages, texels.size, texels.size, 4)


def encode_texels(
    name: str, held: list[Channel], sheet: Sheet, normal: np.ndarray, occlusion: np.ndarray
) -> np.ndarray:
    """(n, 4) uint8: what one of the pictures of ``encode_surface`` shows of each texel; (1, 4) where all is even.
    ``held`` its channels, see ``pictures_of``.
    """
    even = name not in ALWAYS and all(is_even(_value(sheet, c), c) for c in held)
    return _pixels(np.arange(1 if even else len(normal), dtype=np.int32), name, held, sheet, normal, occlusion)


def _pixels(
    fill: np.ndarray, name: str, held: list[Channel], sheet: Sheet, normal: np.ndarray, occlusion: np.ndarray
) -> np.ndarray:
    values = {channel: _value(sheet, channel) for channel in held}
    count = len(fill)
    out = np.full((count, 4), 255, np.uint8)
    if name == "normal":
        for_ranges(_three, count, fill, normal, np.float32(0.5), np.float32(0.5), out)
    if name == "orm":
        for_ranges(_data, count, fill, occlusion, np.float32(1.0), np.float32(-1.0), 0, out)
    for channel, value in values.items():
        component, scale = channel.packed[1], np.float32(1.0 / channel.full)
        if is_even(value, channel):
            # The same kernels on one row, so that a value looks the same however it is kept.
            row = np.full((1, 4), 255, np.uint8)
            _write(np.zeros(1, np.int32), value[None], channel, scale, row)
            out[:, component : component + channel.width] = row[:, component : component + channel.width]
        else:
            _write(fill, value, channel, scale, out)
    return out


def _write(fill: np.ndarray, value: np.ndarray, channel: Channel, scale: np.float32, out: np.ndarray) -> None:
    value = np.ascontiguousarray(value, np.float32)
    if channel.colour:
        for_ranges(_colour, len(fill), fill, value, SRGB_TABLE, SRGB_STEPS, out)
    elif channel.width > 1:
        for_ranges(_three, len(fill), fill, value, np.float32(0.0), scale, out)
    else:
        for_ranges(_data, len(fill), fill, value, np.float32(0.0), scale, channel.packed[1], out)
