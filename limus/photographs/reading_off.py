"""Reading a photograph: what kinds of surface a region holds, and how much, how large, of which colour each is."""

from __future__ import annotations

import numpy as np
from PIL import Image, ImageDraw
from pydantic import BaseModel, ConfigDict, Field

from limus.common.colour import to_srgb
from limus.formats.png import png_bytes
from limus.photographs.kinds_of_surface import FEWEST, MOST, kinds_of_surface
from limus.photographs.photograph import GREY_CARD, Area, Photograph, without_light
from limus.photographs.pieces import pieces_of

#: Pixels of a region that are looked at: more would show the grain of the photograph.
LOOKED_AT = 300_000

Point = tuple[float, float]


class Wanted(BaseModel):
    """What to read: an outline, into how many kinds, how large a millimetre is, and the light that it lay in.

    Places are in shares of the width and height of the picture, from the upper left.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    outline: list[Point] = Field(min_length=3, max_length=500, description="Corners of the region")
    kinds: int = Field(4, ge=FEWEST, le=MOST)
    mm_per_width: float | None = Field(None, gt=0, le=1e8, description="Width of the whole picture, mm; none: unknown")
    card: tuple[float, float, float, float] | None = Field(None, description="A grey card: left, top, right, bottom")
    reflectance: float = Field(GREY_CARD, gt=0.01, le=1.0)
    seed: int = Field(1, ge=0, le=2**31 - 1)


class KindRead(BaseModel):
    """One kind of surface in the region."""

    share: float = Field(description="Of the region")
    color: tuple[float, float, float] = Field(description="Linear; its albedo where a grey card took the light out")
    pieces: int
    sizes_mm: tuple[float, float, float] | None = Field(
        None, description="Diameters below which lie a tenth, a half, nine tenths of its area; none without a scale"
    )
    sizes_px: tuple[float, float, float]
    ragged: float
    clustered: float
    lower: float = Field(description="How many times as much in the lower half as in the upper one")


class PhotographRead(BaseModel):
    """Everything that was read; ``notes`` in words."""

    kinds: list[KindRead]
    light_taken_out: bool
    notes: list[str] = Field(default_factory=list)


def read_off(found: Photograph, wanted: Wanted) -> tuple[PhotographRead, np.ndarray, Area]:
    """What is read, (h, w) int8 the kind of each pixel (-1 outside the outline), and the part of the picture that
    these pixels are.

    Raises
    ------
    InputError : the region is too small, of one colour, or the grey card says nothing.
    """
    xs, ys = np.clip(np.array(wanted.outline, np.float64), 0.0, 1.0).T
    area = Area(float(xs.min()), float(ys.min()), float(xs.max()), float(ys.max()))
    width, height = found.size
    rows, columns = area.slices(height, width)
    linear = found.linear(area, LOOKED_AT)
    h, w = linear.shape[:2]
    drawn = Image.new("1", (w, h))
    # Where the part begins and how large it is, in pixels of the whole picture.
    left, top = columns.start, rows.start
    across, down = columns.stop - columns.start, rows.stop - rows.start
    ImageDraw.Draw(drawn).polygon(
        [
            ((x * width - left) / across * w - 0.5, (y * height - top) / down * h - 0.5)
            for x, y in zip(xs, ys, strict=True)
        ],
        fill=1,
    )
    inside = np.array(drawn, bool)
    notes = list(found.notes)
    if wanted.card is not None:
        linear = without_light(linear, found.linear(Area(*wanted.card), 10_000), wanted.reflectance)
    else:
        notes.append("No grey card: colours are as the camera saw them, not albedo")
    kinds = kinds_of_surface(linear, inside, wanted.kinds, seed=wanted.seed)
    px_mm = None if wanted.mm_per_width is None else wanted.mm_per_width / width * (across / w)
    out = []
    for k in range(int(kinds.max()) + 1):
        mask = kinds == k
        pieces = pieces_of(mask, inside)
        sizes = (pieces.low, pieces.size, pieces.high)
        out.append(
            KindRead(
                share=pieces.share,
                color=_colour(linear, mask),
                pieces=pieces.count,
                sizes_px=sizes,
                sizes_mm=None if px_mm is None else (sizes[0] * px_mm, sizes[1] * px_mm, sizes[2] * px_mm),
                ragged=pieces.ragged,
                clustered=pieces.clustered,
                lower=pieces.lower,
            )
        )
    if px_mm is None:
        notes.append("No scale: sizes are in pixels. Set two points and the length between them")
    whole = Area(left / width, top / height, (left + across) / width, (top + down) / height)
    return PhotographRead(kinds=out, light_taken_out=wanted.card is not None, notes=notes), kinds, whole


def _colour(linear: np.ndarray, mask: np.ndarray) -> tuple[float, float, float]:
    """Median of the pixels well inside their pieces, where no border mixes two kinds."""
    core = mask.copy()
    core[1:-1, 1:-1] &= mask[:-2, 1:-1] & mask[2:, 1:-1] & mask[1:-1, :-2] & mask[1:-1, 2:]
    some = linear[core if core.sum() >= 20 else mask]
    r, g, b = np.clip(np.median(some, axis=0), 0.0, 1.0)
    return float(r), float(g), float(b)


def kinds_png(kinds: np.ndarray, read: PhotographRead) -> bytes:
    """PNG with alpha: each kind in its own colour, see-through outside."""
    tones = np.zeros((len(read.kinds) + 1, 4), np.float32)
    for k, kind in enumerate(read.kinds):
        tones[k, :3] = to_srgb(np.array(kind.color, np.float32))
        tones[k, 3] = 1.0
    return png_bytes(np.round(tones[kinds] * 255.0).astype(np.uint8))
