"""Pictures of objects on the start page: kept for each version, and from before an upgrade."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from limus.common.hashing import key_of
from limus.formats.files import write_whole
from limus.review.portrait import portrait
from server.projects.gate import gate
from server.projects.models import CURRENT, WorkObject
from server.projects.workshop import session_of


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


def portrait_kept(item: WorkObject) -> bytes | None:
    """PNG of the newest picture of it that is kept, whatever version it is of; None where there is none."""
    kept = [path for path in _folder().glob(f"{item.pk}-*.png") if path.name != f"{item.pk}-before.png"]
    try:
        return max(kept, key=lambda path: path.stat().st_mtime).read_bytes()
    except (OSError, ValueError):
        return None


def portrait_of(item: WorkObject) -> bytes | None:
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
        data = portrait(session)
    if data is None:
        return None
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
