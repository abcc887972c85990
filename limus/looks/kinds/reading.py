"""A reading of the geometry, or one component of it."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.common.colour import to_srgb
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.wording import one_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen
from limus.readings.catalogue import READINGS
from limus.review.uv_look import numbered


class ReadingLook(LookThrough):
    """As the reading says: a ramp, a vector, a colour, or numbers told apart."""

    kind: ClassVar[str] = "reading"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        if look.name not in READINGS:
            raise InputError(
                f"there is no reading '{look.name}'", where="look.name", remedy=one_of(READINGS, look.name)
            )
        reading = READINGS[look.name]
        if look.component and look.component not in reading.components:
            raise InputError(
                f"'{look.name}' has no component '{look.component}'",
                where="look.component",
                remedy=one_of(reading.components, look.component),
            )
        place = seen.chronicle.place(seen.session.scene)
        missing = reading.missing(place)
        if missing:
            raise InputError(
                missing[0].lower() + missing[1:], where=f"look.name: {look.name}", remedy="Choose another reading"
            )
        size = look.size_mm or seen.session.size.mm(reading.default_size_mm, reading.grows)
        values = seen.chronicle.cache.get(
            key_of("reading", place.key_for(reading.reads), look.name, size),
            lambda: np.ascontiguousarray(reading.value(place, size), np.float32),
        )
        title = f"{reading.title} at {size:g} mm" if reading.size else reading.title
        components = list(reading.components)
        if look.component:
            values = np.ascontiguousarray(values[:, components.index(look.component)])
            title, components = f"{title}, {look.component}", [look.component]
        high = size if reading.kind in ("thickness", "proximity") else reading.high
        if reading.kind in ("height", "position"):
            high = float(values.max())
        low, high = reading.shown or (reading.low, max(high, reading.low + 1e-6))
        colour: np.ndarray | None = None
        ramp: str = reading.colours
        if reading.colours == "numbers":
            colour = numbered(values)
        elif reading.colours in ("vector", "colour"):
            if values.ndim == 1:
                ramp = "grey"
            elif reading.colours == "vector":
                colour = (values - low) / (high - low)
            else:
                colour = to_srgb(values[:, :3])
        decimals = 0 if reading.colours == "numbers" else None
        return Shown(
            title, values, colour, ramp, low, high, reading.unit, reading.words, components, reading.about, decimals
        )
