"""The picture of an object on the start page: how its surface looks today."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from limus.common.hashing import key_of
from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from limus.review.moment import moment_picture
from limus.review.picture import Picture
from server.projects.gate import gate
from server.projects.models import CURRENT, WorkObject
from server.projects.workshop import session_of

#: Pixels of the picture, and texels along a side that it is made from: enough for its size, and a matter of moments.
WIDTH, HEIGHT, TEXELS = 480, 320, 512


def _folder() -> Path:
    return Path(settings.DATA_DIR) / "portraits"


def _edition() -> str:
    """Tells pictures of today's editions from earlier ones."""
    return f"-{key_of(CURRENT)[:8]}"


def portrait_before(item: WorkObject) -> bytes | None:
    """PNG of how it looked before an upgrade, where one was kept."""
    try:
        return (_folder() / f"{item.pk}-before.png").read_bytes()
    except OSError:
        return None


def portrait(item: WorkObject) -> bytes | None:
    """PNG of the surface at the version shown now, made once for each version; None without UVs or readings.

    Raises
    ------
    InputError : the object or its scene cannot be read.
    """
    path = _folder() / f"{item.pk}-{item.head_id}{_edition()}.png"
    try:
        return path.read_bytes()
    except OSError:
        pass
    session = session_of(item.scene())
    # Nobody waits for it as for an answer to an edit.
    with gate.turn(4096, lambda: False):
        mesh = session.mesh
        if mesh.uv is None:
            return None
        readings = session.readings()
        if readings is None:
            # Looking at a list measures nothing: the picture comes once somebody has opened the object.
            return None
        chronicle = session.chronicle(readings.measured, TEXELS, weather=session.scene.asks_for_weather)
        pile = chronicle.as_made(session.scene)
        for chapter in chronicle.playing(session.scene):
            pile = chapter.pile
        picture = Picture.of(chronicle.texels, WIDTH, HEIGHT, zoom=1.04, supersample=2)
        data = png_bytes(moment_picture(pile, picture, chronicle.occlusion()))
    before = portrait_before(item)
    if before is None and item.looks_changed():
        # The newest one that was made with earlier editions: what finished work looked like.
        earlier = sorted(
            (p for p in _folder().glob(f"{item.pk}-*.png") if not p.stem.endswith(_edition())),
            key=lambda p: p.stat().st_mtime,
        )
        if earlier:
            write_whole(_folder() / f"{item.pk}-before.png", earlier[-1].read_bytes())
    for old in _folder().glob(f"{item.pk}-*.png"):
        if old.name != f"{item.pk}-before.png" or not item.looks_changed():
            old.unlink(missing_ok=True)
    write_whole(path, data)
    return data
