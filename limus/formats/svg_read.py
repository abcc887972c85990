"""Reading drawings (SVG) as pictures. Nothing in them is run, and nothing outside them is fetched."""

from __future__ import annotations

import io
import os
import re
import subprocess
import sys
from pathlib import Path
from xml.parsers import expat

import numpy as np
from PIL import Image

from limus.common.errors import InputError
from limus.formats.svg_worker import SAID

#: Bytes of a drawing at most, and the longer side of its picture in pixels.
MOST_BYTES, LONGEST = 8 << 20, 2048
#: Elements at most: a drawing is drawn element by element.
MOST_ELEMENTS = 200_000
#: Levels of nesting; the deepest that programs write by themselves are a few dozen (common practice, no source).
MOST_DEPTH = 250
#: Seconds of a processor and bytes of memory that drawing may take.
SECONDS, MEMORY = 8, 1 << 30

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


def _text(path: Path, name: str) -> str:
    data = path.read_bytes()
    if not data.strip():
        raise _refuse("the drawing is empty", name, "Save it again as SVG")
    try:
        # XML may be UTF-16, and then says so by its first bytes (W3C XML 1.0, 4.3.3).
        wide = data[:2] in (b"\xff\xfe", b"\xfe\xff") and data[:4] != b"\xff\xfe\0\0"
        return data.decode("utf-16" if wide else "utf-8-sig")
    except UnicodeDecodeError as error:
        raise _refuse("the drawing is neither UTF-8 nor UTF-16 text", name, "Save it again as SVG, in UTF-8") from error


def _shallow(text: str, name: str) -> None:
    """Refuse what is nested deeper than any hand draws: drawing goes down one call for each level.

    Raises
    ------
    InputError : deeper than ``MOST_DEPTH``, or no XML.
    """
    depth = 0

    def opened(tag: str, attributes: object) -> None:
        nonlocal depth
        depth += 1
        if depth > MOST_DEPTH:
            raise _refuse(
                f"the drawing is nested more than {MOST_DEPTH} levels deep", name, "Ungroup it, or save it as a PNG"
            )

    def closed(tag: str) -> None:
        nonlocal depth
        depth -= 1

    parser = expat.ParserCreate("utf-8")
    parser.StartElementHandler, parser.EndElementHandler = opened, closed
    try:
        parser.Parse(text.encode("utf-8", "replace"), True)
    except expat.ExpatError as error:
        raise _refuse(
            f"the drawing cannot be drawn ({error})", name, "Save it again as a plain SVG, or as a PNG"
        ) from error


def read_svg(path: Path, name: str) -> np.ndarray:
    """(h, w, 4) uint8 sRGB and alpha, the longer side ``LONGEST`` pixels; drawn in a process with limits of time and
    memory.

    Raises
    ------
    InputError : see ``checked``; too large or too deep a file, not text, not drawable, or more work than ``SECONDS``
        allow.
    """
    if path.stat().st_size > MOST_BYTES:
        raise _refuse(f"the drawing has more than {MOST_BYTES >> 20} MB", name, "Simplify it, or save it as a PNG")
    text = _text(path, name)
    checked(text, name)
    _shallow(text, name)
    try:
        done = subprocess.run(
            [sys.executable, "-m", "limus.formats.svg_worker", *map(str, (os.getpid(), SECONDS, MEMORY, LONGEST))],
            input=text.encode("utf-8", "replace"), stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            timeout=SECONDS * 5, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise _too_much(name) from error
    if done.returncode == SAID:
        said = done.stdout.decode("utf-8", "replace")
        raise _refuse(f"the drawing cannot be drawn ({said})", name, "Save it again as a plain SVG, or as a PNG")
    if done.returncode:
        raise _too_much(name)
    return np.asarray(Image.open(io.BytesIO(done.stdout)).convert("RGBA"))


def _too_much(name: str) -> InputError:
    return _refuse(
        f"drawing it takes more than {SECONDS} s or {MEMORY >> 20} MB",
        name,
        "Take out wide blurs and noise, simplify it, or save it as a PNG",
    )
