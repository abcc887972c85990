"""A map of a delivery, looked at before it is written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.colour import to_srgb
from limus.common.errors import InputError
from limus.common.wording import one_of
from limus.formats.png import png_bytes, quantise
from limus.playing.session import Session
from limus.readings.measured import Measured
from limus.surface.texels import Texels
from limus.targets.delivery import conditions, making_of
from limus.targets.masks import MaskTaker, mask_rasters
from limus.targets.order import Order
from limus.targets.raster import Raster, Tile
from limus.targets.written import file_stem


@dataclass(frozen=True)
class Preview:
    """``png`` (size, size) as it will look; of each of its ``components`` the lowest, mean and highest number over the
    surface, in ``unit``; ``about`` in a few words.
    """

    png: bytes
    components: tuple[str, ...]
    lowest: list[float]
    mean: list[float]
    highest: list[float]
    unit: str
    about: str


def previewed(session: Session, order: Order, file: str, size: int) -> Preview:
    """How ``file`` of the delivery will look, from ``size`` pixels along a side.

    Raises
    ------
    InputError : no UVs; no such map in it.
    """
    states = conditions(session, order)
    session, name = next((one for one in states if file.startswith(f"{file_stem(one[1])}/")), states[0])
    making, asked = making_of(session, order, name)
    taker = MaskTaker(session.scene, list(dict.fromkeys([*asked, *making.masks.values()])))
    readings = session.measuring.best()
    measured = readings.measured if readings is not None else Measured.blank(session.texels(size))
    chronicle = session.chronicle(measured, size, weather=readings is not None and session.scene.asks_for_weather)
    pile = chronicle.as_made(session.scene)
    for chapter in chronicle.playing(session.scene):
        taker.chapter(chronicle, chapter, pile)
        pile = chapter.pile
    taker.end(chronicle, pile)
    surface = chronicle.finish(pile)
    file = order.kind().looked_at(making, file)
    rasters = [
        *order.kind().rasters(making, chronicle.texels, surface),
        *mask_rasters(making.naming, order.resolution, session.scene, asked, 8, packed=order.packed),
    ]
    for raster in rasters:
        if file in raster.files:
            tile = Tile(0, 0, 0, 0, surface, chronicle.texels.fill_index, taker.fields)
            return _shown(raster, raster.files.index(file), tile, chronicle.texels)
    names = [name for raster in rasters for name in raster.files]
    raise InputError(f"'{file[:80]}' is no map of this delivery", where="file", remedy=one_of(names, file))


def _shown(raster: Raster, page: int, tile: Tile, texels: Texels) -> Preview:
    encoded = np.asarray(raster.encode(tile), np.float32).reshape(-1, raster.count)
    values = np.broadcast_to(encoded, (len(texels), raster.count))
    about = raster.about
    low, high = _span(raster)
    whole = raster.finish is None and np.issubdtype(raster.dtype, np.integer)
    numbers = values / np.iinfo(raster.dtype).max if whole else values
    said = numbers * (high - low) + low
    colour = about.get("colour") == "sRGB"
    if raster.form != "png" and "numbers" in about and not _is_unit(numbers):
        # Numbers themselves: black and white at the ends of what there is.
        span = max(float(numbers.max() - numbers.min()), 1e-9)
        numbers = (numbers - numbers.min()) / span
    elif not whole and (colour or (raster.count == 3 and "color" in str(about.get("channel", "")))):
        numbers = np.concatenate([to_srgb(numbers[:, :3]), numbers[:, 3:]], axis=1)
    size = texels.size
    pixels = quantise(numbers, 8)[texels.fill_index[page * size * size : (page + 1) * size * size]]
    weight = texels.area / texels.area.sum()
    unit = str(about.get("unit", "mm" if "height" in about or "mm" in str(about.get("numbers", "")) else ""))
    return Preview(
        png_bytes(np.ascontiguousarray(pixels.reshape(size, size, raster.count))),
        tuple("RGBA"[: raster.count]) if raster.count > 1 else ("",),
        [round(float(x), 4) for x in said.min(axis=0)],
        [round(float(x), 4) for x in (said * weight[:, None]).sum(axis=0)],
        [round(float(x), 4) for x in said.max(axis=0)],
        unit,
        f"{raster.dtype.itemsize * 8} bit {'float ' if np.issubdtype(raster.dtype, np.floating) else ''}"
        f"{raster.form.upper()}, {'sRGB' if colour or raster.srgb else 'linear'}",
    )


def _is_unit(values: np.ndarray) -> bool:
    return bool(values.min() >= 0.0 and values.max() <= 1.0)


def _span(raster: Raster) -> tuple[float, float]:
    """What black and white stand for."""
    height = raster.about.get("height")
    if isinstance(height, dict):
        return float(height["black_mm"]), float(height["white_mm"])
    if "white" in raster.about:
        return float(str(raster.about["black"])), float(str(raster.about["white"]))
    return 0.0, 1.0
