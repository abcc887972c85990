"""Pictures of the guide, made once when they are first looked at and kept on disk."""

from __future__ import annotations

import limus
from limus.bases.catalogue import MATERIALS
from limus.bases.store_room import STOCK
from limus.common.hashing import key_of
from limus.effects.catalogue import EFFECTS
from limus.guide.pictures import On, What, guide_picture
from limus.guide.shown_on import Level
from limus.masks.recipe import SOURCES
from server.projects.kept_pictures import code_time, kept_picture


def picture(what: What, kind: str, on: On, level: Level) -> bytes:
    """PNG; made anew when the program, or the code of what is shown, is another.

    Raises
    ------
    InputError : there is no such effect, source or base.
    """
    classes = {"effect": EFFECTS, "source": SOURCES, "base": {n: MATERIALS[s.kind] for n, s in STOCK.items()}}
    shown = classes[what].get(kind)
    key = key_of("guide 2", limus.__version__, what, kind, on, level, code_time(shown) if shown is not None else "")
    return kept_picture("guide", key, lambda: guide_picture(what, kind, on, level))
