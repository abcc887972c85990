"""Pictures of the guide, made once when they are first looked at and kept on disk."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

import limus
from limus.common.hashing import key_of
from limus.effects.catalogue import EFFECTS
from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from limus.guide.pictures import On, What, guide_picture
from limus.guide.shown_on import Level
from limus.masks.recipe import SOURCES
from server.projects.gate import gate


def picture(what: What, kind: str, on: On, level: Level) -> bytes:
    """PNG; made anew when the program, or the edition of what is shown, is another.

    Raises
    ------
    InputError : there is no such effect, source or base.
    """
    shown = EFFECTS.get(kind) if what == "effect" else SOURCES.get(kind)
    edition = getattr(shown, "edition", 0)
    path = (
        Path(settings.DATA_DIR)
        / "guide"
        / f"{key_of('guide 1', limus.__version__, what, kind, on, level, edition)}.png"
    )
    try:
        return path.read_bytes()
    except OSError:
        pass
    # Nobody waits for it as for an answer to an edit.
    with gate.turn(4096, lambda: False):
        data = png_bytes(guide_picture(what, kind, on, level))
    write_whole(path, data)
    return data
