"""Levels of one channel: what a photographer's bench does to a map."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from limus.common.colour import luminance
from limus.common.deciding import decided
from limus.common.fields import Document, number, switch
from limus.materials.channels import Channel, is_even


class Levels(Document):
    """Applied in the order in which they stand here; for colours in linear light."""

    value: list[Annotated[float, Field(ge=-1e6, le=1e6)]] | None = Field(
        None, min_length=1, max_length=3, title="One value",
        description="The same everywhere, instead of what the base brings",
        json_schema_extra={"control": "value"},
    )  # fmt: skip
    invert: bool = switch(False, "Invert", "High and low change places")
    low: float = number(
        0.0, "Black at", "%", -1.0, 2.0, (0.0, 1.0), "This share of the channel's range becomes its lowest"
    )
    high: float = number(
        1.0, "White at", "%", -1.0, 2.0, (0.0, 1.0), "This share of the channel's range becomes its highest"
    )
    gamma: float = number(
        1.0, "Gamma", "", 0.1, 10.0, (0.4, 2.5), "Below 1 lightens the middle, above 1 darkens it", log=True
    )
    exposure: float = number(0.0, "Exposure", "stops", -10.0, 10.0, (-2.0, 2.0), "Doubles or halves")
    contrast: float = number(1.0, "Contrast", "", 0.0, 4.0, (0.0, 2.0), "About the mean")
    shift: float = number(0.0, "Lift", "%", -1.0, 1.0, (-0.5, 0.5), "Added, as a share of the channel's range")
    hue_deg: float = number(
        0.0, "Hue", "°", -180.0, 180.0, about="Turned about grey; the luminance stays", colours=True
    )
    saturation: float = number(1.0, "Saturation", "", 0.0, 4.0, (0.0, 2.0), "0 is grey", colours=True)

    @property
    def plain(self) -> bool:
        """Whether they change nothing."""
        return self == Levels()


def levelled(value: np.ndarray, channel: Channel, levels: Levels, area: np.ndarray | None = None) -> np.ndarray:
    """A value of a sheet (one, (n,) or (n, 3)) with levels applied, within the channel's range.

    ``area`` (n,) weighs the mean about which contrast works.
    """
    if levels.plain:
        return value
    if levels.value is not None:
        given = np.array(levels.value, np.float32)
        fixed = np.resize(given, channel.width) if channel.width > 1 else given[0]
        return np.clip(fixed, channel.low, channel.high).astype(np.float32)
    span = np.float32(channel.high - channel.low)
    x = (np.asarray(value, np.float32) - channel.low) / span
    if levels.invert:
        x = 1.0 - x
    if (levels.low, levels.high) != (0.0, 1.0):
        width = levels.high - levels.low
        x = (x - levels.low) / (width if abs(width) > 1e-6 else 1e-6)
    if levels.gamma != 1.0:
        x = np.maximum(x, 0.0) ** levels.gamma
    if levels.exposure:
        x = x * 2.0**levels.exposure
    if levels.contrast != 1.0:
        even = is_even(x, channel)
        now = x
        mean = x if even else decided("mean", lambda: np.average(now, axis=0, weights=area).astype(np.float32))
        x = mean + levels.contrast * (x - mean)
    if levels.shift:
        x = x + levels.shift
    if channel.width == 3 and (levels.hue_deg or levels.saturation != 1.0):
        x = _hued(np.clip(x, 0.0, 1.0), levels.hue_deg, levels.saturation)
    return (channel.low + span * np.clip(x, 0.0, 1.0)).astype(np.float32)


def _hued(color: np.ndarray, hue_deg: float, saturation: float) -> np.ndarray:
    """Turned about the grey axis and drawn from it; luminance kept where the range allows."""
    c, s = np.cos(np.radians(hue_deg)), np.sin(np.radians(hue_deg))
    # Rotation about (1, 1, 1) (Rodrigues).
    one, root = (1 - c) / 3, s / np.sqrt(3)
    turn = np.array(
        [[c + one, one - root, one + root], [one + root, c + one, one - root], [one - root, one + root, c + one]],
        np.float32,
    )
    before = luminance(color)
    turned = np.maximum(color @ turn.T, 0.0)
    after = luminance(turned)
    turned = turned * (before / np.maximum(after, 1e-6))[..., None]
    grey = before[..., None]
    return np.asarray(grey + saturation * (turned - grey), np.float32)
