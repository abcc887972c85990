"""What the pixels of a rectangle show: texels of a window, and off the surface what is nearest."""

from __future__ import annotations

import numpy as np
import scipy

from limus.materials.channels import CHANNELS, Sheet, is_even, spread
from limus.playing.chronicle import Surface
from limus.playing.windows import Windows
from limus.surface.window import Window, rim_of


def filled(
    windows: Windows, window: Window | None, where: tuple[int, int, int, int, int]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(m,) int32 what each pixel of a tile shows: a texel of the window, off the surface the nearest one as far as the
    rim goes, and beyond that what the whole shows there: (k,) texels of it, counted after those of the window. And
    (m,) float32 how far off the surface each pixel lies, in pixels; infinite beyond the rim.
    """
    page, x, y, wide, tall = where
    whole, density = windows.whole, windows.whole.density
    cut = density // whole.size
    rim = rim_of(cut) * cut
    count = len(window) if window is not None else 0
    shown = np.full((tall, wide), -1, np.int32)
    off = np.full((tall, wide), np.inf, np.float32)
    if window is not None:
        left, up = min(rim, x), min(rim, y)
        right, down = min(rim, density - x - wide), min(rim, density - y - tall)
        near = window.picture(page, x - left, y - up, left + wide + right, up + tall + down)
        inside = (slice(up, up + tall), slice(left, left + wide))
        shown = near[inside]
        off[shown >= 0] = 0
        empty = near < 0
        if empty[inside].any() and not empty.all():
            far, at = scipy.ndimage.distance_transform_edt(empty, return_indices=True)
            reached = far[inside] <= rim
            shown = np.where(reached, near[at[0][inside], at[1][inside]], -1)
            off[reached] = far[inside][reached]
            del far, at
    lost = np.flatnonzero(shown.ravel() < 0)
    fill = shown.ravel().astype(np.int32)
    row, column = y + lost // wide, x + lost % wide
    place = (page * whole.size + row // cut) * whole.size + column // cut
    rows, which = np.unique(whole.fill_index[place], return_inverse=True)
    fill[lost] = count + np.asarray(which).reshape(-1)
    return fill, rows, off.ravel()


def beyond(empty: np.ndarray, pixels: int) -> np.ndarray:
    """(h, w) bool: farther than so many ``pixels`` from every pixel that is not ``empty``."""
    if empty.all():
        return np.ones(empty.shape, bool)
    return np.asarray(scipy.ndimage.distance_transform_edt(empty) > pixels)


def joined(surface: Surface | None, whole: Surface, rows: np.ndarray) -> Surface:
    """The fields of a window, and behind them those of the whole at some of its texels; channels as the whole has
    them.
    """

    def behind(own: np.ndarray | None, far: np.ndarray) -> np.ndarray:
        return far[rows] if own is None else np.concatenate([own, far[rows]])

    sheet: dict[str, np.ndarray] = {}
    own_sheet: Sheet = surface.sheet if surface is not None else {}
    for name, far in whole.sheet.items():
        channel = CHANNELS[name]
        own = own_sheet.get(name, channel.plain())
        if is_even(far, channel) and is_even(own, channel) and np.array_equal(far, own):
            sheet[name] = far
            continue
        mine = spread(own, channel, len(surface.relief)) if surface is not None else None
        sheet[name] = behind(mine, spread(far, channel, len(whole.relief)))
    return Surface(
        sheet,
        behind(surface.relief if surface is not None else None, whole.relief),
        behind(surface.normal if surface is not None else None, whole.normal),
        behind(surface.occlusion if surface is not None else None, whole.occlusion),
    )
