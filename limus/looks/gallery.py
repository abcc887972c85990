"""Pictures of an answer by the hash of their content, so that nothing that somebody has already is sent twice."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from limus.common.hashing import key_of
from limus.common.store import Store
from limus.formats.png import png_bytes

MAP, PNG = "application/octet-stream", "image/png"


@dataclass(frozen=True)
class Blob:
    """``name``: hash of ``data``."""

    name: str
    data: bytes
    media: str

    @classmethod
    def of(cls, data: bytes, media: str) -> Blob:
        """With its name."""
        return cls(hashlib.blake2b(data, digest_size=16).hexdigest(), data, media)


@dataclass
class Gallery:
    """The pictures that one answer names. What it draws is kept in ``store`` under what it hangs on, and drawn once."""

    store: Store
    pictures: dict[str, Blob] = field(default_factory=dict)

    def kept(self, key: str, make: Callable[[], list[Blob]]) -> list[str]:
        """Names of the pictures that ``make`` gives for ``key``."""
        found: list[Blob] = self.store.get(key_of("pictures", key), make)
        self.pictures |= {blob.name: blob for blob in found}
        return [blob.name for blob in found]

    def pages(self, key: str, draw: Callable[[], np.ndarray]) -> list[str]:
        """Names of raw maps, one for each page of the array that is drawn for ``key``."""
        return self.kept(key, lambda: [Blob.of(page.tobytes(), MAP) for page in draw()])

    def small(self, key: str, draw: Callable[[], np.ndarray]) -> str:
        """Name of a small picture, (h, w, 3) uint8."""
        return self.kept(key, lambda: [Blob.of(png_bytes(draw()), PNG)])[0]

    def now(self, pages: np.ndarray) -> list[str]:
        """Names of raw maps that are not kept: one for each page."""
        made = [Blob.of(page.tobytes(), MAP) for page in pages]
        self.pictures |= {blob.name: blob for blob in made}
        return [blob.name for blob in made]

    def drawn(self, picture: np.ndarray) -> str:
        """Name of a small picture that is not kept, (h, w, 3) uint8."""
        made = Blob.of(png_bytes(picture), PNG)
        self.pictures[made.name] = made
        return made.name
