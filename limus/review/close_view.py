"""Where to look so that one sees what a layer did: the side and the place of the object where it did most."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from limus.common.hashing import key_of
from limus.common.store import Store
from limus.review.picture import SURROUND, Picture
from limus.surface.texels import Texels

#: Sides that are tried, degrees about up; the first one is that of all other small pictures.
SIDES = (35.0, 125.0, 215.0, 305.0)
#: Another side must show so many times as much.
WORTH = 1.3
#: Pixels of the view that is searched, along its longer side.
SEARCHED = 160
#: How near: usually, and where most of it lies in one place.
NEAR, NEAREST = 3.2, 7.0


@dataclass(frozen=True)
class View:
    """As ``Picture.of`` takes them. Few values of each, so that pictures of many layers share their rays."""

    azimuth: float
    zoom: float
    at: tuple[float, float]

    def picture(self, texels: Texels, width: int, height: int, store: Store, supersample: int = 2) -> Picture:
        """The view at a size, through the store."""
        key = key_of("close view", texels.key, width, height, supersample, self.azimuth, self.zoom, self.at)
        found: Picture = store.get(
            key,
            lambda: Picture.of(
                texels, width, height, azimuth=self.azimuth, zoom=self.zoom, at=self.at, supersample=supersample
            ),
        )
        return found


def close_view(texels: Texels, change: np.ndarray, width: int, height: int, store: Store) -> View:
    """The view of ``width`` to ``height`` that shows most of ``change``, (n,) 0..1; the whole object where nothing
    changed.
    """
    w = SEARCHED if width >= height else max(16, SEARCHED * width // height)
    h = SEARCHED if height > width else max(16, SEARCHED * height // width)
    best: tuple[float, View] | None = None
    for side in SIDES:
        picture = View(side, 1.0, (0.0, 0.0)).picture(texels, w, h, store, 1)
        seen = np.where(picture.texel >= 0, change[np.maximum(picture.texel, 0)], 0.0).astype(np.float64)
        total = float(seen.sum())
        if total <= 0:
            continue
        zoom, amount, place = NEAR, *_densest(seen, NEAR)
        nearest = _densest(seen, NEAREST)
        if nearest[0] > 0.55 * total:
            zoom, place = NEAREST, nearest[1]
        if best is None or amount > best[0] * WORTH:
            best = amount, View(side, zoom, place)
    return best[1] if best is not None else View(SIDES[0], 1.0, (0.0, 0.0))


def _densest(seen: np.ndarray, zoom: float) -> tuple[float, tuple[float, float]]:
    """(sum, middle as ``Picture.of`` takes it) of the window with the largest sum; windows lie on a grid of quarters
    of their size.
    """
    height, width = seen.shape
    tall, wide = max(2, round(height / zoom)), max(2, round(width / zoom))
    sums = np.zeros((height + 1, width + 1))
    sums[1:, 1:] = seen.cumsum(axis=0).cumsum(axis=1)
    top = np.arange(0, height - tall + 1, max(1, tall // 4))
    left = np.arange(0, width - wide + 1, max(1, wide // 4))
    y, x = np.meshgrid(top, left, indexing="ij")
    inside = sums[y + tall, x + wide] - sums[y, x + wide] - sums[y + tall, x] + sums[y, x]
    k = int(inside.argmax())
    row, column = int(y.ravel()[k]), int(x.ravel()[k])
    at = (round((column + wide / 2) / width - 0.5, 4), round(0.5 - (row + tall / 2) / height, 4))
    return float(inside.ravel()[k]), at


def outstanding(picture: np.ndarray, change: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 with what did not change stepped back, paler and towards the surround; ``change`` (h, w, 3)
    uint8, white where it did.

    It keeps some of its colour: bare iron in a green paint is seen by the green around it.
    """
    weight = np.clip(change.astype(np.float32) / 255 * 2.5, 0, 1)
    there = picture.astype(np.float32)
    grey = there.mean(axis=2, keepdims=True)
    back = 0.55 * (0.45 * there + 0.55 * grey) + 0.45 * (SURROUND + 24)
    return (back + weight * (there - back) + 0.5).clip(0, 255).astype(np.uint8)
