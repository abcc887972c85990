"""A channel of the finished surface."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.common.colour import to_srgb
from limus.common.errors import InputError
from limus.common.wording import one_of
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen
from limus.materials.channels import CHANNELS


class ChannelLook(LookThrough):
    """Colours as they are, numbers from black to white over the range that they have."""

    kind: ClassVar[str] = "channel"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        channel = CHANNELS.get(look.name)
        if channel is None:
            have = [*CHANNELS, "relief", "normal", "ambient_occlusion"]
            raise InputError(f"there is no channel '{look.name}'", where="look.name", remedy=one_of(have, look.name))
        values = np.ascontiguousarray(seen.chronicle.finish(seen.pile).channel(look.name), np.float32)
        if channel.colour:
            return Shown(channel.title, colour=to_srgb(values), about=channel.about)
        if channel.width > 1:
            top = max(float(values.max()), 1e-9)
            return Shown(
                channel.title,
                values,
                values / top,
                high=top,
                unit=channel.unit,
                components=["R", "G", "B"],
                about=channel.about,
            )
        low, high = channel.low, channel.high
        if (low, high) != (0.0, 1.0):
            # The whole range is far wider than what one surface uses of it.
            low, high = float(values.min()), float(values.max())
            low, high = (low, high) if high - low > 1e-6 else (min(low, channel.low), max(high, channel.low + 1e-6))
        return Shown(
            channel.title, values, ramp=channel.ramp, low=low, high=high, unit=channel.unit, about=channel.about
        )
