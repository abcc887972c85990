"""The camera of a still: the one that the view begins with, turned and brought nearer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: The way from the object to the camera that the view begins with, and its field from top to bottom, degrees.
TOWARDS, FIELD = (0.58, 0.36, 0.82), 30.0
#: Room around the object.
_ROOM = 1.1


@dataclass(frozen=True)
class Camera:
    """``eye`` (3,) m; ``right``, ``up``, ``back`` (3,) unit vectors; ``tall`` half the field's tangent."""

    eye: np.ndarray
    right: np.ndarray
    up: np.ndarray
    back: np.ndarray
    tall: float

    @classmethod
    def around(
        cls, bounds: np.ndarray, aspect: float, *, turn: float = 0.0, elevation: float | None = None,
        zoom: float = 1.0, at: tuple[float, float] = (0.0, 0.0),
    ) -> Camera:  # fmt: skip
        """All of (2, 3) ``bounds`` in the picture.

        Parameters
        ----------
        aspect : width by height. turn : degrees about up. elevation : degrees over the horizon; None as the view has
            it. zoom : so many times nearer. at : what is in the middle, in widths and heights of the picture.
        """
        back = np.array(TOWARDS) / np.linalg.norm(TOWARDS)
        azimuth = np.arctan2(back[0], back[2]) + np.radians(turn)
        e = np.arcsin(back[1]) if elevation is None else np.radians(np.clip(elevation, -89.9, 89.9))
        back = np.array([np.sin(azimuth) * np.cos(e), np.sin(e), np.cos(azimuth) * np.cos(e)])
        right = np.cross([0.0, 1.0, 0.0], back)
        right /= np.linalg.norm(right)
        up = np.cross(back, right)
        centre, tall = bounds.mean(axis=0), float(np.tan(np.radians(FIELD / 2)))
        corners = np.stack(np.meshgrid(*bounds.T, indexing="ij"), axis=-1).reshape(-1, 3) - centre
        needs = np.maximum(np.abs(corners @ up) / tall, np.abs(corners @ right) / (tall * aspect))
        distance = float((corners @ back + needs).max()) * _ROOM / zoom
        middle = centre + 2 * tall * distance * (at[0] * aspect * right + at[1] * up)
        return cls(middle + back * distance, right, up, back, tall)

    def rays(self, width: int, height: int, sub: int) -> np.ndarray:
        """(height * sub * width * sub, 3) float32 unit vectors through ``sub`` x ``sub`` places of each pixel, row by
        row from the top.
        """
        x = ((np.arange(width * sub) + 0.5) / (width * sub) * 2 - 1) * self.tall * width / height
        y = (1 - (np.arange(height * sub) + 0.5) / (height * sub) * 2) * self.tall
        gx, gy = np.meshgrid(x, y)
        out = gx[..., None] * self.right + gy[..., None] * self.up - self.back
        out /= np.linalg.norm(out, axis=-1, keepdims=True)
        return np.asarray(out.reshape(-1, 3), np.float32)

    def millimetres_per_pixel(self, centre: np.ndarray, height: int) -> float:
        """What a pixel covers at the middle of the object."""
        return float(2 * self.tall * float((self.eye - centre) @ self.back) / height * 1000)
