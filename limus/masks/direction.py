"""A direction to look or measure along."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from limus.common.fields import Document, choice, number
from limus.masks.source import Scope, Source
from limus.readings.sun_path import compass

Towards = Literal["up", "down", "north", "east", "south", "west", "wind", "other"]
_NAMES = {
    "up": "up", "down": "down", "north": "north", "east": "east", "south": "south", "west": "west",
    "wind": "the wind and rain", "other": "another direction",
}  # fmt: skip
_COMPASS = {"north": 0.0, "east": 90.0, "south": 180.0, "west": 270.0}


def towards_field(default: str, about: str, **more: str) -> Any:
    """Which way; "other" opens two angles."""
    return choice(default, "Towards", about, **{**_NAMES, **more})


class Directed(Document):
    """Fields of sources that have a direction."""

    azimuth_deg: float = number(
        0.0,
        "Compass",
        "°",
        -360.0,
        360.0,
        (0.0, 360.0),
        "0 away from you (−Z), 90 to the right (+X)",
        when={"towards": "other"},
    )
    elevation_deg: float = number(
        0.0, "Above level", "°", -90.0, 90.0, about="90 straight up, −90 straight down", when={"towards": "other"}
    )
    space: Literal["world", "object"] = choice(
        "world", "Axes", "Of the place it stands in, or of its file, so that it turns with the object",
        hints={"when": {"towards": "other"}}, world="of the place", object="of the object",
    )  # fmt: skip

    @property
    def needs(self) -> frozenset[str]:
        """The compass of the setting, where the direction is one of it."""
        towards = str(getattr(self, "towards", "other"))
        own: frozenset[str] = super().needs if isinstance(self, Source) else frozenset()  # type: ignore[misc]
        if towards in ("up", "down", "sideways", "other"):
            return own
        return own | {"setting.north_deg"} | ({"setting.wind_from_deg"} if towards == "wind" else set())

    def direction(self, scope: Scope) -> np.ndarray:
        """(3,) float32 unit vector in the axes of the mesh (y up)."""
        towards = str(getattr(self, "towards", "other"))
        if towards in ("up", "sideways"):
            return np.array([0, 1, 0], np.float32)
        if towards == "down":
            return np.array([0, -1, 0], np.float32)
        if towards != "other":
            setting = scope.place.setting
            return compass(setting, setting.wind_from_deg if towards == "wind" else _COMPASS[towards]).astype(
                np.float32
            )
        a, e = np.radians(self.azimuth_deg), np.radians(self.elevation_deg)
        out = np.array([np.sin(a) * np.cos(e), np.sin(e), -np.cos(a) * np.cos(e)])
        if self.space == "object":
            # Position in the file = position @ turn, so a vector of the file comes back by the transpose.
            out = out @ scope.place.texels.mesh.turn.T
        return out.astype(np.float32)
