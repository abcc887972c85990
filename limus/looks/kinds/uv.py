"""A picture of the UVs."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.wording import one_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen
from limus.review.uv_look import RIGHT, UV_LOOKS, WRONG, checker, density, numbered, overlap, stretch


class UvLook(LookThrough):
    """Checker, islands, overlaps, stretch or density."""

    kind: ClassVar[str] = "uv"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        if look.name not in UV_LOOKS:
            raise InputError(
                f"there is no picture '{look.name}'", where="look.name", remedy=one_of(UV_LOOKS, look.name)
            )
        title, about = UV_LOOKS[look.name]
        texels, store = seen.chronicle.texels, seen.session.store
        key = key_of("uv", look.name, texels.key)
        if look.name == "checker":
            return Shown(title, colour=store.get(key, lambda: checker(texels)), about=about)
        if look.name == "islands":
            numbers = texels.island.astype(np.float32)
            return Shown(title, numbers, numbered(numbers), components=["island"], about=about, decimals=0)
        if look.name == "overlap":
            wrong = store.get(key, lambda: overlap(texels))
            colour = np.where(wrong[:, None] > 0, np.array(WRONG, np.float32), np.array(RIGHT, np.float32))
            return Shown(title, colour=colour, about=about)
        if look.name == "stretch":
            values = store.get(key, lambda: stretch(texels))
            return Shown(title, values, ramp="exposure", low=1.0, high=4.0, words=("square", "long"), about=about)
        values = store.get(key, lambda: density(texels))
        high = float(np.quantile(values[:: max(1, len(values) // 20000)], 0.99))
        return Shown(title, values, ramp="exposure", high=high, unit="/m", words=("coarse", "fine"), about=about)
