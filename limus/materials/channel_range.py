"""A value for a channel, or a range from black to white of a mask."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from limus.common.fields import Document
from limus.common.refusal import refusal
from limus.materials.channels import Channel, one

_Number = Annotated[float, Field(ge=-1e6, le=1e6)]
#: A number, or three for a colour.
Value = _Number | tuple[_Number, _Number, _Number]


class ChannelRange(Document):
    """``white`` where the mask is white; ``black`` where it is black, or nothing where the value is the same
    everywhere. Which of the two is the larger does not matter.
    """

    white: Value
    black: Value | None = None

    def check(self, channel: Channel, where: str) -> None:
        """See that the values are of the channel's kind and within its range.

        Raises
        ------
        PydanticCustomError : they are not; with the field below ``where``.
        """
        for field in ("white", "black"):
            value = getattr(self, field)
            if value is None:
                continue
            numbers = value if isinstance(value, tuple) else (value,)
            if len(numbers) != channel.width:
                raise refusal(
                    f"{where}.{field}",
                    f"{channel.title} takes {'three numbers' if channel.width == 3 else 'one number'}",
                    "Write a colour as [red, green, blue], anything else as a number",
                )
            for number in numbers:
                if not channel.low <= number <= channel.high:
                    raise refusal(
                        f"{where}.{field}",
                        f"{number:g} is outside what {channel.title} can be",
                        f"Use {channel.low:g} to {channel.high:g}",
                        accepted=f"{channel.low:g} to {channel.high:g}",
                    )

    def over(self, mask: np.ndarray) -> np.ndarray:
        """The channel's value as it stands in a sheet: one for all, or (n,) or (n, 3) along the (n,) mask 0..1."""
        white = np.asarray(self.white, np.float32)
        if self.black is None or self.black == self.white:
            return one(self.white)
        black = np.asarray(self.black, np.float32)
        along = mask[:, None] if white.ndim else mask
        return np.ascontiguousarray(black + (white - black) * along, np.float32)
