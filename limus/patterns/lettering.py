"""Text as a picture, in the fonts that come with the program."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

#: Fonts by name: title and file. All under the SIL Open Font License; their licences lie beside them.
FONTS: dict[str, tuple[str, str]] = {
    "stencil": ("Stencil", "saira-stencil-one.woff2"),
    "narrow": ("Narrow", "barlow-condensed.woff2"),
    "plain": ("Plain", "source-sans-3.woff2"),
}
_FOLDER = Path(__file__).parent.parent / "fonts"
#: Height of capitals in pixels, and the longest side of a picture.
EM, LONGEST = 200, 4096


@lru_cache(maxsize=16)
def _font(name: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(_FOLDER / FONTS[name][1]), size)


@lru_cache(maxsize=512)
def _known(name: str, sign: str) -> bool:
    """Whether the font draws this sign, and not the box that stands for one it lacks."""
    font = _font(name, 64)
    lacking = bytes(font.getmask("\U0010fffd"))
    return bytes(font.getmask(sign)) != lacking or font.getbbox(sign) != font.getbbox("\U0010fffd")


def unknown_signs(text: str, font: str) -> str:
    """The signs of ``text`` that the font lacks, each once."""
    return "".join(dict.fromkeys(c for c in text if not c.isspace() and not _known(font, c)))


@lru_cache(maxsize=16)
def lettering(text: str, font: str) -> np.ndarray:
    """(h, w) float32 0..1: the text, trimmed to its ink with a small margin; (1, 1) of 0 where nothing can be drawn.

    Signs that the font lacks are left out.
    """
    lacking = set(unknown_signs(text, font))
    lines = ["".join(c for c in line if c not in lacking) for line in text.splitlines()[:12]]
    longest = max((len(line) for line in lines), default=0)
    size = EM
    if longest * EM > 2 * LONGEST:
        size = max(12, 2 * LONGEST // longest)
    drawn = "\n".join(lines)
    if not drawn.strip():
        return np.zeros((1, 1), np.float32)
    face = _font(font, size)
    box = ImageDraw.Draw(Image.new("L", (1, 1))).multiline_textbbox(
        (0, 0), drawn, font=face, align="center", spacing=size * 0.15
    )
    margin = 3
    w, h = int(box[2] - box[0]) + 2 * margin, int(box[3] - box[1]) + 2 * margin
    image = Image.new("L", (max(1, min(w, 2 * LONGEST)), max(1, min(h, 2 * LONGEST))))
    ImageDraw.Draw(image).multiline_text(
        (margin - box[0], margin - box[1]), drawn, fill=255, font=face, align="center", spacing=size * 0.15
    )
    return np.asarray(image, np.float32) / 255.0
