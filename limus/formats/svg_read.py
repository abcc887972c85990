"""Reading drawings (SVG) as pictures. Nothing in them is run, and nothing outside them is fetched."""

from __future__ import annotations

import io
import re
import tempfile
from pathlib import Path

import numpy as np
import resvg_py
from PIL import Image

from limus.errors import InputError

#: Bytes of a drawing at most, and the longer side of its picture in pixels.
MOST_BYTES, LONGEST = 8 << 20, 2048
#: Elements at most: a drawing is drawn element by element.
MOST_ELEMENTS = 200_000

_ACTIVE = (
    (re.compile(r"<\s*(?:\w+:)?script\b", re.I), "it holds a script"),
    (re.compile(r"<\s*(?:\w+:)?foreignObject\b", re.I), "it holds a web page (foreignObject)"),
    (re.compile(r"<!ENTITY", re.I), "it defines entities of its own"),
    (re.compile(r"<\?xml-stylesheet|@import", re.I), "it takes a style sheet from elsewhere"),
    (re.compile(r"\son\w+\s*=", re.I), "it holds a script in an attribute"),
    (re.compile(r"javascript\s*:", re.I), "it holds a script in a link"),
)
_LINK = re.compile(r"""(?:xlink:href|href|src)\s*=\s*(?:"([^"]*)"|'([^']*)')""", re.I)
_URL = re.compile(r"""url\(\s*['"]?([^'")]*)""", re.I)
_OPEN = re.compile(r"<[A-Za-z]")
_ROOT = re.compile(r"<\s*(?:\w+:)?svg\b([^>]*)>", re.I)


def _refuse(problem: str, name: str, remedy: str) -> InputError:
    return InputError(problem, where=name, remedy=remedy)


def _outside(link: str) -> bool:
    """Whether a link leads out of the drawing; pictures written into it do not."""
    link = link.strip()
    return bool(link) and not link.startswith("#") and not re.match(r"data:image/(png|jpeg|gif|webp);", link, re.I)


def checked(text: str, name: str) -> None:
    """Refuse what could run or fetch something.

    Raises
    ------
    InputError : scripts, entities, style sheets or links that lead outside, too many elements, or no drawing at all.
    """
    plain = "Save it as a plain SVG, with everything in it drawn, or as a PNG"
    for pattern, what in _ACTIVE:
        if pattern.search(text):
            raise _refuse(f"the drawing is not taken: {what}", name, plain)
    for found in (*(a or b for a, b in _LINK.findall(text)), *_URL.findall(text)):
        if _outside(found):
            raise _refuse(
                f"the drawing is not taken: it refers to '{found[:80]}'",
                name,
                "Embed the picture in the drawing, or save it as a PNG",
            )
    if len(_OPEN.findall(text)) > MOST_ELEMENTS:
        raise _refuse(f"the drawing has more than {MOST_ELEMENTS} elements", name, "Simplify it, or save it as a PNG")
    if _ROOT.search(text) is None:
        raise _refuse("the file holds no drawing (no <svg> element)", name, "Save it again as SVG")


def read_svg(path: Path, name: str) -> np.ndarray:
    """(h, w, 4) uint8 sRGB and alpha, the longer side ``LONGEST`` pixels.

    Raises
    ------
    InputError : see ``checked``; too large a file, not text, or not drawable.
    """
    if path.stat().st_size > MOST_BYTES:
        raise _refuse(f"the drawing has more than {MOST_BYTES >> 20} MB", name, "Simplify it, or save it as a PNG")
    try:
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise _refuse("the drawing is not UTF-8 text", name, "Save it again as SVG") from error
    checked(text, name)
    with tempfile.TemporaryDirectory() as nothing:
        try:
            # Drawn once small to learn its shape, so that a drawing a million wide takes no memory.
            small = Image.open(io.BytesIO(_drawn(text, nothing, 64)))
            wide, tall = small.size
            if max(wide, tall) > 64 * LONGEST:
                raise _refuse("the drawing is far longer than it is wide", name, "Crop it, or save it as a PNG")
            width = LONGEST if wide >= tall else max(1, round(LONGEST * wide / tall))
            image = Image.open(io.BytesIO(_drawn(text, nothing, width)))
            return np.asarray(image.convert("RGBA"))
        except InputError:
            raise
        except Exception as error:  # the library raises plain ValueErrors, and a panic of its own for some broken files
            raise _refuse(
                f"the drawing cannot be drawn ({str(error)[:120]})", name, "Save it again as a plain SVG, or as a PNG"
            ) from error


def _drawn(text: str, folder: str, width: int) -> bytes:
    return bytes(resvg_py.svg_to_bytes(svg_string=text, width=width, skip_system_fonts=True, resources_dir=folder))
