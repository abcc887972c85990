"""A photograph as light: its pixels linear, upright, in the colours that its profile means; and copies for a screen."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms

from limus.common.colour import to_linear, to_srgb
from limus.common.errors import InputError
from limus.formats.picture_read import ReadPicture, read_picture
from limus.map_sets.picture_level import level_of

#: Reflectance of a photographer's grey card (common practice, no source: 18 %).
GREY_CARD = 0.18


@dataclass(frozen=True)
class Area:
    """A rectangle of a picture, in shares of its width and height from the upper left."""

    left: float = 0.0
    top: float = 0.0
    right: float = 1.0
    bottom: float = 1.0

    def slices(self, height: int, width: int) -> tuple[slice, slice]:
        """Rows and columns, at least one of each."""
        top, bottom = sorted((self.top, self.bottom))
        left, right = sorted((self.left, self.right))
        y0, x0 = min(int(np.floor(top * height)), height - 1), min(int(np.floor(left * width)), width - 1)
        y1, x1 = max(int(np.ceil(bottom * height)), y0 + 1), max(int(np.ceil(right * width)), x0 + 1)
        return slice(max(y0, 0), min(y1, height)), slice(max(x0, 0), min(x1, width))


@dataclass(frozen=True)
class Photograph:
    """A picture and the profile that its colours are meant by, if it has one; ``notes`` in words."""

    picture: ReadPicture
    profile: bytes = b""
    notes: tuple[str, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, as it is looked at."""
        height, width = self.picture.pixels.shape[:2]
        return int(width), int(height)

    def linear(self, area: Area, most: int) -> np.ndarray:
        """(h, w, 3) float32 linear light of a part of it, brought down by averaging to about ``most`` pixels."""
        found = self.picture
        rows, columns = area.slices(*found.pixels.shape[:2])
        part = replace(found, pixels=np.ascontiguousarray(found.pixels[rows, columns]))
        h, w, count = part.pixels.shape
        # No coarser than needed, and never down to nothing.
        times = max(1, min(round((h * w / max(most, 1)) ** 0.5), h, w))
        encoded = part.pixels.dtype.kind != "f"
        values = level_of(part, times, gamma=2.2 if encoded else 1.0)
        colour = values[:, :, :3] if count >= 3 else np.repeat(values[:, :, :1], 3, axis=2)
        if count in (2, 4):
            # What is see-through shows the paper that it lies on.
            alpha = np.clip(values[:, :, -1:], 0.0, 1.0)
            colour = colour * alpha + (1.0 - alpha)
        return np.ascontiguousarray(_as_meant(np.maximum(colour, 0.0), self.profile), np.float32)

    def jpeg(self, longest: int) -> bytes:
        """A copy for a screen, no longer than ``longest`` pixels along a side, in sRGB."""
        width, height = self.size
        share = min(1.0, longest / max(height, width))
        linear = self.linear(Area(), max(1, round(height * width * share * share)))
        image = Image.fromarray(np.round(to_srgb(linear) * 255.0).astype(np.uint8))
        image.thumbnail((longest, longest))
        out = io.BytesIO()
        image.save(out, "JPEG", quality=88)
        return out.getvalue()


def photograph(path: Path, name: str = "") -> Photograph:
    """Read a photograph.

    Raises
    ------
    InputError : as of ``read_picture``.
    """
    found = read_picture(path, name)
    profile, notes = found.profile, [note for note in found.notes if "colour profile" not in note]
    if profile and _transform(profile) is None:
        profile = b""
        notes.append("its colour profile is broken: its colours are taken as sRGB")
    return Photograph(found, profile, tuple(notes))


def without_light(linear: np.ndarray, card: np.ndarray, reflectance: float = GREY_CARD) -> np.ndarray:
    """(..., 3) float32 albedo of what lay in the same light as a grey card of this reflectance, whose pixels ``card``
    (..., 3) are linear.

    Raises
    ------
    InputError : the card is black or burnt out in a colour.
    """
    seen = np.median(card.reshape(-1, 3), axis=0)
    if (seen < 0.004).any() or (seen > 0.97).any():
        raise InputError(
            "the grey card is too dark or burnt out to say what the light was",
            where="card",
            remedy="Choose a part of it that is neither black nor white, or a photograph that is exposed otherwise",
        )
    return np.asarray(linear * (reflectance / seen.astype(np.float32)), np.float32)


def _transform(profile: bytes) -> ImageCms.ImageCmsTransform | None:
    try:
        given = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        return ImageCms.buildTransform(given, ImageCms.createProfile("sRGB"), "RGB", "RGB")
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return None


def _as_meant(linear: np.ndarray, profile: bytes) -> np.ndarray:
    """Colours of a profile as linear Rec. 709; by the sRGB curve where there is none."""
    turn = _transform(profile) if profile else None
    if turn is None:
        return linear
    image = Image.fromarray(np.round(to_srgb(linear) * 255.0).astype(np.uint8))
    turned = ImageCms.applyTransform(image, turn)
    return to_linear(np.asarray(turned, np.float32) / 255.0)
