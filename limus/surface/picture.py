"""Pictures that came with an object: kept packed, unpacked when they are looked at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from limus.common.hashing import key_of
from limus.common.store import shared


@dataclass(frozen=True)
class Picture:
    """A picture of (height, width, channels) uint8.

    Its pixels lie in the one store of results, within its budget, and are unpacked again when they were let go.

    Attributes
    ----------
    key : hash of its content. packed : bytes that it takes packed.
    """

    key: str
    height: int
    width: int
    make: Callable[[], np.ndarray] = field(repr=False, compare=False)
    packed: int = 0

    @classmethod
    def of(cls, pixels: np.ndarray) -> Picture:
        """A picture that is there already."""
        return cls(key_of(pixels), pixels.shape[0], pixels.shape[1], lambda: pixels, pixels.nbytes)

    def held(self) -> tuple[int, tuple[object, ...]]:
        """Bytes, for the store."""
        return self.packed, ()

    @property
    def pixels(self) -> np.ndarray:
        """(h, w, c) uint8."""
        found: np.ndarray = shared().get(key_of("pixels", self.key), self.make)
        return found


@dataclass(frozen=True)
class Texture:
    """A picture laid on by UVs, as glTF 2.0 and its extension KHR_texture_transform say.

    Attributes
    ----------
    uv_set : number of the UV set of the file. offset, rotation (radians), scale : what is done to the UVs first.
    """

    picture: Picture
    uv_set: int = 0
    offset: tuple[float, float] = (0.0, 0.0)
    rotation: float = 0.0
    scale: tuple[float, float] = (1.0, 1.0)

    @classmethod
    def of(cls, pixels: np.ndarray) -> Texture:
        """(h, w, c) uint8 laid on as it is."""
        return cls(Picture.of(pixels))

    @property
    def pixels(self) -> np.ndarray:
        """(h, w, c) uint8."""
        return self.picture.pixels

    @property
    def key(self) -> str:
        """Hash of the picture and of how it is laid on."""
        return key_of(self.picture.key, self.uv_set, self.offset, self.rotation, self.scale)

    @property
    def plain(self) -> bool:
        """Whether UVs are used as they are."""
        return self.offset == (0.0, 0.0) and self.rotation == 0.0 and self.scale == (1.0, 1.0)

    def placed(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(n,) u and v in the picture: scaled, turned counter-clockwise as seen, moved (KHR_texture_transform)."""
        if self.plain:
            return u, v
        c, s = float(np.cos(self.rotation)), float(np.sin(self.rotation))
        x, y = u * self.scale[0], v * self.scale[1]
        return c * x + s * y + self.offset[0], c * y - s * x + self.offset[1]
