"""Look-through: values turned into colours, with a legend.

Masks and scalar readings run from black to white. Signed curvature is ochre where convex, neutral where flat, indigo
where concave. Exposure readings use one hue. A colour is never the only carrier: the legend names both ends.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.kernel import kernel
from limus.common.parallel import for_ranges
from limus.surface.texels import Texels

#: Stops as (place 0..1, red, green, blue), encoded sRGB 0..255.
RAMPS: dict[str, list[tuple[float, int, int, int]]] = {
    "grey": [(0.0, 0, 0, 0), (1.0, 255, 255, 255)],
    "signed": [
        (0.0, 44, 42, 110),
        (0.35, 104, 108, 150),
        (0.5, 150, 150, 150),
        (0.65, 190, 150, 92),
        (1.0, 226, 158, 30),
    ],
    "exposure": [(0.0, 18, 30, 36), (0.5, 74, 118, 132), (1.0, 226, 240, 242)],
}


@dataclass(frozen=True)
class Legend:
    """``stops``: (place 0..1, "#rrggbb"); ``low`` and ``high`` in ``unit``; words for the two ends."""

    low: float
    high: float
    unit: str
    stops: list[tuple[float, str]]
    low_word: str
    high_word: str


def legend(colours: str, low: float, high: float, unit: str = "", words: tuple[str, str] = ("", "")) -> Legend:
    """The legend of a ramp."""
    stops = [(at, f"#{r:02x}{g:02x}{b:02x}") for at, r, g, b in RAMPS[colours]]
    return Legend(low, high, unit, stops, *words)


def _table(colours: str) -> np.ndarray:
    stops = RAMPS[colours]
    at = np.linspace(0, 1, 256)
    table = np.stack([np.interp(at, [s[0] for s in stops], [s[k] for s in stops]) for k in (1, 2, 3)], axis=1)
    return np.round(table).astype(np.uint8)


_TABLES = {name: _table(name) for name in RAMPS}


@kernel
def _paint(start, end, fill, values, low, scale, table, out):  # type: ignore[no-untyped-def]
    for i in range(start, end):
        x = (values[fill[i]] - low) * scale
        k = int(min(max(x, np.float32(0.0)), np.float32(1.0)) * np.float32(255.0) + np.float32(0.5))
        for c in range(3):
            out[i, c] = table[k, c]
        out[i, 3] = 255


def coloured(texels: Texels, values: np.ndarray, low: float, high: float, colours: str = "grey") -> np.ndarray:
    """(pages, size, size, 4) uint8 picture of a (n,) field; encoded, ready for the screen."""
    out = np.empty((len(texels.fill_index), 4), np.uint8)
    for_ranges(
        _paint,
        len(out),
        texels.fill_index,
        np.ascontiguousarray(values, np.float32),
        np.float32(low),
        np.float32(1.0 / max(high - low, 1e-9)),
        _TABLES[colours],
        out,
    )
    return out.reshape(texels.pages, texels.size, texels.size, 4)


def ramp(values: np.ndarray, low: float, high: float, colours: str = "grey") -> np.ndarray:
    """(n, 3) float32 0..1 encoded colours of a (n,) field, for small pictures."""
    k = np.clip((values - low) / max(high - low, 1e-9) * 255 + 0.5, 0, 255).astype(np.uint8)
    return _TABLES[colours][k].astype(np.float32) / 255


def rgba(texels: Texels, values: np.ndarray) -> np.ndarray:
    """(pages, size, size, 4) uint8 of (n, 3) encoded colours 0..1."""
    bytes_ = np.concatenate(
        [(np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8), np.full((len(values), 1), 255, np.uint8)], axis=1
    )
    return texels.image(bytes_)
